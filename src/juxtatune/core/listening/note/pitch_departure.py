"""Pitch departure: when a ringing string is turned or disturbed, its partials leave their pitch together."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.rolling import moving_median
from juxtatune.core.listening.partials.demodulate import F, heterodyne
from juxtatune.core.listening.partials.paths import common_path, partial_paths
from juxtatune.core.listening.source import Samples

PARTIALS, LEAST = 6, 3  # looked at, and enough
TOGETHER = 0.35  # of how far they have gone, that partials may lie apart
FROM_S, LOOK_S, FRAMES = 0.04, 4.0, 600  # after the onset
SMOOTH, SLOPE_S = 5, 0.12  # frames, and what a slope is taken of
# cents a second beyond a glide's, and for how long; from which part of it a hand begins; no glide rises so fast
FAST, STAYS_S, BEGINS, RISING = 20.0, 0.1, 0.4, 60.0
WITHIN_S, LEFT, STAYED = 0.5, 8.0, 4.0  # how far it goes in that time at the least, and stays, cents


class Departure(NamedTuple):
    """When a string left its pitch (s), and whether several of its partials did so together."""

    at: float
    turned: bool


def pitch_departure(x: Samples, rate: float, onset: float, end: float, f1: float, inharmonicity: float) -> Departure | None:
    """When a string plucked at `onset` (s) leaves its pitch, of what sounds until `end`; None where it does not.

    A glide falls and slows down as it goes on: what rises, or falls faster than before, is a hand's or another sound's.
    """
    d = heterodyne(x, rate, onset + FROM_S, min(end, onset + LOOK_S), f1, inharmonicity, FRAMES, PARTIALS)
    if d is None or len(d.n) < LEAST:
        return None
    step = d.t[1] - d.t[0]
    width, stays, within = (max(3, round(s / step)) for s in (SLOPE_S, STAYS_S, WITHIN_S))
    partials = np.array([moving_median(partial, SMOOTH) for partial in partial_paths(d)])
    cents, apart = common_path(d, partials)
    if len(cents) < width + stays:
        return None
    along = np.arange(width) - (width - 1) / 2
    slope = np.correlate(cents, along / (step * (along**2).sum()), "valid")
    slowest = np.minimum.accumulate(np.abs(slope))
    beyond = np.abs(slope) - np.where(slope > 0, np.minimum(slowest, RISING), slowest)
    fast = np.convolve(beyond > FAST, np.ones(stays), "valid") >= stays
    for first in np.flatnonzero(fast):
        rests = np.flatnonzero(beyond[:first] < BEGINS * FAST)
        at = int(rests[-1]) + width // 2 if len(rests) else 0
        gone = float(np.max(np.abs(cents[at : at + within] - cents[at])))
        if gone > LEFT and np.median(apart[at : at + within]) < TOGETHER * gone:
            return Departure(float(d.t[at]), _several_go(partials, at, width, within))
    return None


def _several_go(partials: F, at: int, width: int, within: int) -> bool:
    """Whether several partials (P, M) moved equally far: a single one may be disturbed by another string."""
    before, then = partials[:, max(at - width, 0) : at + width // 2], partials[:, at : at + within]
    moved = np.median(then[:, then.shape[1] // 2 :], axis=1) - np.median(before, axis=1)
    gone = float(np.median(moved))
    return bool(abs(gone) > STAYED and np.sum(np.abs(moved - gone) < TOGETHER * abs(gone)) >= LEAST)
