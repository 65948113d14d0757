"""Pitch departure: when a ringing string is turned or disturbed, its partials leave their pitch together."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.statistics import moving_median
from juxtatune.core.listening.partials.demodulate import F, common_path, heterodyne, partial_paths
from juxtatune.core.listening.source import Signal


class DepartureParameters(NamedTuple):
    """When a ringing string leaves its pitch."""

    partials: int = 6  # looked at
    min_partials: int = 3
    max_spread_share: float = 0.35  # of how far they have gone, that partials may lie apart
    from_s: float = 0.04  # after the onset
    look_s: float = 4.0
    max_frames: int = 600
    smoothing_frames: int = 5
    slope_s: float = 0.12  # that a slope is taken over
    # cents a second beyond a glide's, and for how long; from which part of it a hand begins; no glide rises so fast
    fast_cents_per_s: float = 20.0
    fast_for_s: float = 0.1
    begin_share: float = 0.4
    max_glide_rise_cents_per_s: float = 60.0
    within_s: float = 0.5  # it must go so far
    min_departure_cents: float = 8.0
    min_stay_cents: float = 4.0  # and stay so far off


DEPARTURE = DepartureParameters()


class Departure(NamedTuple):
    """When a string left its pitch (s), and whether several of its partials did so together."""

    at: float
    turned: bool


def pitch_departure(signal: Signal, onset: float, end: float, f1: float, inharmonicity: float) -> Departure | None:
    """When a string plucked at `onset` (s) leaves its pitch, of what sounds until `end`; None where it does not.

    A glide falls and slows down as it goes on: what rises, or falls faster than before, is a hand's or another sound's.
    """
    start, until = onset + DEPARTURE.from_s, min(end, onset + DEPARTURE.look_s)
    d = heterodyne(signal, start, until, f1, inharmonicity, DEPARTURE.max_frames, DEPARTURE.partials)
    if d is None or len(d.n) < DEPARTURE.min_partials:
        return None
    step = d.t[1] - d.t[0]
    width, stays, within = (max(3, round(s / step)) for s in (DEPARTURE.slope_s, DEPARTURE.fast_for_s, DEPARTURE.within_s))
    partials = np.array([moving_median(partial, DEPARTURE.smoothing_frames) for partial in partial_paths(d)])
    cents, apart = common_path(d, partials)
    if len(cents) < width + stays:
        return None
    along = np.arange(width) - (width - 1) / 2
    slope = np.correlate(cents, along / (step * (along**2).sum()), "valid")
    slowest = np.minimum.accumulate(np.abs(slope))
    beyond = np.abs(slope) - np.where(slope > 0, np.minimum(slowest, DEPARTURE.max_glide_rise_cents_per_s), slowest)
    fast = np.convolve(beyond > DEPARTURE.fast_cents_per_s, np.ones(stays), "valid") >= stays
    for first in np.flatnonzero(fast):
        rests = np.flatnonzero(beyond[:first] < DEPARTURE.begin_share * DEPARTURE.fast_cents_per_s)
        at = int(rests[-1]) + width // 2 if len(rests) else 0
        gone = float(np.max(np.abs(cents[at : at + within] - cents[at])))
        if gone > DEPARTURE.min_departure_cents and np.median(apart[at : at + within]) < DEPARTURE.max_spread_share * gone:
            return Departure(float(d.t[at]), _several_go(partials, at, width, within))
    return None


def _several_go(partials: F, at: int, width: int, within: int) -> bool:
    """Whether several partials (P, M) moved equally far: a single one may be disturbed by another string."""
    before, then = partials[:, max(at - width, 0) : at + width // 2], partials[:, at : at + within]
    moved = np.median(then[:, then.shape[1] // 2 :], axis=1) - np.median(before, axis=1)
    gone = float(np.median(moved))
    alike = np.sum(np.abs(moved - gone) < DEPARTURE.max_spread_share * abs(gone))
    return bool(abs(gone) > DEPARTURE.min_stay_cents and alike >= DEPARTURE.min_partials)
