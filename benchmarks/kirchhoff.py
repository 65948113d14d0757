"""A fourth corpus: strings whose tension rises with what all their partials hold, by the equation of motion itself.
`python -m benchmarks.kirchhoff [--runs N] [--kinds a,b]`.

Kirchhoff's and Carrier's string (Carrier 1945; Gough 1984; Legge and Fletcher 1984, from memory) as modes in two planes
under one tension: q'' + 2 q'/τ + ω² (1 + c Σ k² q²) q = 0. What is linear of a step is exact, the tension comes as a
push before and after it. No glide is put in: the string makes its own, and f1 is where that ends.
"""

from __future__ import annotations

import argparse
from functools import partial

import numba as nb
import numpy as np
from scipy.signal import butter, istft, resample_poly, sosfilt, stft

from benchmarks import strange
from benchmarks.sounds import add_noise

MODES, HIGHEST_HZ = 60, 9000.0


@nb.njit(cache=True, fastmath=True)
def moved(q, v, omega, fall, square, strength, steps, step, pickup):
    """What a pickup hears (steps,) of modes (2, N) that start at q, v and the tension Σ k² q² then (steps,)."""
    heard, tension = np.empty(steps), np.empty(steps)
    turn, side, less = np.cos(omega * step), np.sin(omega * step), np.exp(-fall * step)
    pull = strength * (square * q**2).sum()
    for i in range(steps):
        for plane in range(2):
            for n in range(len(square)):
                push = 0.5 * step * pull * square[n]
                was = q[plane, n]
                way = (v[plane, n] - push * was + fall[plane, n] * was) / omega[plane, n]
                now = less[plane, n] * (was * turn[plane, n] + way * side[plane, n])
                way = less[plane, n] * (way * turn[plane, n] - was * side[plane, n])
                q[plane, n], v[plane, n] = now, way * omega[plane, n] - fall[plane, n] * now
        tension[i] = (square * q**2).sum()
        pull = strength * tension[i]
        heard[i] = (pickup * q).sum()
        for plane in range(2):
            for n in range(len(square)):
                v[plane, n] -= 0.5 * step * pull * square[n] * q[plane, n]
    return heard, tension


def string(r, f1, rate, seconds, _=0.0, sharp=(0.0, 15.0), planes=True):
    """(samples, how far sharp it is from 12 to 112 ms) of a pluck that begins about so many cents sharp, peak 1."""
    n = np.arange(1, int(np.clip(HIGHEST_HZ / f1, 3, MODES)) + 1)
    stiff = 10 ** r.uniform(-5, -3.8) * (f1 / 110) ** 0.6
    hz = n * f1 * np.sqrt((1 + stiff * n * n) / (1 + stiff))
    lasts = r.uniform(0.8, 4) * (110 / f1) ** 0.3 / (1 + 0.2 * (n - 1) ** 0.8 + (hz / 4000) ** 2)
    fall = 1 / np.stack([lasts, r.uniform(1, 2) * lasts])
    pulled = np.sin(np.pi * n * r.uniform(0.05, 0.4)) / n**2 * np.exp(-3 * (n * r.uniform(0.002, 0.02)) ** 2)
    angle = r.uniform(0, 1.4) if planes else 0.0
    q = np.stack([pulled * np.cos(angle), pulled * np.sin(angle)])
    square = (n * n).astype(float)
    strength = (
        (2 ** (r.uniform(*sharp) / 600) - 1) * (2 * np.pi * f1) ** 2 / (0.6 * (square * pulled**2).sum())
    )
    # one pickup under the string, or the bridge that bears it
    pickup = np.stack([n * 1.0, n * 0.5])
    if r.uniform() < 0.5:
        pickup = np.stack([a * n * np.sin(np.pi * n * r.uniform(0.06, 0.3)) for a in (1.0, 0.3)])
    omega = np.stack([2 * np.pi * hz] * 2)
    steps = int(seconds * 2 * rate)
    heard, tension = moved(q, np.zeros_like(q), omega, fall, square, strength, steps, 0.5 / rate, pickup)
    late = slice(int(0.012 * 2 * rate), int(0.112 * 2 * rate))
    attack = 600 * np.log2(1 + strength * tension[late].mean() / (2 * np.pi * f1) ** 2)
    out = sosfilt(butter(1, 20, "highpass", fs=rate, output="sos"), resample_poly(heard, 1, 2))
    begun = np.minimum(1, np.arange(len(out)) / rate / r.uniform(0.0005, 0.002))
    return out / np.abs(out).max() * begun, attack


def run(r, sharp=(0.0, 15.0), planes=True, **how):
    return strange.run(r, sound=partial(string, sharp=sharp, planes=planes), **how)


def suppressed(r, sound):
    """Through a telephone's suppressor of noise, that closes bands in which little sounds."""
    sound = add_noise(r, sound, r.uniform(5, 20))
    _, _, bands = stft(sound.samples, sound.rate, nperseg=1024, noverlap=512)
    power = np.abs(bands) ** 2
    floor = 1.6 * np.percentile(power, 20, axis=1, keepdims=True)
    gain = np.maximum(1 - 2 * floor / np.maximum(power, 1e-12), 0.02)
    for k in range(1, gain.shape[1]):
        gain[:, k] = np.maximum(gain[:, k], 0.5 * gain[:, k - 1])
    _, out = istft(bands * np.sqrt(gain), sound.rate, nperseg=1024, noverlap=512)
    sound.samples = out[: len(sound.samples)]
    return sound


def crackling(r, sound):
    """Over a bad cable: three clicks a second."""
    for k in r.integers(0, len(sound.samples) - 3, int(3 * len(sound.samples) / sound.rate)):
        sound.samples[k : k + 3] += r.normal(0, 0.5, 3)
    return sound


def lossy(r, sound):
    """With up to 10 ms of silence every two seconds, as where blocks are lost."""
    for k in r.integers(0, len(sound.samples) - 500, len(sound.samples) // (2 * sound.rate)):
        sound.samples[k : k + r.integers(20, 480)] = 0
    return sound


KINDS = {
    "one plane": lambda r: run(r, planes=False),
    "two planes": lambda r: run(r),
    "hard picked": lambda r: run(r, sharp=(10, 25)),
    "noise 10 dB": lambda r: add_noise(r, run(r), 10),
    "noise 0 dB": lambda r: add_noise(r, run(r), 0),
    "cut": lambda r: run(r, length=0.5),
    "staccato": lambda r: run(r, length=0.35),
    "ring-over": lambda r: run(r, overlap=1.5, gap=0.02),
    "picked again": lambda r: run(
        r, name="standard", strings=strange.AGAIN, length=r.uniform(0.6, 1.2), gap=0.0, spread=1
    ),
    "bass": lambda r: run(r, name="five-string bass"),
    "suppressor": lambda r: suppressed(r, run(r)),
    "crackle": lambda r: crackling(r, run(r)),
    "lost blocks": lambda r: lossy(r, run(r)),
}


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=6)
    options.add_argument("--kinds", type=lambda v: v.split(","), default=list(KINDS))
    chosen = options.parse_args()
    strange.measure(chosen.runs, chosen.kinds, KINDS)


if __name__ == "__main__":
    main()
