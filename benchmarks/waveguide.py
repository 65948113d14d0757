"""A third corpus: strings as digital waveguides, which know nothing of partials, in halls, through effects and beside
voices. `python -m benchmarks.waveguide [--runs N] [--kinds a,b]`; voices are espeak-ng's, where it is installed.

A burst of noise runs round a loop of a delay, a loss (Karplus and Strong 1983; Jaffe and Smith 1983) and all-passes for
stiffness; the loop's phase at f1 is exactly one turn, so that f1 is known. A glide warps the time of it.
"""

from __future__ import annotations

import argparse
import io
import shutil
import subprocess
import tempfile
from functools import partial
from pathlib import Path

import numpy as np
import soundfile as sf
from scipy.optimize import brentq
from scipy.signal import butter, fftconvolve, lfilter, resample_poly, sosfilt

from benchmarks import strange
from benchmarks.sounds import add_noise, attack_mean

SAID = (
    "okay the second string now",
    "can you hear this one two three four",
    "we start with the slow one and then turn to the fast one",
    "no wait a moment the door is open",
    "thank you all for coming tonight",
)


def _delays(zeros, a):
    """Polynomials times those of an all-pass (a + 1/z) / (1 + a / z)."""
    return np.convolve(zeros, [a, 1.0]), np.array([1.0, a])


def loop(r, f1, rate):
    """(numerator, denominator, whole delay) of a loop that turns f1 by exactly one turn."""
    loss, stages, stiff = r.uniform(0.02, 0.3), int(r.integers(1, 3)), -r.uniform(0, 0.3) * min(1, 110 / f1)
    top, bottom = np.array([1 - loss, loss]), np.array([1.0])
    for _ in range(stages):
        top, below = _delays(top, stiff)
        bottom = np.convolve(bottom, below)
    z = np.exp(-2j * np.pi * f1 / rate)
    turned = -np.angle(np.polyval(top[::-1], z) / np.polyval(bottom[::-1], z)) * rate / (2 * np.pi * f1)
    whole = int(np.floor(rate / f1 - turned - 0.3))
    left = rate / f1 - turned - whole
    rest = brentq(
        lambda a: -np.angle((a + z) / (1 + a * z)) * rate / (2 * np.pi * f1) - left, -0.9999, 0.9999
    )
    top, below = _delays(top, rest)
    return top, np.convolve(bottom, below), whole


def string(r, f1, rate, seconds):
    """A plucked waveguide without a glide, peak 1."""
    top, bottom, whole = loop(r, f1, rate)
    lasts = r.uniform(1.0, 5.0) * (110 / f1) ** 0.3
    gain = 10 ** (-3 / (2.3 * lasts * f1))
    feedback = np.zeros(max(len(bottom), whole + len(top)))
    feedback[: len(bottom)] += bottom
    feedback[whole : whole + len(top)] -= gain * top
    period = int(rate / f1) + 1
    burst = lfilter([1], [1, -r.uniform(0.3, 0.9)], r.normal(0, 1, period) * np.hanning(period))
    pluck = np.zeros(int(seconds * rate))
    pluck[:period] = burst - np.roll(burst, int(r.uniform(0.05, 0.3) * period))
    y = lfilter(bottom, feedback, pluck)
    y -= 0.9 * np.pad(y, (int(r.uniform(0.06, 0.3) * period), 0))[: len(y)]
    return y / np.abs(y).max()


def gliding(r, f1, rate, seconds, _=0.0):
    """(samples, mean of the glide over 12 to 112 ms) of a waveguide that begins up to 12 cents sharp."""
    cents, tau = r.uniform(0, 12), r.uniform(0.03, 0.2)
    y = np.pad(string(r, f1, rate, seconds + 0.05), 16)
    t = np.arange(int(seconds * rate)) / rate
    at = (t + (2 ** (cents / 1200) - 1) * tau * (1 - np.exp(-t / tau))) * rate
    whole = np.floor(at).astype(int)
    out = np.zeros(len(t))
    for k in range(-15, 17):
        off = at - whole - k
        out += y[whole + k + 16] * np.sinc(off) * (0.5 + 0.5 * np.cos(np.pi * np.clip(off / 16.5, -1, 1)))
    return out / np.abs(out).max(), attack_mean(cents, tau)


