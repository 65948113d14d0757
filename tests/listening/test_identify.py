"""What tuning is this: from plucks, from a strum, with no tuning told; against what the simulated guitar was set to."""

from __future__ import annotations

import numpy as np
import pytest

from juxtatune.core.listening.identify import (
    common_offset,
    families,
    identify_playing,
    identify_plucks,
    identify_strum,
)
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.sim.guitar import SimulatedGuitar, played


def guitar(name: str, offset: float, seed: int = 3) -> SimulatedGuitar:
    tuning = parse_tuning(name)
    made = SimulatedGuitar(tuning, seed=seed, reference=Reference(440.0, offset))
    made.detune(np.random.default_rng(seed).uniform(-3, 3, len(tuning)))
    return made


@pytest.mark.parametrize(
    ("name", "offset", "down"),
    [("B standard", 29.8, False), ("open G", -35.0, True), ("doubled low G", 10.0, False), ("drop C", 44.0, True),
     ("D2 A2 D3 G3 C4 E4", 12.0, False), ("bass", -20.0, True)],
)  # fmt: skip
def test_plucked_one_by_one(name, offset, down) -> None:
    made = guitar(name, offset)
    order = list(made.tuning.strings)
    found = identify_plucks(played(made, order[::-1] if down else order, 0.9), 48000)
    assert found.tuning is not None and found.tuning.pitches == made.tuning.pitches, found
    assert found.offset_cents == pytest.approx(offset, abs=3) and found.confidence > 0.6
    for s in found.strings:
        truth = 100 * (made.pitch(s.string) - made.tuning.pitch(s.string)) + offset - found.offset_cents
        assert s.cents is None or s.cents == pytest.approx(truth, abs=1.0)


def test_a_twelfth_fret_harmonic_is_told_by_the_other_strings() -> None:
    made = guitar("E3 A2 D3 G3 B3 E4", 0.0)  # the 6th rings an octave up
    found = identify_plucks(played(made, list(made.tuning.strings), 0.9), 48000)
    assert found.tuning is not None and name_tuning(found.tuning).name == "standard"


@pytest.mark.parametrize(("name", "offset"), [("drop D", -30.0), ("DADGAD", -4.0), ("half step down", 8.0)])
def test_one_strum(name, offset) -> None:
    made = guitar(name, offset)
    made.start()
    made.strum()
    sound = np.concatenate([made.read(0.0).samples for _ in range(175)])
    found = identify_strum(sound, 48000)
    assert found.tuning is not None and found.tuning.pitches == made.tuning.pitches, found
    assert found.offset_cents == pytest.approx(offset, abs=3)


def test_what_tells_nothing_is_declined() -> None:
    noise = 0.05 * np.random.default_rng(1).normal(size=96000)
    for work in (identify_plucks, identify_strum, identify_playing):
        found = work(noise, 48000)
        assert found.tuning is None and found.problem
    three = guitar("standard", 0.0)
    assert identify_plucks(played(three, [6, 5], 0.9), 48000).tuning is None


def test_offsets_fold_into_half_a_step_and_every_family_is_a_candidate() -> None:
    assert common_offset([40.3, 45.3, 50.31]) == pytest.approx(30, abs=0.6)
    assert common_offset([40.5, 45.5]) == pytest.approx(50)
    names = {name_tuning(t).name for t, _ in families(6)}
    assert {"standard", "drop A", "open E", "DADGAD", "B standard"} <= names
