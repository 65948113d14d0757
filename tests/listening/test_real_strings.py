"""Strums of strings whose partials disagree by some cents, as a guitar's body makes them do (common practice, no source)."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.sounds import hz, string_tone

from juxtatune.core.listening.pluck import Targets
from juxtatune.core.listening.strum import read_strum
from juxtatune.core.music.catalogue import parse_tuning

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
