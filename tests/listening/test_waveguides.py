"""Strings that know nothing of partials: digital waveguides, whose loop fixes the pitch (Jaffe and Smith 1983)."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import waveguide
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.listening.dsp.peaks import Peaks
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.tone.twm import likeliest
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off

RATE = 48000


def heard(*tones: np.ndarray, tuning: str = "standard") -> list[Reading]:
    """What is heard of tones one after the other, each damped at once as the next begins."""
    x = np.concatenate([np.zeros(RATE // 2), *tones, np.zeros(RATE // 2)])
    return analyse(x, RATE, Targets(parse_tuning(tuning)))


@given(st.sampled_from(range(1, 7)), st.floats(-45, 45), st.integers(0, 10_000))
@settings(max_examples=12, deadline=None)
def test_a_waveguide_is_read_where_its_loop_turns_once(string, cents, seed) -> None:
    f1 = Targets(parse_tuning("standard")).target_hz(string) * 2 ** (cents / 1200)
    (pluck,) = heard(0.3 * waveguide.string(np.random.default_rng(seed), f1, RATE, 1.5))
    assert pluck.string == string and abs(off(pluck, f1)) < 0.02


@pytest.mark.parametrize("seed", range(4))
def test_the_lowest_string_of_a_bright_bass_has_a_hundred_partials_and_its_own_octave(seed) -> None:
    n, r = np.arange(1, 115), np.random.default_rng(seed)
    t = np.arange(2 * RATE) / RATE
    sizes = r.uniform(0.2, 1, len(n)) * np.minimum(1, n / 8)
    tone = sum(a * np.sin(2 * np.pi * 41.5 * k * t + r.uniform(0, 6)) for a, k in zip(sizes, n, strict=True))
    (pluck,) = heard(0.004 * tone * np.exp(-1.5 * t), tuning="bass")
    assert pluck.string == 4 and abs(off(pluck, 41.5)) < 0.02


def test_a_string_picked_again_softer_and_brighter_is_a_second_pluck() -> None:
    n, t = np.arange(1, 40), np.arange(int(0.8 * RATE)) / RATE

    def tone(sizes, turn):
        each = zip(sizes, n, strict=True)
        wave = sum(a * np.sin(2 * np.pi * 82.4 * k * t + turn * k * k) for a, k in each)
        return wave * np.exp(-2 * t)

    dark = tone(np.where(n < 12, 0.1, 1e-4), 1.0)
    bright = tone(np.where(n < 12, 0.015, 0.02), 2.0)
    assert [q.string for q in heard(dark, bright)] == [6, 6]


def test_what_distortion_makes_harmonic_is_one_tone_whatever_its_low_partials_do() -> None:
    # of an overdriven D3 in its attack: the first few would be those of a stiff string, and the rest of none
    low = [144.4, 150.8, 296.5, 442.3, 589.5, 737.2, 885.8, 1031.8, 1180.3, 1328.5, 1476.9, 1625.6, 1774.5]
    high = [2063.8, 2213.3, 2359.1, 2507.0, 2653.9, 2804.3, 2953.3, 3100.5, 3246.9, 3389.5, 3541.4, 3689.8]
    hz = np.array([*low, *high, 3830.8, 3981.8, 4132.7, 4275.4])
    weight = [
        68,
        66,
        69,
        90,
        94,
        100,
        77,
        62,
        83,
        79,
        64,
        85,
        72,
        55,
        54,
        71,
        81,
        60,
        78,
        71,
        61,
        67,
        54,
        56,
        54,
    ]
    weight = np.array([*weight, 52, 57, 70, 58]) / 100
    tone = likeliest(Peaks(hz, weight, np.full(len(hz), -35.0), 3.3))
    assert tone is not None and tone.f1 == pytest.approx(147.5, rel=0.002) and tone.score > 0.6
