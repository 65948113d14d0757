"""What seems to begin but rang before: strings under vibrato or a tremolo, and one that does begin among others.

Vibrato moves all partials together (Fletcher 1964), tremolo their size alone: neither makes a partial leap in phase, as a
pluck does. What such strings sound at is exact by construction.
"""

from __future__ import annotations

import numpy as np
import pytest

from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Block
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE, BEGINS = 48000, 0.5
STANDARD = Targets(parse_tuning("standard"))


def string(f1, cents=0.0, loud=1.0, seed=1):
    """A string (N,) that lies at `cents` (a number, or a course over time) and is so loud (a number, or a course)."""
    t = np.arange(3 * RATE) / RATE
    turns = f1 * np.cumsum(2 ** ((cents + 0 * t) / 1200)) / RATE
    n = np.arange(1, 24)[:, None]
    stiff = n * np.sqrt((1 + 5e-5 * n * n) / (1 + 5e-5))
    first = np.random.default_rng(seed).uniform(0, 6.28, n.shape)
    tone = (np.exp(-t * (0.4 + 0.1 * n)) * np.cos(2 * np.pi * stiff * turns + first) / n).sum(axis=0)
    return 0.2 * loud * tone * np.minimum(1, t / 0.002)


def wave(a_second):
    return np.sin(2 * np.pi * a_second * np.arange(3 * RATE) / RATE)


def sound(*strings):
    """Strings (N,) that begin at the given times (s), in a little noise."""
    x = 1e-5 * np.random.default_rng(0).normal(size=int(6 * RATE))
    for at, tone in strings:
        begin = int(at * RATE)
        x[begin : begin + len(tone)] += tone[: len(x) - begin]
    return x


@pytest.mark.parametrize("depth", [3.0, 8.0])
@pytest.mark.parametrize("f1", [82.4, 146.8, 246.9, 329.6])
def test_a_string_under_vibrato_is_one_pluck_and_read_at_its_mean(f1, depth) -> None:
    (reading,) = analyse(sound((BEGINS, string(f1, depth * wave(5.0)))), RATE, STANDARD)
    assert reading.start == pytest.approx(BEGINS, abs=0.02)
    assert reading.f1 is not None
    assert 1200 * np.log2(reading.f1 / f1) == pytest.approx(0.0, abs=1.0)


@pytest.mark.parametrize(("a_second", "depth"), [(3.5, 0.45), (5.5, 0.35), (8.0, 0.45)])
@pytest.mark.parametrize("f1", [110.0, 246.9])
def test_a_string_through_a_tremolo_is_one_pluck(f1, a_second, depth) -> None:
    tone = string(f1, loud=1 - depth + depth * wave(a_second))
    (reading,) = analyse(sound((BEGINS, tone)), RATE, STANDARD)
    assert reading.f1 is not None
    assert 1200 * np.log2(reading.f1 / f1) == pytest.approx(0.0, abs=0.2)


def test_a_string_under_vibrato_is_heard_once_live_too() -> None:
    x, listener = sound((BEGINS, string(246.9, 8.0 * wave(5.0)))), Listener(STANDARD)
    heard = [r for k in range(0, len(x), 960) for r in listener.feed(Block(x[k : k + 960], RATE, k)).settled]
    assert [round(r.start, 1) for r in heard] == [BEGINS]


def test_a_low_string_that_begins_under_its_octave_is_a_pluck() -> None:
    ringing = string(147.0)
    heard = analyse(
        sound((BEGINS, ringing), (1.7, string(73.6, loud=0.7, seed=2))), RATE, Targets(parse_tuning("drop D"))
    )
    assert [(r.string, round(float(r.start), 1)) for r in heard] == [(4, BEGINS), (6, 1.7)]
