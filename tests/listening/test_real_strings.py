"""Strums of strings whose partials disagree by some cents, as a guitar's body makes them do (common practice, no source)."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.sounds import hz

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
