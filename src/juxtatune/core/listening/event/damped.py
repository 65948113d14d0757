"""Whether a ringing string was damped when another was picked, by the partials that the two do not share.

Its level alone does not say: the new string has partials where the old one had. Those that no other string shares do.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.partials.demodulate import MOST_PARTIALS, USUAL_INHARMONICITY, partial_hz
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.types import Reading

F = NDArray[np.floating]
LONGEST_S, SHORTEST_S = 0.3, 0.12  # of the frames before and after
BEFORE_S, AFTER_S = 0.012, 0.04  # from the new string: its onset is not exact, and the old one fades
BEGUN_S = 0.03  # after its onset
STRONG = 1e-3  # of its strongest partial's power
APART = 2.2  # bins of a Hann frame, so far from another's partial a partial is its own
BESIDE, HEARD = 3.0, 4.0  # bins to what sounds beside it, in power over that
FALLEN = 10 ** (-12 / 10)  # in power, beyond what it loses anyway
LONG = 0.5  # frames, from where a loss shows
OTHERS = np.arange(1, 61)


def cut_at_damping(x: Samples, rate: float, r: Reading, later: list[Candidate]) -> Reading:
    """The reading ended at the onset, among `later` ones, at which its string was damped."""
    if r.f1 is None or r.inharmonicity is None:
        return r
    hz = partial_hz(r.f1, r.inharmonicity, np.arange(1, MOST_PARTIALS + 1))
    others = np.zeros(0)
    for k, new in enumerate(later):
        if new.onset >= r.end - AFTER_S:
            break
        others = np.append(others, partial_hz(new.tone.f1, new.tone.inharmonicity or USUAL_INHARMONICITY, OTHERS))
        following = later[k + 1].onset if k + 1 < len(later) else len(x) / rate
        levels = _levels(x, rate, r.start, new.onset, min(following, r.end), hz, others)
        if levels is not None and _falls(levels):
            return replace(r, end=new.onset)
    return r


@dataclass(frozen=True)
class _Levels:
    """Log power (P,) of partials that no other string shares: at the string's start, twice before another onset, and after
    it."""

    begun: F
    early: F
    late: F
    now: F
    grown: float  # frames from `begun` to `early`
    since: float  # frames from `early` to `now`


def _levels(
    x: Samples, rate: float, start: float, at: float, following: float, hz: F, others: F
) -> _Levels | None:
    """The levels about an onset (s) of a string begun at `start`; None where too few partials are its own.

    `hz` (P,) are its partials, `others` those of strings begun since; the next of them begins at `following`.
    """
    lasts = min(LONGEST_S, (at - start - 2 * BEFORE_S) / 2, following - at - AFTER_S)
    away = np.abs(hz[:, None] - others[None, :]).min(axis=1)
    clear = hz[(away * lasts > APART) & (hz < 0.45 * rate)]
    if lasts < SHORTEST_S or len(clear) == 0:
        return None
    size = int(lasts * rate)
    first, last, after = (int(t * rate) for t in (start + BEGUN_S, at - BEFORE_S, at + AFTER_S))
    starts = np.array([first, last - 2 * size, last - size, after])
    if starts.min() < 0 or after + size > len(x):
        return None
    every = np.concatenate([clear, clear - BESIDE / lasts, clear + BESIDE / lasts])
    power = np.abs(project(x, starts, hann(size), every, rate).reshape(4, 3, -1)) ** 2 + 1e-18
    # what the new string drowns says nothing
    heard = power[2, 0] > np.maximum(STRONG * power[2, 0].max(), HEARD * power[3, 1:].min(axis=0))
    if not heard.any():
        return None
    begun, early, late, now = np.log(power[:, 0, heard])
    grown, since = (starts[1] - first) / size, (after - starts[1]) / size
    return _Levels(begun, early, late, now, float(grown), float(since))


def _falls(levels: _Levels) -> bool:
    """Whether partials fall by far more than they decayed until then: damping is fast at first, while a room rings on."""
    loss = levels.late - levels.early
    if levels.grown > LONG:
        loss = np.maximum(loss, (levels.early - levels.begun) / levels.grown)
    foretold = levels.early + np.minimum(loss, 0.0) * levels.since
    return bool(np.average(levels.now - foretold, weights=np.exp(levels.late / 2)) < np.log(FALLEN))
