"""Answers that count in part: what is read must not leap where one of two answers becomes a little likelier."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.sounds import string_tone
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.listening.f0.estimate import fit_pluck
from juxtatune.core.listening.note.fusion import blend
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 24000
STANDARD = Targets(parse_tuning("standard"))
TONE = string_tone(np.random.default_rng(3), 110.0, RATE, 2.0, 6e-5, 5.0, 0.08)
FIT = fit_pluck(Signal(TONE, RATE), 0.0, 2.0, 110.0, 6e-5)


@given(st.floats(0, 1), st.floats(-40, 40), st.floats(0.01, 5), st.floats(0.01, 5))
def test_a_fit_between_two_moves_evenly_from_one_to_the_other(share, apart, sigma, other) -> None:
    a = replace(FIT, sigma_cents=sigma)
    b = replace(FIT, f1=FIT.f1 * 2 ** (apart / 1200), sigma_cents=other)
    mixed = blend(a, b, share)
    assert 1200 * np.log2(mixed.f1 / a.f1) == pytest.approx(share * apart, abs=1e-6)
    # as sure as neither and as both together, and less so the further they are apart (variance of a mixture)
    assert mixed.sigma_cents >= min(sigma, other) - 1e-9
    assert mixed.sigma_cents <= np.hypot(max(sigma, other), abs(apart) / 2) + 1e-9


def scattered(cents, seed):
    """A string (N,) whose partials lie some cents off, each by itself, and which hums on at its end; all `cents` higher."""
    r, t = np.random.default_rng(seed), np.arange(int(3.4 * RATE)) / RATE
    tone = np.zeros(len(t))
    for n in range(1, 30):
        off = r.normal(0, 2.5)
        fn = n * 98.0 * np.sqrt((1 + 6e-5 * n * n) / (1 + 6e-5)) * 2 ** ((off + cents) / 1200)
        drift = 2.0 * r.normal() * np.exp(-t / 0.5) / 1731
        tone += (
            np.exp(-t * (0.5 + 0.15 * n)) / n**0.8 * np.cos(2 * np.pi * fn * np.cumsum(1 + drift) / RATE + n)
        )
    return np.concatenate([np.zeros(RATE // 4), 0.2 * tone * np.minimum(1, t / 0.002), np.zeros(RATE // 4)])


@pytest.mark.parametrize("seed", [4, 5, 6])
def test_a_string_whose_partials_disagree_moves_by_what_it_is_moved(seed) -> None:
    shifts = np.arange(0.0, 40.0, 5.0)
    readings = [analyse(scattered(c, seed), RATE, STANDARD) for c in shifts]
    assert all(len(heard) == 1 for heard in readings)
    moved = np.array([1200 * np.log2(heard[0].f1 / readings[0][0].f1) for heard in readings])
    assert np.abs(moved - shifts).max() < 0.5
