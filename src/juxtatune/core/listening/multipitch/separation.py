"""Isolates one string of a sound by subtracting the strings that ring with it."""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.multipitch import matrix_pencil
from juxtatune.core.listening.multipitch.cancellation import separate_all
from juxtatune.core.listening.multipitch.presence import explained_by
from juxtatune.core.listening.multipitch.sinusoids import Rows, Sinusoids
from juxtatune.core.listening.source import Samples

BLOCK = 256  # samples
LEAD_S, CLEAR_S = 0.12, 0.02  # before the string begins: only others sound there
LESS = 0.5  # power of them that is left when they could be followed back
NEAR_S = 2.0  # around it: what a reading may ask for
STEADY = 6.0  # 1/s: what dies sooner cannot be followed back


def isolate(x: Samples, rate: float, start: float, end: float, f1: float, others: tuple[float, ...]) -> Samples:
    """The sound (N,) with other strings (Hz) subtracted from `start` (s), the onset of the string near f1 (Hz), to `end`,
    with 2 s around it and silence beyond; unchanged where they cannot be separated from it."""
    taken = separate_all(x, rate, start, end, f1, others)
    if taken is None or 0 not in taken.settled:
        return x
    heard, settled = taken.heard, taken.settled
    away = np.zeros(len(heard.hz), bool)
    for string in range(1, len(others) + 1):
        if string in settled:
            away |= explained_by(heard, settled[string])
    away &= ~explained_by(heard, settled[0])
    first, last = max(0, int((start - LEAD_S) * rate)), int(end * rate)
    # of a long sound only what is near is copied
    left, near = np.zeros(len(x)), slice(max(0, first - int(NEAR_S * rate)), last + int(NEAR_S * rate))
    left[near] = x[near]
    left[first:last] -= _rebuilt(heard, away, first - taken.first, last - first, rate)
    before = slice(first, max(first, int((start - CLEAR_S) * rate)))
    return left if np.sum(left[before] ** 2) < LESS * np.sum(x[before] ** 2) else x


def _rebuilt(heard: Sinusoids, rows: Rows, first: int, count: int, rate: float) -> Samples:
    """Synthesis of some sinusoids for `count` samples, beginning so many after their estimate."""
    steady = [k for k in np.flatnonzero(rows) if heard.parts[k].decay < STEADY]
    parts, off = [heard.parts[k] for k in steady], heard.hz[steady] - heard.centres[heard.band[steady]]
    size = np.array([p.size for p in parts]) / matrix_pencil.response(off, rate)
    rise = np.array([2j * np.pi * p.hz - p.decay for p in parts]) / rate
    # a sample's phase is that of a window's middle; powers are multiplied in blocks, since each costs an exponential
    blocks = first - (int(matrix_pencil.WINDOW_S * rate) - 1) / 2 + np.arange(0, count, BLOCK)
    waves = (size * np.exp(np.outer(blocks, rise))) @ np.exp(np.outer(rise, np.arange(BLOCK)))
    return np.asarray(waves.real.ravel()[:count])
