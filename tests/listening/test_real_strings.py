"""Strums of strings whose partials disagree by some cents, as a guitar's body makes them do (common practice, no source)."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.sounds import hz, string_tone
from benchmarks.strummed import synthetic

from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 24000


def strummed(name: str, seed: int, scatter: float) -> tuple[np.ndarray, dict[int, float]]:
    """(samples, cents of each string): every partial is off the stiff string's by its own normal deviation."""
    rng, tuning = np.random.default_rng(seed), parse_tuning(name)
    t = np.arange(int(3.5 * RATE)) / RATE
    x, truth = np.zeros(len(t) + RATE), {}
    for k, s in enumerate(tuning.strings):
        truth[s] = rng.uniform(-45, 45)
        f1 = hz(tuning.pitch(s) + truth[s] / 100)
        tone = np.zeros(len(t))
        for n in range(1, 25):
            fn = n * f1 * np.sqrt((1 + 6e-5 * n * n) / (1 + 6e-5)) * 2 ** (rng.normal(0, scatter) / 1200)
            decay = 3.0 / (1 + 0.2 * n)
            if fn < 9000:
                tone += np.exp(-t / decay) / n * np.cos(2 * np.pi * fn * t + rng.uniform(0, 6.28))
        at = int((0.3 + 0.015 * k) * RATE)
        x[at : at + len(t)] += tone[: len(x) - at]
    return 0.2 * x / np.abs(x).max(), truth


@pytest.mark.parametrize("name", ["standard", "drop D", "DADGAD"])
def test_strings_of_a_real_guitar_are_told_though_their_partials_disagree(name) -> None:
    errors = []
    for seed in range(3):
        x, truth = strummed(name, seed, scatter=1.5)
        readings = read_strum(x, RATE, Targets(parse_tuning(name)))
        errors += [abs(r.cents - truth[r.string]) for r in readings if r.cents is not None]
    assert len(errors) >= 16  # of 18
    assert np.median(errors) < 1.0
    assert np.quantile(errors, 0.9) < 3.5


def test_partials_that_agree_are_still_read_exactly() -> None:
    x, truth = strummed("standard", 4, scatter=0.0)
    for r in read_strum(x, RATE, Targets(parse_tuning("standard"))):
        assert r.cents == pytest.approx(truth[r.string], abs=0.05)


def plucked_together(name: str, cents: dict[int, float]) -> np.ndarray:
    """A strum of strings that are off by so much, drawn by a fixed seed; strings not named are silent."""
    rng, tuning = np.random.default_rng(1), parse_tuning(name)
    x = np.zeros(4 * RATE)
    for k, (s, off) in enumerate(cents.items()):
        f1 = hz(float(tuning.pitch(s)) + off / 100)
        y = string_tone(rng, f1, RATE, 3.0, 5e-5, 3.0, 0.08)
        at = int((0.3 + 0.015 * k) * RATE)
        x[at : at + len(y)] += 0.1 * y
    return x


@pytest.mark.parametrize("apart", [2.5, 6.0])
def test_octaves_nearly_in_tune_are_read_from_the_partials_that_part(apart) -> None:
    played = {6: 30.0, 5: -20.0, 4: 30.0 + apart, 3: 10.0, 2: -30.0, 1: 0.0}
    readings = read_strum(plucked_together("drop D", played), RATE, Targets(parse_tuning("drop D")))
    for r in readings:
        assert r.cents == pytest.approx(played[r.string], abs=0.5)
        assert r.confidence > 0.7


def test_a_string_in_exact_unison_says_so() -> None:
    played = {6: -12.0, 4: 5.0, 3: 20.0, 2: -5.0, 1: 9.0}
    x = plucked_together("doubled low G", played)
    six, five = read_strum(x, RATE, Targets(parse_tuning("doubled low G")))[:2]
    heard, other = (six, five) if six.cents is not None else (five, six)
    assert heard.cents == pytest.approx(-12.0, abs=0.3)
    assert other.cents is None
    assert f"in unison with string {heard.string}" in other.problem


@pytest.mark.parametrize("name", ["open D", "DADGAD", "open G"])
@pytest.mark.parametrize("silent", [4, 1])
def test_a_silent_octave_is_not_read_into_the_string_below(name, silent) -> None:
    played = {6: -8.0, 5: 20.0, 4: 11.0, 3: -30.0, 2: 35.0, 1: 2.0}
    del played[silent]
    readings = read_strum(plucked_together(name, played), RATE, Targets(parse_tuning(name)))
    assert {r.string for r in readings if r.cents is None} == {silent}


def plucked(seed: int, moved: float) -> tuple[np.ndarray, float]:
    """(samples, f1) of a string whose partials disagree, beat and sink, resampled by `moved` cents."""
    rng, ratio = np.random.default_rng(seed), 2 ** (moved / 1200)
    t = np.arange(int(3.2 * RATE)) / RATE * ratio
    f1 = rng.uniform(80, 330)
    turns = np.cumsum(2 ** (6 * np.exp(-t / rng.uniform(0.15, 0.6)) / 1200)) / RATE * ratio
    x = np.zeros(len(t))
    for n in range(1, 25):
        off = rng.normal(0, 1.5) - (3 if n == 1 else 0)
        fn = n * f1 * np.sqrt((1 + 1e-4 * n * n) / (1 + 1e-4)) * 2 ** (off / 1200)
        beat, other, decays = rng.uniform(0.2, 1.2), 10 ** (-rng.uniform(4, 25) / 20), rng.uniform(0.5, 3, 2)
        loud, phases = 10 ** (-rng.uniform(0, 6 + 2 * n) / 20), rng.uniform(0, 6.28, 2)
        if fn < 10000:
            x += loud * np.exp(-t * decays[0]) * np.cos(2 * np.pi * fn * turns + phases[0])
            x += loud * other * np.exp(-t * decays[1]) * np.cos(2 * np.pi * (fn + beat) * turns + phases[1])
    return np.concatenate([np.zeros(RATE // 2), 0.2 * x / np.abs(x).max(), np.zeros(RATE // 4)]), f1 * ratio


def test_the_same_note_shifted_by_a_known_amount_is_read_shifted_by_it_however_its_partials_disagree() -> (
    None
):
    errors = []
    for seed in range(12):
        readings = []
        for moved in (0.0, -30.0, 17.0):
            x, f1 = plucked(seed, moved)
            read = [r.f1 for r in analyse(x, RATE, Targets(None)) if r.f1]
            readings.append(min((1200 * np.log2(f / f1) for f in read), key=abs))
        errors += [abs(r - readings[0]) for r in readings[1:]]
    assert np.median(errors) < 0.05 and max(errors) < 0.5


def test_two_looks_at_strings_of_one_target_do_not_take_one_for_the_other() -> None:
    tuning = parse_tuning("doubled low G")
    x, truth = synthetic(np.random.default_rng(10), "beating", tuning, left_out=False)
    six, five = read_strum(x, 48000, Targets(tuning))[:2]
    assert sorted([six.cents, five.cents]) == pytest.approx(sorted([truth[6], truth[5]]), abs=0.3)
    assert min(six.sigma_cents, five.sigma_cents) < 0.5
