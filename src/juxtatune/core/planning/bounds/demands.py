"""What songs want of each guitar on its own, and which songs a bound follows.

A *demand* is a pitch index for every string of one guitar, -1 where the song does not use the string. One demand is
within another where a guitar in tune for the second is in tune for the first.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juxtatune.core.planning.model.tables import F64, I64, Tables
from juxtatune.core.retuning.formula import handling_s, turning_s

Demand = tuple[int, ...]


@dataclass(frozen=True)
class GuitarDemands:
    """Demands on the guitar in one row of the tables."""

    row: int
    forced: tuple[Demand, ...]  # of songs that can be played in no other way
    further: tuple[Demand, ...]  # of songs that can
    every: tuple[Demand, ...]  # all of them, also those met along with others or too many to be followed

    @property
    def followed(self) -> tuple[Demand, ...]:
        return self.forced + self.further


@dataclass(frozen=True)
class SharedSongs:
    """Songs with several ways, way after way: guitar, mask of the further demands it meets, compromise in seconds."""

    start: I64  # (songs + 1,) first way of each
    guitar: I64
    mask: I64
    seconds: F64  # beyond the song's least compromise


def ways(t: Tables, v: int) -> range:
    return range(t.way_start[v], t.way_start[v + 1])


def demand_of(t: Tables, w: int) -> Demand:
    return tuple(int(x) for x in t.demand_pitch[t.way_demand[w]][: t.strings[t.way_inst[w]]])


def within(a: Demand, b: Demand) -> bool:
    """True when a guitar in tune for b is in tune for a."""
    return all(x < 0 or x == y for x, y in zip(a, b, strict=True))


def follow(t: Tables, most: int) -> tuple[list[GuitarDemands], SharedSongs]:
    """At most `most` demands of every guitar, and the songs with several ways that have some of these.

    To leave a song or a demand out never makes a bound false. Songs with one way come first, those that clash with most others
    before the rest; then, as long as there is room, always the song farthest from being playable along with those
    chosen.
    """
    return _Choice(t, most).run()


class _Choice:
    def __init__(self, t: Tables, most: int) -> None:
        self.t, self.most = t, most
        self.forced = [self._forced(i) for i in range(t.insts)]
        self.further: list[list[Demand]] = [[] for _ in range(t.insts)]
        self._retunes: dict[tuple[int, Demand, Demand | None], float] = {}

    def run(self) -> tuple[list[GuitarDemands], SharedSongs]:
        t = self.t
        songs: list[int] = []
        left = [v for v in range(t.n) if len(ways(t, v)) > 1]
        while left:
            v = max(left, key=self._rank)
            left.remove(v)
            if self._add(v):
                songs.append(v)
        guitars = []
        for i in range(t.insts):
            every = dict.fromkeys(demand_of(t, w) for w in range(len(t.way_inst)) if t.way_inst[w] == i)
            guitars.append(GuitarDemands(i, tuple(self.forced[i]), tuple(self.further[i]), tuple(every)))
        return guitars, self._shared(songs)

    def _forced(self, i: int) -> list[Demand]:
        t = self.t
        only = [t.way_start[v] for v in range(t.n) if len(ways(t, v)) == 1]
        mine = dict.fromkeys(demand_of(t, w) for w in only if t.way_inst[w] == i)
        kept = [d for d in mine if not any(d != e and within(d, e) for e in mine)]
        clashes = {d: sum(not (within(d, e) or within(e, d)) for e in kept) for d in kept}
        return sorted(kept, key=lambda d: -clashes[d])[: self.most]

    def _rank(self, v: int) -> tuple[float, int, int, int]:
        """Seconds to be paid at least for a song beside those followed; then fewest ways, then most strings."""
        t, least = self.t, np.inf
        for w in ways(t, v):
            i, d = int(t.way_inst[w]), demand_of(t, w)
            followed = self.forced[i] + self.further[i]
            nearest = min((self._retune(i, d, e) for e in followed), default=self._retune(i, d, None))
            least = min(least, float(t.way_comp[w] - t.least_comp[v]) + nearest)
        strings = min(int((t.demand_pitch[t.way_demand[w]] >= 0).sum()) for w in ways(t, v))
        return least, -len(ways(t, v)), strings, -v

    def _retune(self, i: int, d: Demand, e: Demand | None) -> float:
        """Seconds of the retune between two demands on a guitar; with none, of handling it."""
        key = (i, d, e)
        if key not in self._retunes:
            t = self.t
            base, string, semitone, check, passes, _, _ = t.cost[i]
            moves = [
                turning_s(string, semitone, passes, abs(t.pitch[i, s, x] - t.pitch[i, s, y]))
                for s, (x, y) in enumerate(zip(d, e or (), strict=False))
                if x >= 0 and y >= 0 and x != y
            ]
            handled = bool(moves) or e is None
            self._retunes[key] = float(handling_s(base, check, t.strings[i]) + sum(moves)) if handled else 0.0
        return self._retunes[key]

    def _add(self, v: int) -> bool:
        """Follows a song's demands as far as there is room; False where that is for none of them."""
        new = [(int(self.t.way_inst[w]), demand_of(self.t, w)) for w in ways(self.t, v)]
        for i, d in new:
            if not self._known(i, d) and len(self.forced[i]) + len(self.further[i]) < self.most:
                self.further[i].append(d)
        return any(self._known(i, d) for i, d in new)

    def _known(self, i: int, d: Demand) -> bool:
        return d in self.further[i] or any(within(d, e) for e in self.forced[i])

    def _shared(self, songs: list[int]) -> SharedSongs:
        t = self.t
        rows = [[self._option(v, w) for w in ways(t, v)] for v in songs]
        flat = [option for row in rows for option in row]
        return SharedSongs(
            np.concatenate([[0], np.cumsum([len(row) for row in rows])]).astype(np.int64),
            np.array([i for i, _, _ in flat], np.int64), np.array([mask for _, mask, _ in flat], np.int64),
            np.array([seconds for _, _, seconds in flat], float),
        )  # fmt: skip

    def _option(self, v: int, w: int) -> tuple[int, int, float]:
        t, i, d = self.t, int(self.t.way_inst[w]), demand_of(self.t, w)
        along = any(within(d, e) for e in self.forced[i])
        mask = 0 if along else sum(1 << k for k, e in enumerate(self.further[i]) if within(e, d))
        return i, mask, float(t.way_comp[w] - t.least_comp[v])
