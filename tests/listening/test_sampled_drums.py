"""Drums, sampled or modelled, have no string and no common pitch; music under them and short notes have one."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import sampled, sounds, strange

from juxtatune.core.errors import CannotTell
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.reference.offset import reference_offset
from juxtatune.core.listening.source import Block
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 48000
HAT, KICK, SNARE, TOMS = 42, 36, 38, (41, 43, 45, 47, 48, 50)


def kit(seed: int) -> np.ndarray:
    """Some 13 s of a drum kit (channel 10 of General MIDI) at 120 beats a minute."""
    r = np.random.default_rng(seed)
    events = []
    for eighth in range(48):
        keys = [HAT, *([KICK] if eighth % 4 == 0 else [SNARE] if eighth % 4 == 2 else [])]
        keys += [int(r.choice(TOMS))] if r.uniform() < 0.4 else []
        for key in keys:
            events.append((eighth * 240, (0x99, key, int(r.integers(60, 127)))))
            events.append((eighth * 240 + 200, (0x89, key, 0)))
    return strange.rendered(events, b"", RATE)


@pytest.mark.parametrize("seed", [0, 2, 5, 14, 16, 17])
def test_drums_alone_have_no_common_pitch(seed) -> None:
    assert isinstance(reference_offset(kit(seed), RATE), CannotTell)


@pytest.mark.parametrize("seed", [4, 35])
def test_drums_alone_pluck_no_string(seed) -> None:
    x = kit(seed)
    assert analyse(x, RATE, Targets(parse_tuning("standard"))) == []
    assert analyse(x, RATE, Targets()) == []


@pytest.mark.parametrize(("seed", "modes"), [(0, sounds.LOADED), (5, sounds.LOADED), (18, sounds.MEMBRANE)])
def test_heads_with_the_modes_of_a_membrane_pluck_no_string(seed, modes) -> None:
    x = sounds.toms(np.random.default_rng(seed), RATE, modes)
    assert analyse(x, RATE, Targets(parse_tuning("standard"))) == []
    assert analyse(x, RATE, Targets()) == []


@pytest.mark.parametrize("seed", [0, 3])
def test_toms_heard_live_pluck_no_string(seed) -> None:
    x = sounds.toms(np.random.default_rng(seed), RATE, sounds.LOADED)
    listener = Listener(Targets(parse_tuning("standard")))
    blocks = [listener.feed(Block(x[k : k + 960], RATE, k)) for k in range(0, len(x) - 959, 960)]
    assert [r for heard in blocks for r in heard.settled if r.f1 is not None] == []


@pytest.mark.parametrize("program", [24, 27, 30])
def test_a_quarter_of_a_second_of_a_guitar_is_no_drum(program) -> None:
    strings = [40, 45, 50, 55, 59, 64]
    gap = np.zeros(RATE // 4)
    parts = [np.append(sampled.note(p, program)[: RATE // 4], gap) for p in strings]
    found = analyse(np.concatenate([gap, *parts]), RATE, Targets(parse_tuning("standard")))
    assert [r.string for r in found if r.f1 is not None] == [6, 5, 4, 3, 2, 1]


def test_a_band_is_read_though_the_fifth_partials_of_a_deep_bass_are_loud() -> None:
    r = np.random.default_rng([25, 77])
    found = reference_offset(strange.band(r, RATE, r.uniform(10, 20)), RATE)
    assert not isinstance(found, CannotTell)
    assert abs(found.cents) < 5  # its samples are tuned within some cents of 440


@pytest.mark.parametrize(("pitch", "tuning"), [(35, "B standard"), (36, "drop C"), (38, "open D")])
def test_a_string_that_is_vague_as_it_is_picked_again_begins_where_it_is_picked(pitch, tuning) -> None:
    """An overdriven low string is of no clear pitch for a sixth of a second, as drums are."""
    note = sampled.note(pitch, 30)
    again = int(0.65 * RATE)
    x = np.concatenate([np.zeros(RATE // 2), note[:again], note[:RATE], np.zeros(RATE // 2)])
    heard = analyse(x / np.abs(x).max() * 0.6, RATE, Targets(parse_tuning(tuning)))
    assert [r.string for r in heard] == [6, 6]
    assert [r.start for r in heard] == pytest.approx([0.5, 1.15], abs=0.1)
