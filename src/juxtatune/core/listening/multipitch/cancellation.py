"""Iterative cancellation: every string of a sound is estimated from what the others do not explain, or isolated from them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.multipitch import matrix_pencil
from juxtatune.core.listening.multipitch.deglide import deglided
from juxtatune.core.listening.multipitch.presence import explained_by, presence_test
from juxtatune.core.listening.multipitch.sinusoids import Rows, Sinusoids, sinusoids
from juxtatune.core.listening.multipitch.voting import VotedString, stretches, vote
from juxtatune.core.listening.source import Samples, Signal


class CancellationParameters(NamedTuple):
    """Iterative cancellation."""

    passes: int = 2
    settle_s: float = 0.15  # the glide of the attack is left out, where enough is left
    min_s: float = 0.6


CANCELLATION = CancellationParameters()


def cancel_iteratively(heard: Sinusoids, goals: dict[int, float], strange: Rows | None = None) -> dict[int, VotedString]:
    """Estimates strings from the lowest up, since its odd partials are its own; each removes its sinusoids from the rest.
    Then each again from what no other explains: one may have hidden in the partials of a higher one.

    The `strange` sinusoids (k,) belong to no string.
    """
    settled: dict[int, VotedString] = {}
    taken: dict[int, Rows] = {}
    nobodys = np.zeros(len(heard.hz), bool) if strange is None else strange
    for _ in range(CANCELLATION.passes if len(goals) > 1 else 1):
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
    signal: Signal, start: float, end: float, f1: float, others: tuple[float, ...]
) -> Separated | None:
    """The string near f1 (Hz, number 0) that sounds from `start` to `end` (s), and the others (Hz) that ring with it."""
    x, rate = signal
    start += min(CANCELLATION.settle_s, max(0.0, end - start - CANCELLATION.min_s))
    if end - start < CANCELLATION.min_s / 1.2:
        return None
    first = int(start * rate)
    within = [stretch for hz in (f1, *others) for stretch in stretches(hz)]
    heard = sinusoids(Signal(x[first : int(end * rate)], rate), within)
    return Separated(heard, cancel_iteratively(heard, dict(enumerate((f1, *others)))), first) if heard else None


def separate(
    signal: Signal, start: float, end: float, f1: float, others: tuple[float, ...]
) -> VotedString | None:
    """The string near f1 (Hz) that sounds from `start` to `end` (s), separated from others (Hz)."""
    taken = separate_all(signal, start, end, f1, others)
    found = taken.settled.get(0) if taken is not None else None
    return deglided(taken.heard, found) if taken is not None and found is not None else None


class IsolationParameters(NamedTuple):
    """Subtraction of the other strings."""

    block: int = 256
    lead_s: float = 0.12  # before the string begins: only others sound there
    clear_s: float = 0.02
    max_power_ratio: float = 0.5  # power of them that is left when they could be followed back
    near_s: float = 2.0  # around it: what a reading may ask for
    max_decay_per_s: float = 6.0  # what dies sooner cannot be followed back


ISOLATION = IsolationParameters()


def isolate(signal: Signal, start: float, end: float, f1: float, others: tuple[float, ...]) -> Signal:
    """The sound with other strings (Hz) subtracted from `start` (s), the onset of the string near f1 (Hz), to `end`,
    with 2 s around it and silence beyond; unchanged where they cannot be separated from it."""
    x, rate = signal
    taken = separate_all(signal, start, end, f1, others)
    if taken is None or 0 not in taken.settled:
        return signal
    heard, settled = taken.heard, taken.settled
    away = np.zeros(len(heard.hz), bool)
    for string in range(1, len(others) + 1):
        if string in settled:
            away |= explained_by(heard, settled[string])
    away &= ~explained_by(heard, settled[0])
    first, last = max(0, int((start - ISOLATION.lead_s) * rate)), int(end * rate)
    # of a long sound only what is near is copied
    left, near = np.zeros(len(x)), slice(max(0, first - int(ISOLATION.near_s * rate)), last + int(ISOLATION.near_s * rate))
    left[near] = x[near]
    left[first:last] -= _rebuilt(heard, away, first - taken.first, last - first, rate)
    before = slice(first, max(first, int((start - ISOLATION.clear_s) * rate)))
    quieter = np.sum(left[before] ** 2) < ISOLATION.max_power_ratio * np.sum(x[before] ** 2)
    return Signal(left, rate) if quieter else signal


def _rebuilt(heard: Sinusoids, rows: Rows, first: int, count: int, rate: float) -> Samples:
    """Synthesis of some sinusoids for `count` samples, beginning so many after their estimate."""
    steady = [k for k in np.flatnonzero(rows) if heard.parts[k].decay < ISOLATION.max_decay_per_s]
    parts, off = [heard.parts[k] for k in steady], heard.hz[steady] - heard.centres[heard.band[steady]]
    size = np.array([p.size for p in parts]) / matrix_pencil.response(off, rate)
    rise = np.array([2j * np.pi * p.hz - p.decay for p in parts]) / rate
    # a sample's phase is that of a window's middle; powers are multiplied in blocks, since each costs an exponential
    blocks = first - (int(matrix_pencil.PENCIL.window_s * rate) - 1) / 2 + np.arange(0, count, ISOLATION.block)
    waves = (size * np.exp(np.outer(blocks, rise))) @ np.exp(np.outer(rise, np.arange(ISOLATION.block)))
    return np.asarray(waves.real.ravel()[:count])
