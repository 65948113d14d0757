"""Rejects onsets that are a ringing string modulated: turned, in vibrato or in tremolo, its partials move together."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.rolling import medians, moving_median
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY, F, Heterodyned, heterodyne
from juxtatune.core.listening.partials.paths import common_path, partial_paths
from juxtatune.core.listening.source import Samples

STRING_SCORE = 0.6  # a drum's pitch falls too
LEAST_SCORE = 0.48  # what is less like a string is another sound beside one
PARTIALS, LEAST = 6, 3  # looked at, and enough
AROUND_S, PERIODS, AT_LEAST = 0.12, 10.0, 4  # on either side of an onset, in periods too; and in frames
NEAR_S, STEPS = 0.06, (0.4, 2.5)  # about an onset; and in power, from frame to frame
LOUD, ALIKE = 0.001, 4.0  # of the loudest partial's power; and how much more one may rise than another
SMOOTH = 5  # frames
STILL = 4.0  # cents that partials leap by and lie apart
# what is turned: how far it moves at the least (cents), apart (of that) and leaps at once; and its power
LEAVING, APART, AT_ONCE_S, LEAP = 3.0, 0.35, 0.02, 20.0
FALLEN, RISEN, AT_ONCE = 0.4, 1.1, 0.5


def is_modulated_continuation(x: Samples, rate: float, c: Candidate) -> bool:
    """Whether the tone at an onset sounded before it and is only turned or modulated: its partials move on together."""
    if c.tone.score < LEAST_SCORE:
        return False
    onset, around = c.onset, max(AROUND_S, PERIODS / c.tone.f1)
    inharmonicity = c.tone.inharmonicity or USUAL_INHARMONICITY
    d = heterodyne(x, rate, max(onset - around, 0), onset + around, c.tone.f1, inharmonicity, partials=PARTIALS)
    if d is None:
        return False
    d, t = _loud(d, onset), (d.t[1:] + d.t[:-1]) / 2 - onset
    if min((t < 0).sum(), (t > 0).sum()) < AT_LEAST or len(d.n) < LEAST or not _goes_on(d, t):
        return False
    # a string picked anew leaps, each partial by itself
    partials = partial_paths(d)
    middle, apart = common_path(d, partials)
    if _waves(t, partials, middle) or _several_still(t, partials):
        return True
    bend = _bend(t, middle, AT_ONCE_S, apart)
    moved = around * bend.turned
    return (
        c.tone.score > STRING_SCORE
        and _falls(d, t < 0)
        and moved > LEAVING
        and bend.gap < APART * moved
        and bend.leap < max(APART * moved, LEAP)
    )


def _loud(d: Heterodyned, onset: float) -> Heterodyned:
    """The partials audible after an onset (s)."""
    power = (np.abs(d.z[:, d.t > onset]) ** 2).sum(axis=1)
    loud = power > LOUD * power.max(initial=0.0)
    return replace(d, z=d.z[loud], noise=d.noise[loud], n=d.n[loud], hz=d.hz[loud])


def _goes_on(d: Heterodyned, t: F) -> bool:
    """Whether the level (P, M) of the partials continues across 0 of the times `t` (M - 1,) without a step, all alike; when
    a string joins, some partials are new."""
    power, before = np.abs(d.z) ** 2 + 1e-30, t < 0
    steps = (power[:, 1:].sum(axis=0) / power[:, :-1].sum(axis=0))[np.abs(t) < NEAR_S]
    rise = power[:, 1:][:, ~before].mean(axis=1) / power[:, :-1][:, before].mean(axis=1)
    return bool(steps.min() > STEPS[0] and steps.max() < STEPS[1] and rise.max() < ALIKE * rise.min())


def _waves(t: F, partials: F, middle: F) -> bool:
    """Whether the frequencies of partials (P, M) continue together and smoothly across 0, as under vibrato or tremolo."""
    near = np.abs(t) < NEAR_S
    leap = np.abs(middle - moving_median(middle, SMOOTH)) + np.median(np.abs(partials - middle), axis=0)
    return bool(leap[near].max() < STILL)


def _several_still(t: F, partials: F) -> bool:
    """Whether at least three partials (P, M) each continue along a line, whatever other strings do to the rest."""
    bends = [_bend(t, cents, NEAR_S) for cents in partials]
    return sum(bend.leap + bend.gap < STILL for bend in bends) >= LEAST


def _falls(d: Heterodyned, before: NDArray[np.bool_]) -> bool:
    """Whether the level does not rise across the onset and nowhere drops."""
    power = (np.abs(d.z) ** 2).sum(axis=0)
    was, then = power[:-1][before].mean(), power[1:][~before].mean()
    return bool(FALLEN * was < then < RISEN * was and np.all(power[1:] > AT_ONCE * power[:-1]))


class _Bend(NamedTuple):
    """Pitch across an onset as a line on each side, in cents."""

    turned: float  # a second, of both
    gap: float  # between the two
    leap: float  # from either, near the onset


def _bend(t: F, cents: F, near: float, apart: F | float = 0.0) -> _Bend:
    before = t < 0
    (rose, until), (rises, since) = _line(t[before], cents[before]), _line(t[~before], cents[~before])
    off = np.abs(cents - np.where(before, until + rose * t, since + rises * t)) + apart
    return _Bend(abs(rose + rises), abs(until - since), float(off[np.abs(t) < near].max()))


def _line(t: F, cents: F) -> tuple[float, float]:
    """Slope, and value at 0, of a robust line (Theil 1950, Sen 1968)."""
    i, j = _pairs(len(t))
    slope = float(medians((cents[j] - cents[i]) / (t[j] - t[i])))
    return slope, float(medians(cents - slope * t))


@lru_cache(maxsize=64)
def _pairs(count: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """All index pairs (i < j) of so many. Not to be written to."""
    return np.triu_indices(count, 1)
