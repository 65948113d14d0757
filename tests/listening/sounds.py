"""Sounds for the tests: exact strings made apart from the product, and sampled guitars."""

from __future__ import annotations

import shutil
import struct
import subprocess
from pathlib import Path

import numpy as np
import soundfile as sf
from benchmarks.sounds import hz, string_tone

SOUNDFONT = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")


def one_string(
    pitch, cents=0.0, rate=48000, lead=0.4, seconds=1.6, glide=6.0, tau=0.08, seed=0, stiff=6e-5, tail=0.4
):
    """(samples, settled f1): one damped pluck after some silence."""
    rng = np.random.default_rng(seed)
    f1 = hz(pitch + cents / 100)
    tone = 0.4 * string_tone(rng, f1, rate, seconds, stiff, glide, tau)
    tone[-int(0.03 * rate) :] *= np.linspace(1, 0, int(0.03 * rate)) ** 2
    return np.concatenate([np.zeros(int(lead * rate)), tone, np.zeros(int(tail * rate))]), f1


def off(reading, f1):
    """Error of a reading in cents."""
    assert reading.f1 is not None, reading.problem
    return 1200 * np.log2(reading.f1 / f1)


def sampled_guitar(folder: Path, note: int, bend: int = 0, program: int = 25):
    """(samples, rate) of a General MIDI guitar, bent by bend/8192 of two semitones (MIDI 1.0 specification)."""
    assert shutil.which("fluidsynth") and SOUNDFONT.exists(), (
        "fluidsynth and timgm6mb-soundfont are installed by make"
    )
    value = 8192 + bend
    events = bytes([0, 0xC0, program, 0, 0xE0, value & 127, value >> 7, 0x60, 0x90, note, 110])
    events += bytes([0x8D, 0x40, 0x80, note, 0, 0x60, 0xFF, 0x2F, 0])
    midi = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(events)) + events
    source, wave = folder / "note.mid", folder / f"note{note}{bend}.wav"
    source.write_bytes(midi)
    command = [
        "fluidsynth",
        "-ni",
        "-R",
        "0",
        "-C",
        "0",
        "-r",
        "48000",
        "-F",
        str(wave),
        str(SOUNDFONT),
        str(source),
    ]
    subprocess.run(command, check=True, capture_output=True)
    samples, rate = sf.read(wave, always_2d=True)
    return samples[:, 0], rate