def hall(r, sound, lasts=(0.5, 1.6), wet=(-14, -4)):
    """Noise that dies away by 60 dB in so many seconds, so many dB beside the dry sound."""
    seconds = r.uniform(*lasts)
    t = np.arange(int(1.2 * seconds * sound.rate)) / sound.rate
    room = sosfilt(
        butter(1, 4000, fs=sound.rate, output="sos"), r.normal(0, 1, len(t)) * 10 ** (-3 * t / seconds)
    )
    return strange._add(sound, fftconvolve(sound.samples, room)[: len(sound.samples)], -r.uniform(*wet))


def compressed(r, sound):
    kept, release, level = 0.0, np.exp(-1 / (r.uniform(0.1, 0.4) * sound.rate)), np.abs(sound.samples)
    for k, now in enumerate(level):
        kept = level[k] = max(now, kept * release)
    loud = np.maximum(lfilter([0.004], [1, -0.996], level), 0.02) / 0.02
    sound.samples = sound.samples * loud ** (1 / r.uniform(2, 8) - 1)
    sound.samples *= 0.4 / np.abs(sound.samples).max()
    return sound


def vorbis(_, sound):
    packed = io.BytesIO()
    sf.write(packed, np.clip(sound.samples, -1, 1), sound.rate, format="OGG", subtype="VORBIS")
    packed.seek(0)
    sound.samples = sf.read(packed)[0][: len(sound.samples)]
    return sound


def rumble(r, sound):
    low = sosfilt(
        butter(2, [1, 25], "band", fs=sound.rate, output="sos"), np.cumsum(r.normal(0, 1, len(sound.samples)))
    )
    sound.samples = sound.samples + 0.2 * low / np.abs(low).max() + 0.1
    return sound


def coarse(_, sound):
    sound.samples = np.round(sound.samples * 60) / 60
    return sound


def _said(r, rate):
    with tempfile.TemporaryDirectory() as folder:
        out, voice = Path(folder) / "a.wav", str(r.choice(["en", "en+f3", "en+m3"]))
        command = [
            "espeak-ng",
            "-v",
            voice,
            "-p",
            str(r.integers(10, 90)),
            "-w",
            str(out),
            str(r.choice(SAID)),
        ]
        subprocess.run(command, check=True, capture_output=True)
        x, made = sf.read(out)
    return resample_poly(x, rate // 50, made // 50)


def voices(r, sound, below_db, people=1):
    out = np.zeros(len(sound.samples) + 10 * sound.rate)
    for _ in range(people):
        at = int(r.uniform(0, 1) * sound.rate)
        while at < len(sound.samples):
            words = r.uniform(0.4, 1) * _said(r, sound.rate)
            out[at : at + len(words)] += words[: len(out) - at]
            at += len(words) + int(r.uniform(0.1, 1) * sound.rate)
    return strange._add(sound, out[: len(sound.samples)], below_db)


run = partial(strange.run, sound=gliding)
KINDS = {
    "waveguide": lambda r: run(r),
    "in a hall": lambda r: hall(r, run(r)),
    "in a deep hall": lambda r: hall(r, run(r), (2.0, 2.0), (-3, -3)),
    "hum in a hall": lambda r: hall(r, strange.hum(r, run(r), 50)),
    "compressed": lambda r: compressed(r, run(r)),
    "Ogg Vorbis": lambda r: vorbis(r, run(r)),
    "rumble": lambda r: rumble(r, run(r)),
    "seven bits": lambda r: coarse(r, run(r)),
    "22.05 kHz": lambda r: add_noise(r, run(r, rate=22050), 20),
    "staccato": lambda r: run(r, length=0.35),
    "picked again": lambda r: run(r, name="standard", strings=strange.AGAIN, length=r.uniform(0.6, 1.2), gap=0.0, spread=1),
    "ring-over": lambda r: run(r, overlap=1.5, gap=0.02),
    "bass": lambda r: run(r, name="bass"),
    "a voice 10 dB": lambda r: voices(r, run(r), 10),
    "a voice 0 dB": lambda r: voices(r, run(r), 0),
    "a crowd 10 dB": lambda r: voices(r, run(r), 10, 8),
}  # fmt: skip


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=8)
    options.add_argument("--kinds", type=lambda v: v.split(","), default=list(KINDS))
    chosen = options.parse_args()
    kinds = [k for k in chosen.kinds if shutil.which("espeak-ng") or k.split()[-1] != "dB"]
    strange.measure(chosen.runs, kinds, KINDS)


if __name__ == "__main__":
    main()
