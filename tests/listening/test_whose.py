"""Which string a pluck is while a guitar is between two tunings, where a pitch may belong to two."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks import sounds
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.listening.assignment.beam import assign_strings
from juxtatune.core.listening.offset.decay import damping
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Damping, Reading, Targets
from juxtatune.core.music.reading import parse_tuning

DOWN = Targets(parse_tuning("B standard"), parse_tuning("standard"))


def reading(at: float, pitch: float, stiffness: float = 0.6, targets: Targets = DOWN) -> Reading:
    """A pluck as the pitch alone places it; `stiffness` is B f1², a string's own at any tension."""
    f1 = 440 * 2 ** ((pitch - 69) / 12)
    string = min(targets.tuning.strings, key=lambda s: (abs(targets.tuning.pitch(s) - pitch), s))
    b = stiffness / f1**2
    return Reading(
        at, at + 1, f1, pitch, string, targets.tuning.note(string), None, None,
        100 * (pitch - targets.tuning.pitch(string)), 0.01, 3.0, 0.5, -10.0, inharmonicity=b, inharmonicity_sigma=0.02 * b,
    )  # fmt: skip


def strings(*pitches: float, stiffness: tuple[float, ...] | None = None) -> list[int | None]:
    given = stiffness or tuple(0.6 for _ in pitches)
    return [
        r.string for r in assign_strings([reading(k, p, b) for k, (p, b) in enumerate(zip(pitches, given, strict=True))], DOWN)
    ]  # fmt: skip


def test_one_pitch_that_two_strings_may_have_is_told_as_such() -> None:
    (r,) = assign_strings([reading(0, 40.0)], DOWN)
    assert r.string in (5, 6)
    assert r.confidence < 0.7
    assert "string 5" in (r.problem or "") and "string 6" in (r.problem or "")


def test_a_string_heard_elsewhere_leaves_the_pitch_to_its_neighbour() -> None:
    assert strings(35.0, 40.0) == [6, 5]  # the 6th has landed, so E2 is the 5th
    assert strings(40.0, 45.0, 50.0) == [6, 5, 4]  # nothing was turned yet


def test_a_string_that_is_turned_stays_one_string() -> None:
    assert strings(40.0, 38.5, 37.0, 35.5, 35.0) == [6, 6, 6, 6, 6]


def test_its_stiffness_tells_a_string_on_its_way() -> None:
    # A2 is the 5th not yet turned or the 4th that has landed; a third pluck has the stiffness of one of them
    fourth = strings(45.0, 47.0, 45.0, stiffness=(0.4, 1.2, 1.2))
    fifth = strings(45.0, 47.0, 45.0, stiffness=(0.4, 1.2, 0.4))
    assert fourth[1:] == [4, 4]
    assert fifth[0] == fifth[2] == 5


def test_its_damping_tells_a_string_on_its_way() -> None:
    def heard(*levels: float) -> list[int | None]:
        # two strings that are in no doubt, each heard twice, show how little plucks of one string differ
        plucks = [reading(k, p) for k, p in enumerate((64.0, 64.0, 35.0, 35.0, 45.0, 47.0, 45.0))]
        every = (0.3, 0.3, -0.3, -0.3, *levels)
        damped = [replace(r, damping=Damping(v, 0.5, 0.02, 0.02)) for r, v in zip(plucks, every, strict=True)]
        return [r.string for r in assign_strings(damped, DOWN)][4:]

    fourth, fifth = heard(0.0, 1.0, 1.0), heard(0.0, 1.0, 0.0)
    assert fourth[1:] == [4, 4]
    assert fifth[0] == fifth[2] == 5


@given(st.floats(-0.5, 0.7), st.floats(0.2, 1.0), st.sampled_from([38.0, 45.0, 52.0]))
@settings(max_examples=12, deadline=None)
def test_the_damping_of_a_string_is_measured(level, slope, pitch) -> None:
    rng, f1 = np.random.default_rng(1), sounds.hz(pitch)
    tone = sounds.string_tone(rng, f1, 12000, 2.2, 5e-5, 8, 0.1, position=0.13, damping=(level, slope))
    x = tone + rng.normal(0, 1e-3, len(tone))
    found = damping(Signal(x, 12000), 0.0, 2.2, f1, 5e-5)
    assert (found.level, found.slope) == (pytest.approx(level, abs=0.1), pytest.approx(slope, abs=0.15))


def test_cents_and_attack_move_with_the_string() -> None:
    low, high = assign_strings([reading(0, 35.1), reading(1, 40.1)], DOWN)
    assert (low.cents, high.cents) == (pytest.approx(10), pytest.approx(10))
    for r in (low, high):
        assert r.attack_cents - r.cents == pytest.approx(3.0 - reading(0, r.pitch).cents)
        assert r.target == DOWN.tuning.note(r.string)


def test_without_an_old_tuning_nothing_is_moved() -> None:
    rows = [reading(0, 40.0), reading(1, 45.2)]
    assert assign_strings(rows, Targets(DOWN.tuning)) == rows


@pytest.mark.parametrize("start, goal", [("standard", "B standard"), ("B standard", "standard")])
def test_a_guitar_half_way_between_two_tunings_is_read_string_by_string(start, goal) -> None:
    source, tuning = parse_tuning(start), parse_tuning(goal)
    for seed in range(3):
        rng = np.random.default_rng(seed)
        turned = {s: (tuning if rng.uniform() < 0.5 else source).pitch(s) for s in tuning.strings}
        sound = sounds.pluck_run(rng, tuning=turned, spread=15.0)
        readings = analyse(sound.samples, sound.rate, Targets(tuning, source))
        assert [r.string for r in readings] == [6, 5, 4, 3, 2, 1]
