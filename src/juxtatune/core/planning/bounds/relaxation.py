"""A relaxed night: some songs must be played, the others may be played again and again or not at all.

Where all must be played, only the work is relaxed (see relaxed_successors), and places and the energy curve count.

Every plan of the true night is also a plan of the relaxed one, so the least cost of the relaxed night is a lower
bound; and as only the critical_songs songs are remembered, far fewer states are told apart. Tracked at first are songs of
which every other song with one way could follow one without work; then songs that the best relaxed plan repeats or
leaves out join them (decremental state space relaxation: Boland, Dethridge and Dumitrescu 2006; Righini and
Salani 2008).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from juxtatune.core.planning.bounds import best_first
from juxtatune.core.planning.bounds.relaxed_successors import loose_scratch, loose_store
from juxtatune.core.planning.model.tables import Compiled, Tables, bits, pack

ROOM = 3_000_000  # states kept, of all parts' explorations together
STEP = 0.02  # of the best plan's cost, by which the worst part's bound is raised at a time
FEW = 22  # songs, all of which are critical at once
MORE = 2  # songs that join the critical_songs ones at a time, beside those repeated


def open_songs(compiled: Compiled) -> list[int]:
    """Songs still to be played, but for those pinned to open or close a part: they come once in any case."""
    gig, t = compiled.gig, compiled.tables
    ends = {place for opening, _, closing in spans(compiled) for place in (opening, closing)}
    pinned = {pin.song for pin in gig.night.pins if gig.place_of_pin(pin) in ends}
    return [v for v in range(t.n) if gig.songs[v].id not in pinned and not _played(compiled, v)]


def first_critical(compiled: Compiled) -> list[int]:
    """Songs such that every other song with one way could be played straight after one of them without work.

    Beside them those with more talk than usual, which a relaxed plan would repeat.
    """
    t = compiled.tables
    spare = float(np.median(t.cover)) if t.n else 0.0
    rows = open_songs(compiled)
    pinned = [v for v in range(t.n) if v not in rows and not _played(compiled, v)]
    chosen: list[int] = []

    def rank(v: int) -> tuple:
        ways = range(t.way_start[v], t.way_start[v + 1])
        return (
            len(ways),
            -max(int((t.demand_pitch[t.way_demand[w]] >= 0).sum()) for w in ways),
            -t.cover[v],
            v,
        )

    for v in sorted(rows, key=rank):
        alone = t.way_start[v + 1] - t.way_start[v] == 1
        if t.cover[v] > spare or (alone and not any(_fits(compiled, v, c) for c in (*chosen, *pinned))):
            chosen.append(v)
    return chosen


def _played(compiled: Compiled, v: int) -> bool:
    return bool(int(compiled.start_key[v >> 6]) >> (v & 63) & 1)


def _fits(compiled: Compiled, v: int, c: int) -> bool:
    """True when v, in a way that costs least, wants nothing that c's only way does not leave in place."""
    t = compiled.tables
    if t.way_start[c + 1] - t.way_start[c] != 1:
        return False
    a = int(t.way_start[c])
    return any(
        t.way_comp[w] <= t.least_comp[v] + 1e-9 and _within(t, w, a)
        for w in range(t.way_start[v], t.way_start[v + 1])
    )


def _within(t: Tables, w: int, a: int) -> bool:
    """Way w can be played straight after way a without work."""
    if t.way_inst[w] != t.way_inst[a] or t.way_capo[w] != t.way_capo[a]:
        return False
    wants, has = t.demand_pitch[t.way_demand[w]], t.demand_pitch[t.way_demand[a]]
    return bool(np.all((wants < 0) | (wants == has)))


def relaxed(compiled: Compiled, critical_songs: set[int], order: list[tuple[int, int, int]]) -> Compiled:
    """The gig in which only `critical_songs` songs are played exactly once."""
    t = compiled.tables
    free = [v for v in range(t.n) if v not in critical_songs and not _played(compiled, v)]
    idle = [v for v in free if any(_better(compiled, w, v) for w in free)]
    repeat = bits([v for v in free if v not in idle], t.words)
    key = compiled.start_key.copy()
    key[: t.words] |= bits(idle, t.words)
    gone = bits(free, t.words)
    counted = not free
    allowed = t.allowed.copy()
    for _, middle, closing in order:
        if middle >= 0 and not counted:
            allowed[middle] = np.bitwise_or.reduce(t.allowed[middle:closing], axis=0)
    curve_sorted = t.curve_sorted.copy()
    places = places_of(compiled, order)
    for k, place in enumerate(places):
        curve_sorted[place, : len(places) - k] = np.sort(t.curve[places[k:]])
    parts_left = np.zeros_like(t.parts_left)
    for k, (opening, _, closing) in enumerate(order):
        # a part under way is come back to at its opening, which lies behind
        parts_left[opening : closing + 1] = len(order) - k
    tables = t._replace(
        parts_left=parts_left, relaxed=True, repeat=repeat, allowed=allowed, curve_sorted=curve_sorted,
        curve_weight=t.curve_weight if counted else 0.0,
        repeat_cover=max((float(t.cover[v]) for v in open_songs(compiled) if v not in critical_songs), default=0.0),
    )  # fmt: skip
    return replace(
        compiled,
        tables=tables,
        packed=pack(tables),
        pred=compiled.pred & ~gone,
        alike=compiled.alike & ~gone,
        start_key=key,
    )


