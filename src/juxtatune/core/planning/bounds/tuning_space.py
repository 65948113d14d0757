"""The tunings that one guitar may stand in, told apart only by the strings that still matter.

Once a set of demands is done, strings that no other demand wants are put to their first pitch, so that tunings which
differ by these alone become one.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.planning.bounds.demands import Demand, GuitarDemands
from juxtatune.core.planning.model.tables import I64, Tables

MOST_PRODUCT = 100_000  # pitches of all strings, in every combination
MOST_TUNINGS = 2_000


@dataclass(frozen=True)
class TuningSpace:
    """Tunings as rows of pitch indices; sets of demands done, as masks, each with the rows that its tunings fall into."""

    values: I64  # (tunings, strings)
    ready: I64  # (m,) tunings as they are, in tune for some song
    met: I64  # (tunings,) demands in tune at each, as a mask
    kind: I64  # (sets,) sets alike in the strings that still matter
    kind_start: I64  # (kinds + 1,) first of a kind's rows
    rows: I64  # tunings of each kind
    where: NDArray[np.int32]  # (kinds, tunings) place among the kind's rows of what a tuning becomes there
    needed: NDArray[np.bool_]  # (kinds, strings) the strings that matter

    @property
    def sizes(self) -> I64:
        """Rows of every set."""
        return np.diff(self.kind_start)[self.kind]


def tuning_space(t: Tables, g: GuitarDemands, closing: tuple[Demand, ...] = ()) -> TuningSpace | None:
    """None where there are too many tunings. Strings of `closing` demands matter to the end."""
    strings = int(t.strings[g.row])
    pitches = [sorted({d[s] for d in g.every if d[s] >= 0}) or [0] for s in range(strings)]
    if np.prod([float(len(p)) for p in pitches]) > MOST_PRODUCT:
        return None
    product = np.array(list(itertools.product(*pitches)), np.int64).reshape(-1, strings)
    ready = product[np.any([meets(product, d) for d in g.every] or [np.ones(len(product), bool)], axis=0)]
    kind, needed = _kinds(g.followed, closing, strings)
    first = np.array([p[0] for p in pitches], np.int64)
    values = np.unique(np.concatenate([np.where(row, ready, first) for row in needed] + [ready]), axis=0)
    if len(values) > MOST_TUNINGS:
        return None
    place = {tuple(row): k for k, row in enumerate(values.tolist())}
    start, rows = [0], []
    where = np.full((len(needed), len(values)), -1, np.int32)
    for k, row in enumerate(needed):
        own = sorted({place[tuple(w)] for w in np.where(row, ready, first).tolist()})
        at = {w: p for p, w in enumerate(own)}
        where[k] = [at.get(place.get(tuple(w), -1), -1) for w in np.where(row, values, first).tolist()]
        rows += own
        start.append(len(rows))
    met = np.zeros(len(values), np.int64)
    for c, d in enumerate(g.followed):
        met |= np.where(meets(values, d), 1 << c, 0)
    begins = np.array([place[tuple(w)] for w in ready.tolist()], np.int64)
    return TuningSpace(values, begins, met, kind, np.array(start), np.array(rows, np.int64), where, needed)


def meets(values: I64, d: Demand) -> NDArray[np.bool_]:
    """Where a guitar in these tunings (k, strings) is in tune for a demand."""
    want = np.array(d, np.int64)
    return np.asarray(np.all((want < 0) | (want == values), axis=1))


def _kinds(
    followed: tuple[Demand, ...], closing: tuple[Demand, ...], strings: int
) -> tuple[I64, NDArray[np.bool_]]:
    """For every set of demands done its kind; and of every kind the strings that still matter."""
    sets = np.arange(1 << len(followed))
    always = sum(1 << s for s in range(strings) if any(d[s] >= 0 for d in closing))
    masks = np.full(len(sets), always, np.int64)
    for c, d in enumerate(followed):
        wants = sum(1 << s for s, x in enumerate(d) if x >= 0)
        masks |= np.where(sets >> c & 1, 0, wants)
    kinds, kind = np.unique(masks, return_inverse=True)
    return kind.astype(np.int64), (kinds[:, None] >> np.arange(strings) & 1).astype(bool)
