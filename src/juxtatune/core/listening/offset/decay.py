"""Decay rate of partials against frequency: with inharmonicity, a string's own timbre.

What air and the string itself take from a partial hangs on its frequency and the string, hardly on the tension
(Valette 1995, from memory); where it is picked changes how loud partials are, but not how they decay.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.partials.demodulate import F, heterodyne
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Damping


class DecayParameters(NamedTuple):
    """Decay rates of partials against frequency."""

    reference_hz: float = 400.0
    pick_s: float = 0.1
    max_s: float = 2.0
    min_frames: int = 8
    min_partials: int = 3
    min_snr: float = 12.0  # in power
    min_rate_per_s: float = 0.05
    rate_sigma_ln: float = 0.25  # 1σ of ln rate of one partial: bridge and body take more from some than from others
    slope_prior: float = 0.5
    slope_prior_sigma: float = 0.5


DECAY = DecayParameters()


def damping(signal: Signal, start: float, end: float, f1: float, inharmonicity: float) -> Damping | None:
    """The damping of a pluck at f1 (Hz) that sounds from `start` to `end` (s), once the pick itself is over.

    None where too few partials are clear of noise.
    """
    start += DECAY.pick_s
    d = heterodyne(signal, start, min(end, start + DECAY.max_s), f1, inharmonicity)
    if d is None:
        return None
    power = np.abs(d.z) ** 2
    clear = np.cumprod(power > DECAY.min_snr * d.noise[:, None], axis=1).astype(bool)
    rates = [
        (hz, *_rate(d.t[c], 0.5 * np.log(p[c]), d.overlap))
        for hz, p, c in zip(d.hz, power, clear, strict=True)
        if c.sum() >= DECAY.min_frames
    ]
    good = np.array([r for r in rates if r[1] > DECAY.min_rate_per_s])
    return _line(*good.T) if len(good) >= DECAY.min_partials else None


def _rate(t: F, level: F, overlap: float) -> tuple[float, float]:
    """Decay rate of one partial and its 1σ, by a line through its level (ln of amplitude)."""
    slope, offset = np.polyfit(t, level, 1)
    left = np.std(level - slope * t - offset) * np.sqrt(overlap)
    return -float(slope), float(left / (np.std(t) * np.sqrt(len(t))))


def _line(hz: F, rate: F, sigma: F) -> Damping:
    """Level and slope through the rates of all partials, the slope held near what is usual."""
    weight = 1 / (DECAY.rate_sigma_ln**2 + (sigma / rate) ** 2)
    q = np.log(hz / DECAY.reference_hz)
    design = np.stack([np.ones(len(q)), q], axis=1)
    information = design.T @ (weight[:, None] * design) + np.diag([0.0, DECAY.slope_prior_sigma**-2])
    covariance = np.linalg.inv(information)
    level, slope = covariance @ (
        design.T @ (weight * np.log(rate)) + np.array([0.0, DECAY.slope_prior / DECAY.slope_prior_sigma**2])
    )
    return Damping(float(level), float(slope), *np.sqrt(np.diag(covariance)).tolist())
