"""Sampled guitars: General MIDI notes through fluidsynth, detuned exactly by resampling."""

from __future__ import annotations

import functools
import os
import struct
import subprocess
import tempfile
from multiprocessing import Pool
from pathlib import Path

import numpy as np
import soundfile as sf

SOUNDFONT = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")
KEPT = Path(tempfile.gettempdir()) / "juxtatune-sampled-notes"
GUITARS = {24: "nylon", 25: "steel", 26: "jazz", 27: "clean"}


def _variable(value):
    out = [value & 127]
    while value := value >> 7:
        out.insert(0, 128 | (value & 127))
    return bytes(out)


@functools.cache
def note(pitch, program=25, seconds=3.2, rate=48000, velocity=100, font=SOUNDFONT):
    """One sampled note, mono, that starts at about 0 (Standard MIDI File format 0, 480 ticks a quarter at 120).

    Large banks take seconds to load: what they play is kept among the temporary files.
    """
    kept = KEPT / f"{font.stem}-{program}-{pitch}-{velocity}-{seconds}-{rate}.npy"
    if not kept.exists():
        KEPT.mkdir(exist_ok=True)
        whole = kept.with_suffix(f".{os.getpid()}.npy")
        np.save(whole, _rendered(pitch, program, seconds, rate, velocity, font))
        whole.rename(kept)
    return np.load(kept)


def _rendered(pitch, program, seconds, rate, velocity, font):
    ticks = int(seconds * 960)
    events = bytes([0, 0xC0, program, 0, 0x90, pitch, velocity])
    events += _variable(ticks) + bytes([0x80, pitch, 0]) + _variable(480) + b"\xff\x2f\x00"
    with tempfile.TemporaryDirectory() as folder:
        source, wave = Path(folder) / "n.mid", Path(folder) / "n.wav"
        source.write_bytes(
            b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(events)) + events
        )
        command = ["fluidsynth", "-ni", "-R", "0", "-C", "0", "-r", str(rate), "-F", str(wave)]
        subprocess.run([*command, str(font), str(source)], check=True, capture_output=True)
        samples, _ = sf.read(wave, always_2d=True)
    return samples[: int((seconds + 0.5) * rate), 0]


def shifted(samples, cents):
    """The same sound, higher by `cents`: read at another speed, band-limited (SciPy's polyphase resampling)."""
    from fractions import Fraction

    from scipy.signal import resample_poly

    ratio = Fraction(2 ** (-cents / 1200)).limit_denominator(4000)
    exact = -1200 * np.log2(ratio.numerator / ratio.denominator)
    return resample_poly(samples, ratio.numerator, ratio.denominator), exact


def consensus(samples, rate, near):
    """Median (Hz) of what long-window methods read: FFT peak of the first partial, YIN, Praat, a partial fit."""
    return float(np.median(list(long_window(samples, rate, near).values())))


def ready():
    """Lets one process compile librosa before the processes of a pool do so at once and spoil its cache."""
    with Pool(1) as pool:
        pool.apply(long_window, (np.sin(np.arange(96000) / 30), 48000, 255.0))


@functools.cache
def consensus_of_note(pitch, program, font=SOUNDFONT):
    """The same (Hz) of one sampled note as it is."""
    return consensus(note(pitch, program, font=font), 48000, 440 * 2 ** ((pitch - 69) / 12))


def long_window(samples, rate, near):
    """Readings in Hz of 0.25 to 1.75 s after the start, by method."""
    import librosa
    import parselmouth

    part = samples[int(0.25 * rate) : int(1.75 * rate)]
    low, high = near * 0.85, near * 1.18
    size = 1 << 20
    power = np.abs(np.fft.rfft(part * np.hanning(len(part)), size)) ** 2
    peaks = {}
    for n in range(1, 7):
        a, b = int(n * near * 0.97 * size / rate), int(n * near * 1.03 * size / rate)
        peaks[n] = ((a + np.argmax(power[a:b])) * rate / size, power[a:b].max())
    yin = librosa.yin(part, fmin=low, fmax=high, sr=rate, frame_length=8192)
    track = parselmouth.Sound(part, rate).to_pitch_ac(pitch_floor=low, pitch_ceiling=high)
    heard = track.selected_array["frequency"]
    n = np.array(list(peaks))
    weight = np.sqrt([p for _, p in peaks.values()]) * n
    y = np.array([f for f, _ in peaks.values()]) / n
    slope, base = np.polyfit(n * n, y, 1, w=weight)
    return {
        "first partial": peaks[1][0], "YIN": float(np.median(yin)),
        "Praat": float(np.median(heard[heard > 0])) if (heard > 0).any() else near, "partials": base + slope,
    }  # fmt: skip


def strum(rng, program=25, rate=48000, tuning=None, spread=45.0):
    """(samples, {string: cents}) of a strum of sampled notes, each shifted; cents beyond the notes' own pitch."""
    from benchmarks.sounds import STANDARD

    tuning = tuning or STANDARD
    x, truth, at = np.zeros(int(4.2 * rate)), {}, 0.3
    for s in sorted(tuning, reverse=True):
        y, truth[s] = shifted(note(tuning[s], program), rng.uniform(-spread, spread))
        k = int(at * rate)
        y = y[: len(x) - k] * rng.uniform(0.6, 1.0)
        x[k : k + len(y)] += y
        at += rng.uniform(0.005, 0.03)
    return x / np.max(np.abs(x)) * 0.7, truth
