"""Timbre features that tell one string from another at the same pitch: inharmonicity and damping, with their spread.

B f1² is a string's own at any tension (B = π³ E d⁴ / 64 T L², Fletcher 1964, and T goes with f1²), and so is its damping.
How much strings differ in damping, and plucks of one string, is learnt from the sound, about what is usual.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.types import Reading


class TimbreParameters(NamedTuple):
    """Timbre features of strings."""

    prior_count: float = 3.0  # plucks and strings that the usual spreads count as
    min_sigma: float = 0.01  # 1σ
    damping_features: tuple[int, int] = (1, 2)  # which traits are of the damping
    damping_pitch_spread_st: float = 8.0  # how closely the damping may follow the pitch, as a ratio of spreads
    max_misfit: float = 8.0


TIMBRE = TimbreParameters()


class Trait(NamedTuple):
    """Mean and variance of one timbre feature of a string."""

    mean: float
    variance: float


Traits = tuple[Trait | None, ...]


@dataclass(frozen=True)
class Spread:
    """1σ of the features ln B f1², level and slope of the damping: between strings, and between plucks of one string."""

    strings: tuple[float, ...]
    plucks: tuple[float, ...]


USUAL = Spread((0.5, 0.35, 0.3), (0.15, 0.25, 0.15))  # as measured on sampled guitars
BY_STIFFNESS = Spread(USUAL.strings, (0.15, 1e3, 1e3))


def timbre_of(r: Reading) -> Traits:
    """The features of a pluck with their measurement variance; None where they cannot be measured."""
    heard: list[Trait | None] = [None, None, None]
    if r.f1 is not None and r.inharmonicity is not None and r.inharmonicity > 1e-6 and r.inharmonicity_sigma is not None:
        heard[0] = Trait(float(np.log(r.inharmonicity * r.f1**2)), (r.inharmonicity_sigma / r.inharmonicity) ** 2)
    if r.damping is not None:
        heard[1] = Trait(r.damping.level, r.damping.level_sigma**2)
        heard[2] = Trait(r.damping.slope, r.damping.slope_sigma**2)
    return tuple(heard)


def without_course(pitches: list[float], heard: list[Traits]) -> list[Traits]:
    """The features with the dependence of damping on pitch removed: higher strings of a guitar ring otherwise."""
    out = [list(t) for t in heard]
    for k in TIMBRE.damping_features:
        rows = [(p, t[k]) for p, t in zip(pitches, heard, strict=True)]
        known = np.array([(p, t.mean) for p, t in rows if t is not None])
        if len(known) < 3:
            continue
        middle = known[:, 0].mean()
        off = known - known.mean(axis=0)
        course = float(np.sum(off[:, 0] * off[:, 1]) / (np.sum(off[:, 0] ** 2) + TIMBRE.damping_pitch_spread_st**2))
        for each, (p, t) in zip(out, rows, strict=True):
            each[k] = Trait(t.mean - course * (p - middle), t.variance) if t is not None else None
    return [tuple(t) for t in out]


def learn_spread(heard: list[Traits], strings: tuple[int, ...]) -> Spread:
    """The spread of damping in this recording, from a first assignment of strings."""
    between, within = list(USUAL.strings), list(USUAL.plucks)
    for k in TIMBRE.damping_features:
        known = [(s, t[k]) for t, s in zip(heard, strings, strict=True)]
        each = [
            np.array([t.mean for s, t in known if t is not None and s == string])
            for string in {s for s, t in known if t is not None}
        ]
        if not each:
            continue
        plucks, freed = sum(len(v) for v in each), len(each) - 1
        off = sum(float(np.sum((v - v.mean()) ** 2)) for v in each)
        within[k] = float(np.sqrt((TIMBRE.prior_count * within[k] ** 2 + off) / (TIMBRE.prior_count + plucks - len(each))))
        means = np.array([v.mean() for v in each])
        # a mean of few plucks strays by itself
        strays = freed * float(np.mean([1 / len(v) for v in each])) * within[k] ** 2
        off = float(np.sum((means - means.mean()) ** 2)) - strays
        variance = (TIMBRE.prior_count * between[k] ** 2 + off) / (TIMBRE.prior_count + freed)
        between[k] = float(np.sqrt(max(variance, TIMBRE.min_sigma**2)))
    return Spread(tuple(between), tuple(within))


def compared(known: Trait, heard: Trait | None, differ: float) -> tuple[float, Trait]:
    """Negative log odds of a measured feature given the string's, and the updated feature (Kalman update)."""
    if heard is None:
        return 0.0, known
    total = known.variance + heard.variance + differ**2
    off, gain = heard.mean - known.mean, known.variance / total
    cost = min(0.5 * off**2 / total, TIMBRE.max_misfit) + 0.5 * float(np.log(total))
    return cost, Trait(known.mean + gain * off, (1 - gain) * known.variance)