def _better(compiled: Compiled, a: int, b: int) -> bool:
    """True when playing `a` (again) does all that playing `b` could, and b need not be offered at all."""
    if a == b:
        return False
    gig, t = compiled.gig, compiled.tables
    ruled = {s for pair in (*gig.night.before, *gig.night.adjacent, *gig.night.apart) for s in pair}
    ruled |= {p.song for p in gig.night.pins}
    if gig.songs[a].id in ruled or gig.songs[b].id in ruled:
        return False
    if t.cover[a] < t.cover[b] or (t.tech and t.length[a] < t.length[b]):
        return False
    if t.curve_weight > 0 and t.energy[a] != t.energy[b]:
        return False
    ways_a = range(t.way_start[a], t.way_start[a + 1])
    ways_b = range(t.way_start[b], t.way_start[b + 1])
    does = all(any(t.way_comp[x] <= t.way_comp[y] and _within(t, x, y) for x in ways_a) for y in ways_b)
    if not does:
        return False
    undoes = all(any(t.way_comp[y] <= t.way_comp[x] and _within(t, y, x) for y in ways_b) for x in ways_a)
    same = t.cover[a] == t.cover[b] and (not t.tech or t.length[a] == t.length[b])
    return not (undoes and same) or a < b


def spans(compiled: Compiled) -> list[tuple[int, int, int]]:
    """Opening, middle (-1: none) and closing place of every part still open.

    A part under way has an opening that lies behind.
    """
    t, first = compiled.tables, compiled.first
    found = []
    for q in sorted(set(t.part[first:].tolist())):
        places = [k for k in range(first, t.n) if t.part[k] == q]
        under_way = first > 0 and t.part[first - 1] == q
        opening = places[0] - 1 if under_way else places[0]
        inner = places[0] if under_way else places[0] + 1
        found.append((opening, inner if inner < places[-1] else -1, places[-1]))
    return found


def places_of(compiled: Compiled, order: list[tuple[int, int, int]]) -> list[int]:
    """Every place still open, part after part in an order."""
    first = compiled.first
    return [place for opening, _, closing in order for place in range(max(opening, first), closing + 1)]


class Exploration:
    """A relaxed night explored from one part, which is taken to cost least of all parts still open."""

    def __init__(self, night: Compiled, critical_songs: set[int], lead: int, room: int) -> None:
        order = spans(night)
        order.insert(0, order.pop(lead))
        self.compiled = relaxed(night, critical_songs, order)
        t, words = self.compiled.tables, night.tables.words
        self.columns = len(night.start_key)
        self._must = bits(sorted(critical_songs), words)
        # the order of parts is not the night's: songs that must come before others may be in another part
        before = np.zeros_like(self.compiled.pred) if lead else self.compiled.pred
        self._pred = before | self.compiled.alike
        self._parts = _part_tables(night, order, len(critical_songs))
        self.counted = all(v in critical_songs or _played(night, v) for v in range(t.n))
        self._places = np.array(places_of(night, order) if self.counted else [], np.int64)
        under_way = night.first > 0 and t.part[night.first] == t.part[night.first - 1]
        soonest = min(range(len(order)), key=lambda k: order[k][2])
        blank = np.concatenate([np.zeros(1, np.uint64), t.blank])
        self._starts = np.array(
            [night.start_key[words:] if k == soonest else blank for k in range(len(order))]
        )
        self._nodes = (
            np.empty((room, self.columns + 1), np.uint64),
            np.empty(room), np.empty(room), np.empty(room, np.int64), np.empty(room, np.int64),
        )  # fmt: skip
        self._heap = (np.empty(2 * room), np.empty(2 * room, np.int64))
        self._table = np.empty(1 << int(np.ceil(np.log2(room * 2 + 2))), np.int64)
        self._best, self._extent = np.zeros(1), np.zeros(2, np.int64)
        self._scratch, self._store = (
            loose_scratch(len(t.strings), int(t.strings.max())),
            loose_store(self.columns),
        )
        first = np.concatenate([self.compiled.start_key[:words], self._starts[0]])
        self._nodes[0][0] = np.append(first, np.uint64(1 if under_way and soonest == 0 else 0))
        self._nodes[1][0] = self._nodes[2][0] = 0.0
        best_first.begin(self._nodes, self._heap, self._table, self._extent)
        self._lowest_limit = np.inf
        self.over = False  # nothing more can be learnt
        self.walk: tuple[int, ...] | None = None  # songs (perhaps repeated) of the relaxed optimum

    @property
    def bound(self) -> float:
        # states at a limit or above it were thrown away
        return float(min(self._best[0], self._lowest_limit))

    @property
    def order(self) -> list[int]:
        """The songs of the walk by their places, where places count."""
        assert self.walk is not None
        return [self.walk[k] for k in np.argsort(self._places)]

    def go_on(self, limit: float, pause: float, stop: np.ndarray) -> None:
        """Raises the bound to `pause`, or until it can be raised no more or `stop[0]` is set."""
        self._lowest_limit = min(self._lowest_limit, limit)
        outcome, goal = best_first.explore(
            self.compiled.packed, self._pred, self._must, self._parts, self._places, self._starts, self._nodes,
            self._heap, self._table, self._extent, np.array([limit, pause]), stop, self._best, self._scratch, self._store,
        )  # fmt: skip
        if outcome == best_first.EMPTY:
            self._best[0] = limit
        elif outcome == best_first.GOAL:
            self.walk = self._walk(goal)
        self.over = outcome in (best_first.EMPTY, best_first.GOAL, best_first.FULL)

    def _walk(self, row: int) -> tuple[int, ...]:
        _, _, _, parent, way = self._nodes
        songs = []
        while row > 0:
            songs.append(self.compiled.way_of[int(way[row])][0])
            row = int(parent[row])
        return tuple(reversed(songs))


