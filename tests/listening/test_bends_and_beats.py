"""Bends read against their own start, and beats of two strings, on sounds whose truth is known.

Beats: partials that meet beat at the difference of their frequencies (Helmholtz 1863).
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.listening.live.bend import SIZES, called, follow
from juxtatune.core.listening.live.ear import BendEar, HeardBend, beat
from juxtatune.core.listening.live.frame_pitch import PitchFrame
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.source import Block, Signal
from juxtatune.core.listening.types import Targets
from juxtatune.core.sim.synthesis import pluck, render

RATE = 48000


def note(midi: float, cents: np.ndarray, seed: int) -> np.ndarray:
    hz = 440 * 2 ** ((midi - 69) / 12)
    return render(pluck(np.random.default_rng(seed), hz, 1e-4, RATE, 0.25), cents, hz, RATE)


def bent(cents: float, before: float = 0.4, rise: float = 0.3, hold: float = 1.2, swing: float = 0.0) -> np.ndarray:
    """Cents over time of a string that is bent and held, by a finger that swings at 5 Hz."""
    t = np.arange(int(RATE * (before + rise + hold))) / RATE
    up = np.clip((t - before) / rise, 0, 1)
    return cents * (1 - np.cos(np.pi * up)) / 2 + swing / 2 * np.sin(2 * np.pi * 5 * t) * (up >= 1)


def hear(sound: np.ndarray, seed: int) -> HeardBend:
    room = np.random.default_rng(seed).normal(0, 3e-4, len(sound) + RATE // 3)
    room[RATE // 3 :] += sound
    listener, ear, last = Listener(Targets()), BendEar(), None
    for at in range(0, len(room) - 960, 960):
        found = ear.hear(listener, listener.feed(Block(room[at : at + 960], RATE, at)))
        last = found or last
    assert last is not None
    return last


@pytest.mark.parametrize(("cents", "midi", "before"), [
    (50, 64, 0.4), (100, 67, 0.15), (200, 59, 0.4), (300, 71, 0.3), (163, 55, 0.5), (400, 62, 0.4)])  # fmt: skip
def test_a_held_bend_is_followed_from_where_it_began(cents: float, midi: float, before: float) -> None:
    found = hear(note(midi, bent(cents, before), midi), midi)
    assert found.unison is None
    assert found.bend.start == pytest.approx(midi, abs=0.05)
    assert found.bend.held == pytest.approx(cents, abs=4)


def test_a_bend_with_vibrato_is_read_by_its_middle() -> None:
    found = hear(note(67, bent(200, swing=30), 3), 3)
    assert found.bend.held == pytest.approx(200, abs=5)
    assert found.bend.spread == pytest.approx(30, abs=12)


def test_a_note_that_is_not_bent_is_no_bend() -> None:
    found = hear(note(60, bent(0.0), 5), 5)
    assert not found.bend.moving and abs(found.bend.cents) < 1 and found.bend.held is None


@pytest.mark.parametrize(("low", "high", "miss"), [(62, 64, -12.0), (57, 59, 6.0), (65, 66, 0.5), (60, 63, -20.0)])
def test_a_unison_bend_is_read_against_the_other_string(low: int, high: int, miss: float) -> None:
    cents = bent(100 * (high - low) + miss, hold=1.6)
    found = hear(note(low, cents, low) + note(high, 0 * cents, high), low)
    assert found.unison == pytest.approx(miss, abs=1.0)
    away = 440 * (2 ** ((high + miss / 100 - 69) / 12) - 2 ** ((high - 69) / 12))
    assert found.beats == pytest.approx(abs(away), abs=0.15)


@given(st.integers(0, 4), st.floats(-60, 60), st.sampled_from((1, -1)))
def test_a_bend_is_called_by_its_nearest_size_and_what_is_missing(size: int, off: float, way: int) -> None:
    goal, name = SIZES[size]
    near = min(SIZES, key=lambda s: abs(s[0] - abs(goal + off)))
    words = called(way * (goal + off))
    if goal + off < SIZES[0][0] / 2:
        assert words == "barely bent"
    elif near == SIZES[size]:
        assert words.startswith(name)
        assert ("short" in words, "over" in words) == (off < -10, off > 10)
        assert ("let down" in words) == (way < 0)


def test_a_dip_between_beats_is_no_new_note() -> None:
    bend = None
    for k in range(60):
        level = -20 - (9 if k % 12 == 6 else 0)
        bend = follow(bend, PitchFrame(0.03 * k, 220, 57 + min(2, k / 20), None, None, 0.3, level, 0.9))
    assert bend is not None and bend.began == 0.0
    after = follow(bend, PitchFrame(1.9, 220, 57, None, None, 0.3, -8, 0.9))
    assert after is not None and after.began == 1.9


@pytest.mark.parametrize("rate", [-6.0, -1.5, -0.4, 0.4, 0.9, 3.0, 7.5])
def test_beats_are_counted_and_which_way_to_turn_is_known(rate: float) -> None:
    """Partial 2 of a string an octave below, near 147 Hz, against an open string."""
    hz = 146.83
    t = np.arange(int(1.5 * 12000)) / 12000
    rng = np.random.default_rng(4)
    low = sum(0.2 / n * np.exp(-0.4 * n * t) * np.sin(2 * math.pi * n * (hz + rate) / 2 * t + n) for n in range(1, 8))
    high = sum(0.2 / n * np.exp(-0.4 * n * t) * np.sin(2 * math.pi * n * hz * t) for n in range(1, 6))
    found = beat(Signal(low + high + rng.normal(0, 1e-3, len(t)), 12000), hz * 2 ** (0.3 / 1200))
    assert found is not None and found.signed
    assert found.rate == pytest.approx(rate, abs=0.05)


def test_one_string_alone_does_not_beat() -> None:
    t = np.arange(18000) / 12000
    x = 0.2 * np.exp(-0.5 * t) * np.sin(2 * math.pi * 196 * t) + np.random.default_rng(0).normal(0, 1e-4, len(t))
    found = beat(Signal(x, 12000), 196.0)
    assert found is not None and found.rate == 0.0
