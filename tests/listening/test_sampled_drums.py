"""A sampled drum kit, its toms too, has no string and no common pitch; music under which it plays has one."""

from __future__ import annotations

import struct
import subprocess
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from benchmarks import strange
from benchmarks.sampled import SOUNDFONT, _variable

from juxtatune.core.errors import CannotTell
from juxtatune.core.listening.analyse import analyse
from juxtatune.core.listening.pluck import Targets
from juxtatune.core.listening.reference import reference_offset
from juxtatune.core.music.catalogue import parse_tuning

RATE = 48000
HAT, KICK, SNARE, TOMS = 42, 36, 38, (41, 43, 45, 47, 48, 50)


def kit(folder: Path, seed: int) -> np.ndarray:
    """Some 13 s of a drum kit (channel 10 of General MIDI) at 120 beats a minute."""
    r = np.random.default_rng(seed)
    track, last = b"", 0
    for eighth in range(48):
        keys = [HAT, *([KICK] if eighth % 4 == 0 else [SNARE] if eighth % 4 == 2 else [])]
        keys += [int(r.choice(TOMS))] if r.uniform() < 0.4 else []
        for at, status in ((eighth * 240, 0x99), (eighth * 240 + 200, 0x89)):
            for key in keys:
                track += _variable(at - last) + bytes((status, key, int(r.integers(60, 127))))
                last = at
    track += b"\0\xff\x2f\0"
    source, wave = folder / "kit.mid", folder / "kit.wav"
    header = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(track))
    source.write_bytes(header + track)
    command = ["fluidsynth", "-ni", "-r", str(RATE), "-F", str(wave), str(SOUNDFONT), str(source)]
    subprocess.run(command, check=True, capture_output=True)
    return sf.read(wave)[0].mean(axis=1)


@pytest.mark.parametrize("seed", [0, 2, 5])
def test_drums_alone_have_no_common_pitch(tmp_path, seed) -> None:
    assert isinstance(reference_offset(kit(tmp_path, seed), RATE), CannotTell)


@pytest.mark.parametrize("seed", [0, 7])
def test_drums_alone_pluck_no_string(tmp_path, seed) -> None:
    x = kit(tmp_path, seed)
    assert analyse(x, RATE, Targets(parse_tuning("standard"))) == []
    assert analyse(x, RATE, Targets()) == []


def test_a_band_is_read_though_the_fifth_partials_of_a_deep_bass_are_loud() -> None:
    r = np.random.default_rng([25, 77])
    found = reference_offset(strange.band(r, RATE, r.uniform(10, 20)), RATE)
    assert not isinstance(found, CannotTell)
    assert abs(found.cents) < 5  # its samples are tuned within some cents of 440
