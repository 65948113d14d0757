"""Strings that are turned while they ring, as pegs are: partials move together (Fletcher 1964), by up to 100 cents a second.

What such a string sounds at is exact by construction.
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


def turned_string(f1, at, by, seconds=0.6, rings=3.0, cents_then=0.0):
    """A string (N,) turned by so many cents from `at` s after its pluck on; it is `cents_then` higher to begin with."""
    t = np.arange(int(rings * RATE)) / RATE
    cents = cents_then + by * np.clip((t - at) / seconds, 0, 1)
    turns = f1 * np.cumsum(2 ** (cents / 1200)) / RATE
    n = np.arange(1, 20)[:, None]
    stiff = n * np.sqrt((1 + 5e-5 * n * n) / (1 + 5e-5))
    tone = (np.exp(-t * (0.5 + 0.15 * n)) * np.cos(2 * np.pi * stiff * turns + n) / n).sum(axis=0)
    return 0.2 * tone * np.minimum(1, t / 0.002)


def sound(*strings, noise=1e-4):
    """Strings (N,) that begin at the given times (s), in a little noise."""
    x = noise * np.random.default_rng(0).normal(size=int(6 * RATE))
    for at, string in strings:
        begin = int(at * RATE)
        x[begin : begin + len(string)] += string[: len(x) - begin]
    return x


@pytest.mark.parametrize("by", [-150.0, -30.0, 50.0, 100.0])
@pytest.mark.parametrize(("f1", "at"), [(82.0, 0.3), (196.0, 0.9)])
def test_a_string_is_read_until_it_is_turned_and_its_turning_is_no_pluck(f1, at, by) -> None:
    (reading,) = analyse(sound((BEGINS, turned_string(f1, at, by))), RATE, STANDARD)
    assert reading.start == pytest.approx(BEGINS, abs=0.01)
    assert reading.f1 is not None
    assert 1200 * np.log2(reading.f1 / f1) == pytest.approx(0.0, abs=1.0)


def test_what_is_turned_as_soon_as_it_sounds_says_so() -> None:
    (reading,) = analyse(sound((BEGINS, turned_string(110.0, 0.07, 170.0, seconds=0.9))), RATE, STANDARD)
    assert reading.f1 is None and "pluck it once it rests" in (reading.problem or "")


def test_a_string_turned_among_others_that_ring_is_no_pluck_either() -> None:
    ringing, turned = turned_string(147.0, 9.0, 0.0), turned_string(247.0, 0.6, 120.0, seconds=1.2)
    heard = analyse(sound((BEGINS, ringing), (2.0, turned)), RATE, STANDARD)
    assert [(r.string, round(r.start, 1)) for r in heard] == [(4, BEGINS), (2, 2.0)]


@pytest.mark.parametrize("again", [0.6, 1.8])
def test_a_string_plucked_again_as_it_is_turned_or_after_it_is_heard_twice(again) -> None:
    first = turned_string(196.0, 0.4, 60.0)
    then = 60.0 * min((again - 0.4) / 0.6, 1.0)
    second = turned_string(196.0, 0.0, 60.0 - then, seconds=max(1.0 - again, 0.01), cents_then=then)
    first[int(again * RATE) :] *= 0.15
    heard = analyse(sound((BEGINS, first), (BEGINS + again, second)), RATE, STANDARD)
    assert [round(r.start, 1) for r in heard] == [BEGINS, BEGINS + again]


def test_a_string_turned_before_the_microphone_is_one_pluck_live() -> None:
    x, listener = sound((BEGINS, turned_string(255.0, 0.86, -162.0, seconds=0.9))), Listener(STANDARD)
    heard = [r for k in range(0, len(x), 960) for r in listener.feed(Block(x[k : k + 960], RATE, k)).settled]
    assert [round(r.start, 1) for r in heard] == [BEGINS]
