"""Runs the layered search over a compiled gig and reads the plan's decisions back out of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from juxtatune.core.planning.model.access import pitch_of
from juxtatune.core.planning.model.plan import Decisions, Retune, Slot
from juxtatune.core.planning.model.tables import F64, U64, Compiled
from juxtatune.core.planning.search import beam, successors


@dataclass(frozen=True)
class BeamParams:
    """How hard to search: states kept a layer, choices of early work (0 to 2), weight of the rough cost to go.

    `song_penalty` (n,) estimates what each song left will cost, from a plan already known.
    """

    width: int
    extras: int = 2
    heuristic_weight: float = 0.0
    song_penalty: F64 | None = None


@dataclass(frozen=True)
class SearchResult:
    """`cost` is infinite when nothing below the limit was found; `bound` holds for the whole problem."""

    cost: float
    draft: Decisions | None
    bound: float
    stopped: bool


class Lead(NamedTuple):
    """Places at the beginning that must cost less than a limit of their own."""

    places: int
    limit: float


class Searcher:
    """Owns the memory of the layers; one per thread."""

    def __init__(self, compiled: Compiled) -> None:
        self.compiled = compiled
        self.columns = len(compiled.start_key)
        self.insts = len(compiled.gig.instruments)
        self.scratch = beam.scratch(self.insts)
        self.store = beam.successor_store(self.columns, self.insts)
        self.table = np.full(2, -1, np.int64)
        self._no_penalty = np.zeros(0)

    def _layer(self, room: int) -> tuple:
        return (
            np.empty((room, self.columns), np.uint64),
            np.empty(room), np.empty(room), np.empty(room),
            np.empty(room, np.int64), np.empty(room, np.int64),
        )  # fmt: skip

    def _sized_table(self, room: int) -> np.ndarray:
        size = 1 << int(np.ceil(np.log2(room * 2 + 2)))
        if len(self.table) < size:
            self.table = np.full(size, -1, np.int64)
        return self.table[:size]

    def run(
        self, pred: U64, effort: BeamParams, limit: float, stop: np.ndarray, lead: Lead | None = None
    ) -> SearchResult:
        """Searches for a plan that costs less than `limit`. `stop[0]` set ends it early.

        With a `lead` its places, the first, must cost less than its own limit.
        """
        t = self.compiled.tables
        first, n = self.compiled.first, t.n
        root = self._layer(1)
        root[0][0], root[1][0], root[2][0] = self.compiled.start_key, 0.0, 0.0
        kept = [root]
        rows, dropped_bound = 1, np.inf
        room = max(1024, min(effort.width * 4, effort.width + 2_000_000))
        table = self._sized_table(room)
        fresh = self._layer(room)
        for place in range(first, n):
            most_cost = _most_cost(place - first, limit, lead)
            rows, lost_bound, incomplete, stopped = beam.advance(
                self.compiled.packed, pred, place, kept[-1], rows, limit, most_cost, effort.extras, effort.width,
                effort.heuristic_weight,
                effort.song_penalty if effort.song_penalty is not None else self._no_penalty,
                stop, fresh, table, self.scratch, self.store,
            )  # fmt: skip
            dropped_bound = min(dropped_bound, lost_bound)
            if incomplete:
                dropped_bound = -np.inf
            if stopped:
                return SearchResult(np.inf, None, -np.inf, True)
            if rows == 0:
                return SearchResult(np.inf, None, min(limit, dropped_bound), False)
            kept.append(tuple(a[:rows].copy() for a in fresh))
        best = int(np.argmin(kept[-1][1]))
        cost = float(kept[-1][1][best])
        return SearchResult(cost, self._read(kept, best, pred, effort, limit, lead), min(cost, dropped_bound), False)

    def least(self, pred: U64, places: int, width: int, stop: np.ndarray) -> float:
        """About what the first places cost at least, by a narrow search."""
        layer, rows = self._layer(1), 1
        layer[0][0], layer[1][0], layer[2][0] = self.compiled.start_key, 0.0, 0.0
        room = max(1024, 4 * width)
        table = self._sized_table(room)
        for place in range(self.compiled.first, self.compiled.first + places):
            fresh = self._layer(room)
            rows, _, _, _ = beam.advance(
                self.compiled.packed, pred, place, layer, rows, np.inf, np.inf, 0, width, 0.0, self._no_penalty, stop,
                fresh, table, self.scratch, self.store,
            )  # fmt: skip
            layer = tuple(a[:rows].copy() for a in fresh)
        return float(layer[1].min()) if rows else np.inf

    def _read(
        self, kept: list[tuple], row: int, pred: U64, effort: BeamParams, limit: float, lead: Lead | None = None
    ) -> Decisions:
        """Walks back from a row of the last layer and expands each state on the way once more."""
        path = []
        for layer in reversed(kept[1:]):
            parent = int(layer[4][row])
            path.append((parent, int(layer[5][row])))
            row = parent
        reader = _Reader(self.compiled)
        for step, (at, option) in enumerate(reversed(path)):
            place = self.compiled.first + step
            key, g = kept[step][0][at], float(kept[step][1][at])
            most_cost = _most_cost(step, limit, lead)
            successors.successors(
                self.compiled.packed, pred, key, g, place, most_cost, effort.extras, self.scratch, self.store
            )
            _, _, ways, gap, idle = self.store
            reader.step(place, key, int(ways[option]), gap[option], idle[option])
        return reader.draft()


def _most_cost(step: int, limit: float, lead: Lead | None) -> float:
    return limit if lead is None or step >= lead.places else min(limit, lead.limit)


class _Reader:
    """Turns states before and after into retunes, and finds the best start of every part."""

    def __init__(self, compiled: Compiled) -> None:
        self.c, self.t, self.gig = compiled, compiled.tables, compiled.gig
        self.slots: list[Slot] = []
        self.gap: dict[int, tuple[Retune, ...]] = {}
        self.idle: dict[int, tuple[Retune, ...]] = {}
        self.start: list[dict[str, list[float | None]]] = []
        self._played()

    def _blank(self) -> dict[str, list[float | None]]:
        return {i.id: [None] * i.strings for i in self.gig.instruments}

    def _begin(self, part: int) -> None:
        """A start for every part up to this one, empty ones too."""
        while len(self.start) <= part:
            self.start.append(self._blank())

    def _played(self) -> None:
        part = self.gig.part_of_place()
        now = self.gig.night.now
        for k in range(self.c.first):
            assert now is not None
            self.slots.append(Slot(now.played[k], part[k], None))
            self._begin(part[k])
        self.fixed_start = (
            self.c.first < self.t.n and self.c.first > 0 and part[self.c.first] == part[self.c.first - 1]
        )

    def step(self, place: int, key: U64, way: int, gap: U64, idle: U64) -> None:
        t, words = self.t, self.t.words
        song, way_number = self.c.way_of[way]
        part = int(t.part[place])
        self._begin(part)
        self.slots.append(Slot(self.gig.songs[song].id, part, way_number))
        before = key[words + 1 :]
        self.gap[place] = self._moves(before, gap)
        others = [i for i in range(len(before)) if i != t.way_inst[way]]
        self.idle[place] = self._moves(gap, idle, others)
        self._bind(int(t.way_inst[way]), way)

    def _moves(self, a: U64, b: U64, only: list[int] | None = None) -> tuple[Retune, ...]:
        moves = []
        for i in only if only is not None else range(len(a)):
            if a[i] == b[i]:
                continue
            inst = self.gig.instruments[i]
            for s in range(inst.strings):
                x, y = pitch_of(self.c.packed, i, s, a[i]), pitch_of(self.c.packed, i, s, b[i])
                if x >= 0 and y >= 0 and x != y:
                    source, target = float(self.t.pitch[i, s, x]), float(self.t.pitch[i, s, y])
                    moves.append(Retune(inst.id, inst.strings - s, source, target))
        return tuple(moves)

    def _bind(self, i: int, way: int) -> None:
        """A string's first use in a part decides where it starts."""
        if self.fixed_start and int(self.t.part[self.c.first]) == len(self.start) - 1:
            return
        inst = self.gig.instruments[i]
        for s in range(inst.strings):
            index = self.t.demand_pitch[self.t.way_demand[way], s]
            if index >= 0 and self.start[-1][inst.id][s] is None:
                self.start[-1][inst.id][s] = float(self.t.pitch[i, s, index])

    def draft(self) -> Decisions:
        self._begin(len(self.gig.night.parts) - 1)
        return Decisions(tuple(self.slots), self._starts(), self.gap, self.idle)

    def _starts(self) -> tuple[dict[str, tuple[float, ...]], ...]:
        """Strings that no song of a part uses stay as they are today."""
        now = self.gig.night.now
        today = {
            i.id: (now.tunings.get(i.id, i.tuning) if now else i.tuning).pitches for i in self.gig.instruments
        }
        return tuple(
            {
                i: tuple(h if p is None else p for p, h in zip(row, today[i], strict=True))
                for i, row in part.items()
            }
            for part in self.start
        )
