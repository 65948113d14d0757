"""Sounds with exactly known pitch, made apart from the product's own simulator.

Additive strings: stretched partials (Fletcher 1964), pluck-position spectrum, frequency-dependent decay,
an exponential attack glide, two polarisations; then the room they are heard in.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np


@dataclass
class Truth:
    """What was played: onset, end (s), string, settled f1 (Hz), mean f1 over 12 to 112 ms in cents against it."""

    start: float
    end: float
    string: int
    f1: float
    attack_cents: float


@dataclass
class Sound:
    rate: int
    samples: np.ndarray
    plucks: list[Truth] = field(default_factory=list)
    kind: str = ""


STANDARD = {6: 40, 5: 45, 4: 50, 3: 55, 2: 59, 1: 64}
STIFF = {6: 6e-5, 5: 5e-5, 4: 4e-5, 3: 1.2e-4, 2: 6e-5, 1: 3e-5, 7: 8e-5}


def hz(pitch: float, a4: float = 440.0) -> float:
    return a4 * 2 ** ((pitch - 69) / 12)


def string_tone(rng, f1, rate, seconds, stiff, glide_cents, tau, decay=None, position=None, beat=0.0):
    """One plucked string from its onset on; peak amplitude about 1."""
    t = np.arange(int(seconds * rate)) / rate
    f0 = f1 / np.sqrt(1 + stiff)
    position = position if position is not None else rng.uniform(0.08, 0.3)
    slow = decay if decay is not None else rng.uniform(1.2, 3.5)
    glide = (2 ** (glide_cents / 1200) - 1) * tau * (1 - np.exp(-t / tau))
    out = np.zeros(len(t))
    for n in range(1, 60):
        fn = n * f0 * np.sqrt(1 + stiff * n * n)
        if fn > min(0.45 * rate, 9000):
            break
        amp = np.sin(n * np.pi * position) / n ** rng.uniform(1.0, 1.4)
        tn = slow / (1 + 0.12 * (n - 1) + 1.5e-8 * fn * fn)
        phase = rng.uniform(0, 2 * np.pi)
        body = np.exp(-t / tn * 1.0)
        wave = np.cos(2 * np.pi * fn * (t + glide) + phase)
        if beat:
            wave = 0.8 * wave + 0.2 * np.exp(-t / tn * 0.5) * np.cos(
                2 * np.pi * fn * (1 + rng.normal(0, beat) / 1200 * np.log(2)) * (t + glide)
                + rng.uniform(0, 6.28)
            )
        out += amp * body * wave
    rise = np.minimum(1, t / 0.0015)
    return out * rise / (np.max(np.abs(out)) + 1e-12)


def attack_mean(glide_cents, tau):
    """Mean of the glide over 12 to 112 ms, in cents."""
    a, b = 0.012, 0.112
    return glide_cents * tau * (np.exp(-a / tau) - np.exp(-b / tau)) / (b - a)


def pluck_run(
    rng,
    rate=48000,
    strings=None,
    length=1.6,
    gap=0.25,
    spread=45.0,
    tuning=None,
    ring=False,
    beat=0.0,
    level=0.4,
    cut=True,
):
    """A run of single plucks of a tuning, each detuned by up to `spread` cents."""
    tuning = tuning or STANDARD
    strings = strings or sorted(tuning, reverse=True)
    lead = rng.uniform(0.3, 0.7)
    step = length + gap
    total = int((lead + step * len(strings) + 0.3) * rate)
    x = np.zeros(total + int(4 * rate))
    plucks = []
    for k, s in enumerate(strings):
        cents = rng.uniform(-spread, spread)
        f1 = hz(tuning[s] + cents / 100)
        glide, tau = rng.uniform(0.5, 14), rng.uniform(0.04, 0.16)
        start = lead + k * step + rng.uniform(0, 0.05)
        sound_for = length + (1.0 if ring else 0.0)
        y = string_tone(
            rng, f1, rate, sound_for, STIFF.get(s, 5e-5) * rng.uniform(0.6, 1.5), glide, tau, beat=beat
        )
        if cut:
            damp = int(0.03 * rate)
            y[-damp:] *= np.linspace(1, 0, damp) ** 2
        at = round(start * rate)
        y = y * level * rng.uniform(0.6, 1.0)
        noise = rng.normal(0, 1, int(0.008 * rate)) * np.hanning(int(0.008 * rate)) * 0.05 * level
        x[at : at + len(y)] += y
        x[at : at + len(noise)] += noise
        plucks.append(Truth(at / rate, at / rate + sound_for, s, f1, attack_mean(glide, tau)))
    return Sound(rate, x[:total], plucks)


def add_noise(rng, sound, snr_db):
    """White noise over the whole band, relative to the mean power while strings sound."""
    power = np.mean(sound.samples**2)
    sound.samples = sound.samples + rng.normal(0, np.sqrt(power / 10 ** (snr_db / 10)), len(sound.samples))
    return sound


def add_hum(rng, sound, base, level):
    t = np.arange(len(sound.samples)) / sound.rate
    f = base + rng.uniform(-0.05, 0.05)
    hum = sum(
        a * np.sin(2 * np.pi * f * n * t + rng.uniform(0, 6.28))
        for n, a in ((1, 1), (2, 0.5), (3, 0.6), (4, 0.2), (5, 0.3), (7, 0.15))
    )
    sound.samples = sound.samples + level * hum
    return sound


def drums(rng, rate, seconds, level=0.3):
    """Kick, snare and hat with no pitch of a string in them."""
    x = np.zeros(int(seconds * rate) + rate)
    beat = 60 / rng.uniform(90, 150)
    k, t = 0, 0.1
    while t < seconds:
        at = int(t * rate)
        if k % 4 == 0:
            u = np.arange(int(0.25 * rate)) / rate
            hit = np.sin(2 * np.pi * (50 * u + 60 * 0.03 * (1 - np.exp(-u / 0.03)))) * np.exp(-u / 0.07)
        elif k % 4 == 2:
            u = np.arange(int(0.2 * rate)) / rate
            hit = rng.normal(0, 0.5, len(u)) * np.exp(-u / 0.05) + 0.4 * np.sin(2 * np.pi * 185 * u) * np.exp(
                -u / 0.06
            )
        else:
            u = np.arange(int(0.08 * rate)) / rate
            hit = np.diff(rng.normal(0, 0.3, len(u) + 1)) * np.exp(-u / 0.02)
        x[at : at + len(hit)] += hit * level * rng.uniform(0.7, 1)
        k, t = k + 1, t + beat / 2
    return x[: int(seconds * rate)]


def laptop(rng, sound):
    """A small microphone in a room: the fundamental lost, early reflections, 10 dB noise."""
    from scipy.signal import butter, fftconvolve, sosfilt

    rate = sound.rate
    x = sosfilt(butter(2, 180, "high", fs=rate, output="sos"), sound.samples)
    room = np.zeros(int(0.25 * rate))
    room[0] = 1
    for _ in range(60):
        d = rng.uniform(0.002, 0.24)
        room[int(d * rate)] += rng.normal(0, 0.25) * np.exp(-d / 0.08)
    sound.samples = fftconvolve(x, room)[: len(x)]
    return add_noise(rng, sound, 10)
