"""Where a string ends when another takes its place whose partials lie where its own did."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.sounds import hz, string_tone

from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 48000
STANDARD = Targets(parse_tuning("standard"))
SECOND_S, OVER_S = 1.9, 1.4  # when the second string is picked, and how long both ring


def one_after_the_other(upper: int, lower: int, rings: bool, room: float = 0.0):
    """A string of pitch `upper`, then a louder one of pitch `lower` at 1.9 s; the first `rings` on or was just damped."""
    rng = np.random.default_rng([upper, lower])
    lasts = SECOND_S - 0.4 + (OVER_S if rings else 0.0)
    first = string_tone(rng, hz(upper + 0.14), RATE, lasts, 5e-5, 3.0, 0.08)
    second = string_tone(rng, hz(lower - 0.08), RATE, 2.4, 6e-5, 6.0, 0.1)
    x = np.zeros(5 * RATE)
    for y, at, level in ((first, 0.4, 0.2), (second, SECOND_S, 0.5)):
        y[-1440:] *= np.linspace(1, 0, 1440) ** 2
        x[int(at * RATE) : int(at * RATE) + len(y)] += level * y
    if room:
        x = x + room * np.convolve(x, rng.normal(0, 1, 6000) * np.exp(-np.arange(6000) / 1500))[: len(x)]
    return x + 1e-5 * rng.normal(0, 1, len(x))


PAIRS = [(64, 40), (59, 40), (64, 45), (59, 45), (55, 40)]


@pytest.mark.parametrize(("upper", "lower"), PAIRS)
@pytest.mark.parametrize("room", [0.0, 0.02])
def test_a_string_damped_as_another_is_picked_ends_there(upper, lower, room) -> None:
    first, second = analyse(one_after_the_other(upper, lower, rings=False, room=room), RATE, STANDARD)
    assert second.start == pytest.approx(SECOND_S, abs=0.01)
    assert first.end == pytest.approx(SECOND_S, abs=0.06)


@pytest.mark.parametrize(("upper", "lower"), PAIRS)
def test_a_string_that_rings_on_ends_when_it_is_damped(upper, lower) -> None:
    first, second = analyse(one_after_the_other(upper, lower, rings=True), RATE, STANDARD)
    assert first.end >= SECOND_S + OVER_S - 0.06
    assert second.end == pytest.approx(SECOND_S + 2.4, abs=0.1)