def _part_tables(night: Compiled, order: list[tuple[int, int, int]], critical_songs: int) -> tuple[np.ndarray, ...]:
    """Of every part in the order of exploring: places, places in parts after it, critical_songs songs it must leave."""
    t = night.tables
    behind = t.part[night.first - 1] if night.first else -1
    begun = [1 if t.part[c] == behind else 0 for _, _, c in order]
    sizes = [c - o + 1 - b for (o, _, c), b in zip(order, begun, strict=True)]
    after = [sum(sizes[k + 1 :]) for k in range(len(order))]
    least = [critical_songs - sum(sizes[: k + 1]) for k in range(len(order))]
    return tuple(np.array(c, np.int64) for c in (*zip(*order, strict=True), after, least, begun))


class Relaxer:
    """Raises a lower bound of a whole night for as long as it is let."""

    def __init__(self, night: Compiled) -> None:
        self.night = night
        self.bound = 0.0
        rows = {v for v in range(night.tables.n) if not _played(night, v)}
        self.critical_songs = rows if len(rows) <= FEW else set(first_critical(night))
        self._enough = False

    def raise_on(
        self,
        limit: Callable[[], float],
        stop: np.ndarray,
        told: Callable[[float], bool],
        order_found: Callable[[list[int]], None] = lambda order: None,
    ) -> None:
        """`limit` gives the cost of the best plan known; `told` hears of every better bound and says whether to go on;
        `order_found` of the order that costs least while the work is relaxed."""
        while stop[0] == 0:
            leads = [
                Exploration(self.night, self.critical_songs, k, ROOM // len(spans(self.night)))
                for k in range(len(spans(self.night)))
            ]
            self._explore(leads, limit, stop, told)
            worst = min(leads, key=lambda e: e.bound)
            if self._enough or stop[0] != 0 or worst.walk is None or self.bound >= limit():
                return
            if worst.counted:
                order_found(worst.order)
                return
            more = self._missing(worst.walk)
            if not more:
                return
            self.critical_songs |= more

    def _explore(
        self,
        leads: list[Exploration],
        limit: Callable[[], float],
        stop: np.ndarray,
        told: Callable[[float], bool],
    ) -> None:
        always = 0.0 if leads[0].counted else _curve_distance(self.night)
        while stop[0] == 0 and not self._enough:
            worst = min(leads, key=lambda e: e.bound)
            if worst.over:
                return
            most = limit() - always
            worst.go_on(most, worst.bound + max(most * STEP, 1e-3) if np.isfinite(most) else np.inf, stop)
            bound = min(e.bound for e in leads) + always
            if bound > self.bound:
                self.bound = bound
                self._enough = not told(bound)

    def _missing(self, walk: tuple[int, ...]) -> set[int]:
        """Songs that a relaxed plan repeats or, with work to be done for them, leaves out; else any it leaves out."""
        open_ = set(open_songs(self.night)) - self.critical_songs
        repeated = {v for v in open_ if walk.count(v) > 1}
        left_out = [v for v in open_ if v not in walk]
        unfit = [v for v in left_out if not any(_fits(self.night, v, c) for c in walk)]
        return repeated | set(unfit[:MORE]) or set(left_out[:MORE]) or set(sorted(open_)[:MORE])


def _curve_distance(night: Compiled) -> float:
    """Least seconds for straying from the energy curve, which no relaxed plan is charged for."""
    t, first = night.tables, night.first
    energy = [float(t.energy[v]) for v in range(t.n) if not _played(night, v)]
    return float(t.curve_weight * np.abs(np.sort(energy) - np.sort(t.curve[first:])).sum())
