"""Plucked strings as sound: stretched partials that decay, glide and beat, made block by block.

Every partial keeps its phase between blocks, so that a string can be turned while it sounds. Attack glide:
pitch falls as the square of the amplitude decays (tension modulation, Legge and Fletcher 1984).
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

F = NDArray[np.float64]
PARTIALS = 24


@dataclass
class Voice:
    """One sounding string. `phase`, `amplitude` and `decay` are per partial; `age` in s since the pluck."""

    stretch: float
    glide_cents: float
    glide_tau: float
    amplitude: F
    decay: F
    phase: F
    age: float = 0.0
    noise: F = field(default_factory=lambda: np.zeros(0))


def pluck(rng: np.random.Generator, hz: float, stretch: float, rate: int, strength: float = 0.35) -> Voice:
    """A fresh pluck: position, decay and glide vary a little from pluck to pluck."""
    n = np.arange(1, PARTIALS + 1)
    position = rng.uniform(0.12, 0.22)
    amplitude = np.abs(np.sin(n * np.pi * position)) / n**1.4
    amplitude *= strength / amplitude.sum() * rng.uniform(0.85, 1.0) * 2.0
    fn = n * hz * np.sqrt(1 + stretch * n * n)
    amplitude[fn > 0.45 * rate] = 0.0
    decay = 0.35 * (1 + (hz / 220) ** 0.6) * (1 + 0.12 * (n - 1)) + 1.2e-8 * fn**2
    burst = rng.normal(0, 1, int(0.007 * rate)) * np.hanning(int(0.007 * rate)) * strength * 0.04
    return Voice(
        stretch, rng.uniform(3, 9), rng.uniform(0.06, 0.12), amplitude, decay,
        rng.uniform(0, 2 * np.pi, PARTIALS), 0.0, burst,
    )  # fmt: skip


def render(voice: Voice, cents: F, base_hz: float, rate: int) -> F:
    """The next block of a voice; `cents` (k,) is the string's pitch against base_hz at every sample."""
    count = len(cents)
    t = voice.age + np.arange(count) / rate
    glide = voice.glide_cents * np.exp(-t / voice.glide_tau)
    f1 = base_hz * np.exp2((cents + glide) / 1200)
    n = np.arange(1, PARTIALS + 1)
    audible = voice.amplitude * np.exp(-voice.decay * voice.age) > 1e-6
    ratio = (n * np.sqrt((1 + voice.stretch * n * n) / (1 + voice.stretch)))[audible]
    turned = 2 * np.pi * np.cumsum(f1) / rate
    phase = voice.phase[audible, None] + ratio[:, None] * turned[None, :]
    level = voice.amplitude[audible, None] * np.exp(-voice.decay[audible, None] * t[None, :])
    out = (level * np.sin(phase)).sum(axis=0) * np.minimum(1.0, t / 0.001)
    voice.phase[audible] = phase[:, -1] % (2 * np.pi) if count else voice.phase[audible]
    voice.age += count / rate
    used = min(count, len(voice.noise))
    out[:used] += voice.noise[:used]
    voice.noise = voice.noise[used:]
    return out


def is_spent(voice: Voice) -> bool:
    """True once a voice can no longer be heard."""
    return bool(np.max(voice.amplitude * np.exp(-voice.decay * voice.age)) < 2e-5)
