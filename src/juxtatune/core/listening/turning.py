"""When a string is turned while it rings: its partials leave together where they were, and do not come back."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.confirm import Candidate
from juxtatune.core.listening.glides import CENTS
from juxtatune.core.listening.moving import moving_median
from juxtatune.core.listening.partials import USUAL_STRETCH, Demodulated, F, demodulated
from juxtatune.core.listening.source import Samples

PARTIALS, LEAST = 6, 3  # looked at, and enough
TOGETHER = 0.35  # of how far they have gone, that partials may lie apart
FROM_S, LOOK_S, FRAMES = 0.04, 4.0, 600  # after the onset
SMOOTH, SLOPE_S = 5, 0.12  # frames, and what a slope is taken of
# cents a second beyond a glide's, and for how long; from which part of it a hand begins; no glide rises so fast
FAST, STAYS_S, BEGINS, RISING = 20.0, 0.1, 0.4, 60.0
WITHIN_S, LEFT = 0.5, 8.0  # how far it goes in that time at the least, cents

# around an onset: so long on either side, in periods too, and so many frames; cents that are moved in that time
AROUND_S, PERIODS, AT_LEAST, LEAVING = 0.12, 10.0, 4, 3.0
AT_ONCE_S, LEAP = 0.02, 20.0  # at an onset, and cents
FALLEN, RISEN, AT_ONCE = 0.4, 1.1, 0.5  # in power: what is turned just rings on, from frame to frame too
STRING_SCORE = 0.6  # a drum's pitch falls too


def turned_at(x: Samples, rate: float, onset: float, end: float, f1: float, stretch: float) -> float | None:
    """When (s) a string plucked at `onset` begins to be turned, of what sounds until `end`; None where it is not.

    A glide falls and slows down as it goes on: what rises, or falls faster than before, is a hand's.
    """
    d = demodulated(x, rate, onset + FROM_S, min(end, onset + LOOK_S), f1, stretch, FRAMES, PARTIALS)
    if d is None or len(d.n) < LEAST:
        return None
    step = d.t[1] - d.t[0]
    width, stays, within = (max(3, round(s / step)) for s in (SLOPE_S, STAYS_S, WITHIN_S))
    cents, apart = _course(d)
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
            return float(d.t[at])
    return None


def turned_across(x: Samples, rate: float, c: Candidate) -> bool:
    """Whether what seems to begin at an onset rang before and is but turned: its partials move on together."""
    if c.tone.score < STRING_SCORE:
        return False
    onset, around = c.onset, max(AROUND_S, PERIODS / c.tone.f1)
    stretch = c.tone.stretch or USUAL_STRETCH
    d = demodulated(x, rate, max(onset - around, 0), onset + around, c.tone.f1, stretch, partials=PARTIALS)
    if d is None or len(d.n) < LEAST:
        return False
    t = (d.t[1:] + d.t[:-1]) / 2 - onset
    before, after = t < 0, t > 0
    if min(before.sum(), after.sum()) < AT_LEAST or not _rings_on((np.abs(d.z) ** 2).sum(axis=0), before):
        return False
    cents, apart = _course(d, 1)
    (rose, until), (rises, since) = _line(t[before], cents[before]), _line(t[after], cents[after])
    moved = around * abs(rose + rises)
    # a string picked anew leaps, each partial by itself
    leap = np.abs(cents - np.where(before, until + rose * t, since + rises * t)) + apart
    return bool(
        moved > LEAVING
        and abs(since - until) < TOGETHER * moved
        and leap[np.abs(t) < AT_ONCE_S].max() < max(TOGETHER * moved, LEAP)
    )


def _rings_on(power: F, before: NDArray[np.bool_]) -> bool:
    """Whether what is heard (M,) goes on after the frames `before` (M - 1,) no louder, and falls at no moment."""
    was, then = power[:-1][before].mean(), power[1:][~before].mean()
    return bool(FALLEN * was < then < RISEN * was and np.all(power[1:] > AT_ONCE * power[:-1]))


def _line(t: F, cents: F) -> tuple[float, float]:
    """Slope and height at 0 of the line most lie on (Theil 1950, Sen 1968)."""
    i, j = np.triu_indices(len(t), 1)
    slope = float(np.median((cents[j] - cents[i]) / (t[j] - t[i])))
    return slope, float(np.median(cents - slope * t))


def _course(d: Demodulated, smooth: int = SMOOTH) -> tuple[F, F]:
    """Where its partials lie from where they were expected, and how far apart, between every two frames (cents)."""
    turns = np.angle(d.z[:, 1:] * np.conj(d.z[:, :-1])) / (2 * np.pi)
    cents = CENTS * turns / np.diff(d.t) / d.hz[:, None]
    cents = np.array([moving_median(partial, smooth) for partial in cents])
    power = np.minimum(np.abs(d.z[:, 1:]), np.abs(d.z[:, :-1])) ** 2
    heard = np.maximum(power - d.noise[:, None], 0) * d.hz[:, None] ** 2 + 1e-30
    together = _middle(cents, heard)
    return together, _middle(np.abs(cents - together), heard)


def _middle(values: F, weights: F) -> F:
    """The weighted median of each column: (P, M) -> (M,)."""
    order = np.argsort(values, axis=0)
    below = np.cumsum(np.take_along_axis(weights, order, axis=0), axis=0)
    row = np.argmax(below >= 0.5 * below[-1], axis=0)
    return np.asarray(np.take_along_axis(values, order, axis=0)[row, np.arange(values.shape[1])])
