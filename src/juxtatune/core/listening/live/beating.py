"""Beats of two strings near a consonant interval: the rate, and which of the two is higher.

The partials that meet in the interval (`retuning.beats`) are taken apart by the matrix pencil (`pencil`), so that a beat is read
in less time than one takes, and its sign is known where the reference's own pitch is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juxtatune.core.listening.multipitch.sinusoids import sinusoids
from juxtatune.core.listening.source import Samples

SPAN_S = 1.2  # of sound that is read: longer sees slower beats, but follows a turned peg later
FASTEST = 12.0  # Hz between partials that are still taken to meet
WEAKEST_DB = 24.0  # a partial weaker than the other by more than this makes no beat that is heard
TOLD_HZ = 0.12  # by so much one of two partials must lie nearer to the reference for the sign to be known


@dataclass(frozen=True)
class Beat:
    """`rate` in beats a second, above 0 where the string is too high, 0 where no beat is heard in `span` s.

    `signed` is False where it is not known which of the two is the higher; then `rate` is above 0.
    """

    rate: float
    signed: bool
    span: float


def beat(x: Samples, rate: float, reference_hz: float) -> Beat | None:
    """How the strings beat whose partials meet near the partial `reference_hz` of the string that stays.

    `x` (N,) is the newest sound, of which SPAN_S s are read. None where nothing sounds there, or for too short a time.
    """
    x = x[-int(SPAN_S * rate) :]
    found = sinusoids(x, rate, [(reference_hz - FASTEST, reference_hz + FASTEST)])
    if found is None:
        return None
    near = np.flatnonzero(np.abs(found.hz - reference_hz) <= FASTEST)
    if len(near) == 0:
        return None
    span = len(x) / rate
    strongest = near[np.argsort(-found.level[near], kind="stable")][:2]
    if len(strongest) < 2 or found.level[strongest[0]] - found.level[strongest[1]] > WEAKEST_DB:
        return Beat(0.0, True, span)
    one, other = sorted(float(hz) for hz in found.hz[strongest])
    below, above = abs(one - reference_hz), abs(other - reference_hz)
    # the one nearer to where the reference is known to be is the reference
    sign = 1.0 if below <= above else -1.0
    signed = abs(below - above) >= TOLD_HZ
    return Beat((other - one) * (sign if signed else 1.0), signed, span)
