"""Whether a string that was read from a strum rings, or was read into what others leave; and what it explains."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.partials import CENTS, partial_hz
from juxtatune.core.listening.strums.sinusoids import Rows, Sinusoids
from juxtatune.core.listening.strums.voting import PARTIALS, Settled

LOOSE = 0.15  # cents: the partials of one string agree better
LOOSEST, LOW = 0.6, 5  # the same where four of the five lowest are there, or
MANY = 8  # as many as this, half of that odd
LIKELY = 55.0  # cents off its target that a string may be told so loosely
LOWEST = 4  # a string that sounds at all is heard in one of so many partials
LOWER = 8  # odd ones are among so many
BESIDE, UPON = 0.3, 0.6  # Hz
HIGHEST, ABOVE = 40, 1.5  # partial; cents
STRAY = 4.0  # cents
DOUBTFUL = 3.4  # log odds


def taken_by(heard: Sinusoids, found: Settled) -> Rows:
    """The sinusoids that a string explains: its partials, what its glide leaves beside them, those above, and stray ones."""
    beside = (np.abs(heard.hz[:, None] - heard.hz[found.used][None, :]) < BESIDE).any(axis=1)
    above = partial_hz(found.f1, found.stretch, np.arange(PARTIALS + 1, HIGHEST + 1))
    taken = beside | (np.abs(CENTS * np.log(heard.hz[:, None] / above[None, :])) < ABOVE).any(axis=1)
    # a partial of a real string may lie off its line, where it is missing
    missing = np.setdiff1d(np.arange(1, PARTIALS + 1), found.numbers)
    off = np.abs(CENTS * np.log(heard.hz[:, None] / partial_hz(found.f1, found.stretch, missing)[None, :]))
    nearest = np.argmin(off, axis=0)
    taken[nearest[off.min(axis=0) < STRAY]] = True
    return np.asarray(taken)


def ringing(heard: Sinusoids, found: Settled, goal: float, free: Rows) -> Settled | None:
    """A string read from the `free` sinusoids (k,), with how doubtful it is; None when it does not ring.

    `goal` is its target in Hz.
    """
    hidden = _hidden(heard, found, free)
    doubt = _doubt(heard, found, len(hidden))
    off = abs(CENTS * np.log(found.f1 / goal))
    return replace(found, doubt=doubt) if doubt < DOUBTFUL and _sounds(found, off, hidden) else None


def _hidden(heard: Sinusoids, found: Settled, free: Rows) -> NDArray[np.int64]:
    """The low partials that are not heard because they lie upon another string's."""
    missing = np.setdiff1d(np.arange(1, LOW + 1), found.numbers)
    hz, others = partial_hz(found.f1, found.stretch, missing), heard.hz[~free]
    return missing[(np.abs(others[:, None] - hz[None, :]) < UPON).any(axis=0)]


def _doubt(heard: Sinusoids, found: Settled, hidden: int) -> float:
    """How likely a string was read into what others leave: log odds, where both are as frequent.

    A logistic regression over the strums of benchmarks/: its partials are weak, few, agree loosely, and low ones are missing.
    """
    quiet = heard.level.max() - np.median(heard.level[found.used])
    low = np.isin(np.arange(1, LOW + 1), found.numbers).sum() + 0.5 * hidden
    return float(
        13.1 + 0.17 * quiet - 0.51 * min(found.votes, 12) + 2.5 * np.log(found.sigma + 0.02) - 2.2 * low
    )


def _sounds(found: Settled, off: float, hidden: NDArray[np.int64]) -> bool:
    """Tells a string that rings from one read into the partials of others.

    Those agree loosely, since every string is off by its own amount, or they are even ones alone, an octave's, or
    high ones alone. `off` is how far from its target (cents) it would be.
    """
    n = found.numbers
    own = np.sum((n % 3 != 0) & (n % 4 != 0))  # no fifth's or octave's above
    # partials of a real string disagree by some cents: then it is told by having most of the low ones, or many
    odd = n % 2 == 1
    full = np.isin(np.arange(1, LOW + 1), n).sum() >= LOW - 1 or (len(n) >= MANY and odd.sum() >= MANY // 2)
    agrees = (
        found.votes >= 3
        and found.sigma <= (LOOSEST if full and off < LIKELY else LOOSE)
        and min([n.min(), *hidden]) <= LOWEST
    )
    alone = np.any(odd & (n % 3 != 0))
    low = odd[n <= LOWER]
    return bool(
        agrees and own >= 2 and alone and np.mean(odd) >= 0.25 and low.sum() >= max(1, 0.25 * len(low))
    )
