"""Decay rate of partials against frequency: with inharmonicity, a string's own timbre.

What air and the string itself take from a partial hangs on its frequency and the string, hardly on the tension
(Valette 1995, from memory); where it is picked changes how loud partials are, but not how they decay.
"""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.partials.demodulate import F, heterodyne
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.types import Damping

AT_HZ = 400.0
PICK_S, LONGEST_S = 0.1, 2.0
LEAST_FRAMES, LEAST_PARTIALS = 8, 3
CLEAR = 12.0  # times the noise, in power
LEAST_RATE = 0.05  # 1/s
UNEVEN = 0.25  # 1σ of ln rate of one partial: bridge and body take more from some than from others
USUAL_SLOPE, SLOPES_DIFFER = 0.5, 0.5


def damping(x: Samples, rate: float, start: float, end: float, f1: float, inharmonicity: float) -> Damping | None:
    """The damping of a pluck at f1 (Hz) that sounds from `start` to `end` (s), once the pick itself is over.

    None where too few partials are clear of noise.
    """
    start += PICK_S
    d = heterodyne(x, rate, start, min(end, start + LONGEST_S), f1, inharmonicity)
    if d is None:
        return None
    power = np.abs(d.z) ** 2
    clear = np.cumprod(power > CLEAR * d.noise[:, None], axis=1).astype(bool)
    rates = [
        (hz, *_rate(d.t[c], 0.5 * np.log(p[c]), d.overlap))
        for hz, p, c in zip(d.hz, power, clear, strict=True)
        if c.sum() >= LEAST_FRAMES
    ]
    good = np.array([r for r in rates if r[1] > LEAST_RATE])
    return _line(*good.T) if len(good) >= LEAST_PARTIALS else None


def _rate(t: F, level: F, overlap: float) -> tuple[float, float]:
    """Decay rate of one partial and its 1σ, by a line through its level (ln of amplitude)."""
    slope, offset = np.polyfit(t, level, 1)
    left = np.std(level - slope * t - offset) * np.sqrt(overlap)
    return -float(slope), float(left / (np.std(t) * np.sqrt(len(t))))


def _line(hz: F, rate: F, sigma: F) -> Damping:
    """Level and slope through the rates of all partials, the slope held near what is usual."""
    weight = 1 / (UNEVEN**2 + (sigma / rate) ** 2)
    q = np.log(hz / AT_HZ)
    design = np.stack([np.ones(len(q)), q], axis=1)
    information = design.T @ (weight[:, None] * design) + np.diag([0.0, SLOPES_DIFFER**-2])
    covariance = np.linalg.inv(information)
    level, slope = covariance @ (
        design.T @ (weight * np.log(rate)) + np.array([0.0, USUAL_SLOPE / SLOPES_DIFFER**2])
    )
    return Damping(float(level), float(slope), *np.sqrt(np.diag(covariance)).tolist())
