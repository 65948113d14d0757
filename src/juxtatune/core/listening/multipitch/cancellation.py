"""Iterative cancellation: every string of a sound is estimated from what the others do not explain."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juxtatune.core.listening.multipitch.deglide import deglided
from juxtatune.core.listening.multipitch.presence import explained_by, presence_test
from juxtatune.core.listening.multipitch.sinusoids import Rows, Sinusoids, sinusoids
from juxtatune.core.listening.multipitch.voting import VotedString, stretches, vote
from juxtatune.core.listening.source import Samples

PASSES = 2
SETTLE_S, LEAST_S = 0.15, 0.6  # the glide of the attack is left out, where enough is left


def cancel_iteratively(heard: Sinusoids, goals: dict[int, float], strange: Rows | None = None) -> dict[int, VotedString]:
    """Estimates strings from the lowest up, since its odd partials are its own; each removes its sinusoids from the rest.
    Then each again from what no other explains: one may have hidden in the partials of a higher one.

    The `strange` sinusoids (k,) belong to no string.
    """
    settled: dict[int, VotedString] = {}
    taken: dict[int, Rows] = {}
    nobodys = np.zeros(len(heard.hz), bool) if strange is None else strange
    for _ in range(PASSES if len(goals) > 1 else 1):
        for string in sorted(goals, key=lambda s: goals[s]):
            others = {s: rows for s, rows in taken.items() if s != string}
            free = ~np.any([nobodys, *others.values()], axis=0)
            found = vote(heard, goals[string], [g for s, g in goals.items() if s != string], free)
            found = presence_test(heard, found, free) if found else None
            if found is not None:
                settled[string], taken[string] = found, explained_by(heard, found)
            elif string in settled:
                del settled[string], taken[string]
    return settled


@dataclass(frozen=True)
class Separated:
    """The sinusoids of a sound from sample `first` on, and the strings estimated from them, numbered from 0."""

    heard: Sinusoids
    settled: dict[int, VotedString]
    first: int


def separate_all(
    x: Samples, rate: float, start: float, end: float, f1: float, others: tuple[float, ...]
) -> Separated | None:
    """The string near f1 (Hz, number 0) that sounds from `start` to `end` (s), and the others (Hz) that ring with it."""
    start += min(SETTLE_S, max(0.0, end - start - LEAST_S))
    if end - start < LEAST_S / 1.2:
        return None
    first = int(start * rate)
    within = [stretch for hz in (f1, *others) for stretch in stretches(hz)]
    heard = sinusoids(x[first : int(end * rate)], rate, within)
    return Separated(heard, cancel_iteratively(heard, dict(enumerate((f1, *others)))), first) if heard else None


def separate(
    x: Samples, rate: float, start: float, end: float, f1: float, others: tuple[float, ...]
) -> VotedString | None:
    """The string near f1 (Hz) that sounds from `start` to `end` (s), separated from others (Hz)."""
    taken = separate_all(x, rate, start, end, f1, others)
    found = taken.settled.get(0) if taken is not None else None
    return deglided(taken.heard, found) if taken is not None and found is not None else None
