"""Presence test: whether a string estimated from a strum really sounds, and which sinusoids it explains."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.multipitch.sinusoids import F, Rows, Sinusoids
from juxtatune.core.listening.multipitch.voting import VOTING, VotedString
from juxtatune.core.listening.partials.demodulate import partial_hz


class PresenceParameters(NamedTuple):
    """Whether a string sounds."""

    low_partials: int = 5
    lower_partials: int = 8
    alone_hz: float = 4.0  # so near a louder partial of another string, what that leaves is read as a string
    beside_hz: float = 0.3
    upon_hz: float = 0.6
    max_partial: int = 40
    above_cents: float = 1.5
    stray_cents: float = 4.0
    max_doubt_nats: float = 1.0
    min_odd_share: float = 0.25  # of the partials


PRESENCE = PresenceParameters()


def explained_by(heard: Sinusoids, found: VotedString) -> Rows:
    """The sinusoids that a string explains: its partials, residues of its glide beside them, higher partials, and stray
    ones."""
    beside = (np.abs(heard.hz[:, None] - heard.hz[found.used][None, :]) < PRESENCE.beside_hz).any(axis=1)
    above = partial_hz(found.f1, found.inharmonicity, np.arange(VOTING.partials + 1, PRESENCE.max_partial + 1))
    taken = beside | (np.abs(CENTS * np.log(heard.hz[:, None] / above[None, :])) < PRESENCE.above_cents).any(axis=1)
    # a partial of a real string may lie off its line, where it is missing
    missing = np.setdiff1d(np.arange(1, VOTING.partials + 1), found.numbers)
    off = np.abs(CENTS * np.log(heard.hz[:, None] / partial_hz(found.f1, found.inharmonicity, missing)[None, :]))
    nearest = np.argmin(off, axis=0)
    taken[nearest[off.min(axis=0) < PRESENCE.stray_cents]] = True
    return np.asarray(taken)


def presence_test(heard: Sinusoids, found: VotedString, free: Rows) -> VotedString | None:
    """A string estimated from the `free` sinusoids (k,) with the log odds against it; None when it is more likely absent."""
    doubt = _doubt(heard, found, free)
    return replace(found, doubt=doubt) if doubt < PRESENCE.max_doubt_nats and _has_odd(found.numbers) else None


def _has_odd(n: NDArray[np.int64]) -> bool:
    """Whether enough partials are odd, low ones among them: with even ones alone it is the octave."""
    odd = n % 2 == 1
    low = odd[n <= PRESENCE.lower_partials]
    return bool(np.mean(odd) >= PRESENCE.min_odd_share and low.sum() >= max(1, PRESENCE.min_odd_share * len(low)))


def _hidden(heard: Sinusoids, found: VotedString, free: Rows) -> NDArray[np.int64]:
    """The low partials that are masked by another string's."""
    missing = np.setdiff1d(np.arange(1, PRESENCE.low_partials + 1), found.numbers)
    hz, others = partial_hz(found.f1, found.inharmonicity, missing), heard.hz[~free]
    return missing[(np.abs(others[:, None] - hz[None, :]) < PRESENCE.upon_hz).any(axis=0)]


def _doubt(heard: Sinusoids, found: VotedString, free: Rows) -> float:
    """Log odds that a string is spurious, at equal priors.

    A logistic regression over strums of benchmarks/, strings that were not played counting three times. Loud low partials
    say most for a string, then those that stand alone and are no fifth's or octave's above it, and odd ones; against it that
    its partials agree more loosely than they are certain, or are high.
    """
    n, level = found.numbers, heard.level[found.used] - heard.level.max()
    low, odd = n <= PRESENCE.low_partials, n % 2 == 1
    own = _alone(heard, found, free) & (n % 3 != 0) & (n % 4 != 0)
    return float(
        9.34 - 2.59 * np.sum(_loud(level, 45.0, 20.0) * low) - 1.21 * len(_hidden(heard, found, free))
        - 0.87 * np.sum(own) - 5.21 * np.average(odd, weights=_loud(level, 50.0, 20.0) + 1e-3)
        + 0.21 * np.sum(n > PRESENCE.lower_partials) + np.log(found.sigma + 0.02)
        - 0.84 * np.log(heard.sigma[found.used].min() + 0.003)
    )  # fmt: skip


def _loud(level: F, silent: float, full: float) -> F:
    """Weight (0 to 1) of a partial so many dB below the loudest of the sound."""
    return np.asarray(np.clip((level + silent) / (silent - full), 0, 1))


def _alone(heard: Sinusoids, found: VotedString, free: Rows) -> Rows:
    """Which partials have no louder one of another string beside them."""
    off = np.abs(heard.hz[found.used][:, None] - heard.hz[~free][None, :])
    louder = heard.level[~free][None, :] > heard.level[found.used][:, None]
    return np.asarray(~((off < PRESENCE.alone_hz) & louder).any(axis=1))
