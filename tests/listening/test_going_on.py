"""What seems to begin under a noise and does not: a string that rings on, and the octave of one that is late to be heard."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import sounds
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.listening.event.continuity import is_phase_continuous
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 12000
NUMBERS = np.arange(1, 7)


def ringing(r, f1, seconds):
    t = np.arange(int(seconds * RATE)) / RATE
    return sum(
        np.exp(-t * (0.5 + 0.3 * n)) / n * np.cos(2 * np.pi * n * f1 * t + r.uniform(0, 6.28))
        for n in NUMBERS
    )


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.floats(80, 330), st.floats(0.1, 1), st.booleans())
def test_a_string_goes_on_in_phase_under_a_drum_unless_it_is_picked_again(seed, f1, loud, again) -> None:
    r = np.random.default_rng(seed)
    x, at = ringing(r, f1, 2.0), RATE
    if again:
        x[at:] = ringing(r, f1, 1.0)
    else:
        drum = sounds.tom(r, RATE, r.uniform(80, 150), 0.1, sounds.LOADED) * np.linspace(1, 0, RATE // 10)
        x[at : at + len(drum)] += loud * drum
    # a look at the moment of the drum tells their pitch to a hertz or so
    hz = NUMBERS * f1 + r.uniform(-0.7, 0.7, 6)
    assert is_phase_continuous(Signal(x, RATE), hz, f1, 0.0, 1.0) is not again


@pytest.mark.parametrize("seed", [0, 1, 2])
def test_a_tone_whose_odd_partials_are_heard_late_is_not_its_octave(seed) -> None:
    rate, r = 48000, np.random.default_rng(seed)
    t, f1 = np.arange(int(1.8 * rate)) / rate, 110 * 2 ** (r.uniform(-40, 40) / 1200)
    tone = sum(
        np.exp(-t * (1 + 0.2 * n)) / n * np.cos(2 * np.pi * n * f1 * t + r.uniform(0, 6))
        * (np.clip((t - 0.12) / 0.004, 0, 1) if n % 2 else 1)
        for n in range(1, 12)
    )  # fmt: skip
    gap = np.zeros(rate // 2)
    (found,) = analyse(np.concatenate([gap, 0.2 * tone, gap]), rate, Targets(parse_tuning("standard")))
    assert found.string == 5 and abs(1200 * np.log2(found.f1 / f1)) < 1
    assert found.start == pytest.approx(0.5, abs=0.03)
