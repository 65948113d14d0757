"""Whether a string that was read from a strum rings, or was read into what others leave; and what it explains."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.partials import CENTS, partial_hz
from juxtatune.core.listening.strums.sinusoids import Rows, Sinusoids
from juxtatune.core.listening.strums.voting import PARTIALS, Settled

LOW, LOWER = 5, 8  # partials
ALONE = 4.0  # Hz: so near a louder partial of another string, what that leaves is read as a string
BESIDE, UPON = 0.3, 0.6  # Hz
HIGHEST, ABOVE = 40, 1.5  # partial; cents
STRAY = 4.0  # cents
DOUBTFUL = 1.1  # log odds
ODD = 0.25  # of the partials
UNKNOWN_ROUGHNESS = 10.0  # dB


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


def ringing(heard: Sinusoids, found: Settled, free: Rows) -> Settled | None:
    """A string read from the `free` sinusoids (k,), with how doubtful it is; None when it rather does not ring."""
    doubt = _doubt(heard, found, free)
    return replace(found, doubt=doubt) if doubt < DOUBTFUL and _has_odd(found.numbers) else None


def _has_odd(n: NDArray[np.int64]) -> bool:
    """Whether enough partials are odd ones, low ones too: what has even ones alone is the octave."""
    odd = n % 2 == 1
    low = odd[n <= LOWER]
    return bool(np.mean(odd) >= ODD and low.sum() >= max(1, ODD * len(low)))


def _hidden(heard: Sinusoids, found: Settled, free: Rows) -> NDArray[np.int64]:
    """The low partials that are not heard because they lie upon another string's."""
    missing = np.setdiff1d(np.arange(1, LOW + 1), found.numbers)
    hz, others = partial_hz(found.f1, found.stretch, missing), heard.hz[~free]
    return missing[(np.abs(others[:, None] - hz[None, :]) < UPON).any(axis=0)]


def _doubt(heard: Sinusoids, found: Settled, free: Rows) -> float:
    """How likely a string was read into what others leave: log odds, where both are as frequent.

    A logistic regression over the strums of benchmarks/. Low partials say most for a string, those that stand alone and
    are no fifth's or octave's above it above all; against it that its partials are weak, that they rise and fall without
    order, and that they agree loosely.
    """
    n, level = found.numbers, heard.level[found.used]
    low = np.isin(np.arange(1, LOW + 1), n).sum()
    alone = _alone(heard, found, free)
    own = (n % 3 != 0) & (n % 4 != 0)
    return float(
        6.2 - 1.48 * low - 0.61 * len(_hidden(heard, found, free))
        - 0.42 * np.sum(alone & (n <= LOWER)) - 0.77 * np.sum(alone & own)
        + 0.125 * (heard.level.max() - np.median(level)) + 0.1 * _roughness(n, level)
        + 0.91 * np.log(found.sigma + 0.02)
    )  # fmt: skip


def _alone(heard: Sinusoids, found: Settled, free: Rows) -> Rows:
    """Which partials have no louder one of another string beside them."""
    off = np.abs(heard.hz[found.used][:, None] - heard.hz[~free][None, :])
    louder = heard.level[~free][None, :] > heard.level[found.used][:, None]
    return np.asarray(~((off < ALONE) & louder).any(axis=1))


def _roughness(n: NDArray[np.int64], level: NDArray[np.float64]) -> float:
    """How much the levels of partials rise and fall from one to the next, in dB."""
    return float(np.std(np.diff(level[np.argsort(n)]))) if len(n) > 2 else UNKNOWN_ROUGHNESS
