"""Good orders fast: anneals a gig's plans on the lazy price; the exact search then makes the best of each order."""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.model.tables import FREE_CAPO, I64, Compiled
from juxtatune.core.planning.pricing.just_in_time import Lazy
from juxtatune.core.planning.search.annealing import Rules, anneal, lazy_cost

HOT, COLD = 20.0, 0.3  # seconds


class Annealer:
    """Anneals plans of one gig."""

    def __init__(self, compiled: Compiled) -> None:
        self.compiled = compiled
        self.tables: Lazy = lazy_tables(compiled)
        self.rules = rules_of(compiled)

    def order_of(self, plan: Plan) -> tuple[I64, I64]:
        """A plan as songs by place and ways by song."""
        at = {s.id: k for k, s in enumerate(self.compiled.gig.songs)}
        start = self.compiled.tables.way_start
        way = start[:-1].copy()
        for slot in plan.order:
            way[at[slot.song]] += slot.way or 0
        return np.array([at[slot.song] for slot in plan.order], np.int64), way

    def cost(self, plan: Plan) -> float:
        return float(lazy_cost(self.tables, *self.order_of(plan)))

    def run(
        self, plan: Plan, steps: int, seed: int, stop: np.ndarray, hot: float = HOT, cold: float = COLD
    ) -> tuple[float, I64, I64]:
        """The lazy cost, songs by place and ways by song of the best order found."""
        row, way = self.order_of(plan)
        if not len(self.rules.places) and not len(self.rules.many):
            return self.cost(plan), row, way
        best = anneal(self.tables, self.rules, row, way, steps, hot, cold, seed, stop)
        return float(best), row, way


def lazy_tables(compiled: Compiled) -> Lazy:
    t, first = compiled.tables, compiled.first
    words = t.words
    cost = t.cost
    apart = np.abs(t.pitch[:, :, :, None] - t.pitch[:, :, None, :])
    step = cost[:, 4, None, None, None] * (
        cost[:, 1, None, None, None] + cost[:, 2, None, None, None] * apart
    )
    under_way = bool(first and first < t.n and t.part[first] == t.part[first - 1])
    now = np.full(t.pitch.shape[:2], -1, np.int64)
    capo_now = np.full(t.insts, FREE_CAPO, np.int64)
    sig = int(compiled.start_key[words])
    for i in range(t.insts if under_way else 0):
        word = int(compiled.start_key[words + 1 + i])
        capo_now[i] = word >> (int(t.ready_bit[i]) + 1) & FREE_CAPO
        for s in range(int(t.strings[i])):
            mask = (1 << int(t.width[i, s])) - 1
            index = word >> int(t.offset[i, s]) & mask
            now[i, s] = -1 if index == mask else index
    return Lazy(
        first, under_way, bool(t.tech), float(t.max_dead), float(t.curve_weight),
        float(t.sig_cover[sig]) if under_way else 0.0, int(t.sig_inst[sig]) if under_way else -1,
        t.part, _ends(compiled), t.curve, t.cover, t.length, t.energy,
        t.way_start, t.way_inst, t.way_demand, t.way_capo, t.way_comp, t.demand_pitch,
        step, cost[:, 0] + cost[:, 3] * t.strings, cost[:, 5].copy(), cost[:, 6].copy(), now, capo_now,
    )  # fmt: skip


def _ends(compiled: Compiled) -> I64:
    first, part = compiled.first, compiled.tables.part
    inside = [k for k in range(first + 1, len(part)) if part[k] != part[k - 1]]
    return np.array([first, *inside, len(part)], np.int64)


def rules_of(compiled: Compiled) -> Rules:
    gig, t = compiled.gig, compiled.tables
    at = {s.id: k for k, s in enumerate(gig.songs)}
    pinned = {gig.place_of_pin(pin): at[pin.song] for pin in gig.night.pins}
    follows = {at[a]: at[b] for a, b in gig.night.adjacent}
    leads = {b: a for a, b in follows.items()}
    for chain, step in ((follows, 1), (leads, -1)):  # a medley with a pinned song stands still
        for place, song in list(pinned.items()):
            while song in chain and chain[song] not in pinned.values():  # medleys may run in a circle
                place, song = place + step, chain[song]
                pinned[place] = song
    tied = np.zeros(t.n, np.int64)
    tied[[b for b in leads if b not in pinned.values()]] = 1
    night = gig.night
    return Rules(
        np.array([k for k in range(compiled.first, t.n) if k not in pinned], np.int64),
        np.flatnonzero(np.diff(t.way_start) > 1),
        tied,
        *(_pairs(pairs, at) for pairs in (night.adjacent, night.before, night.apart)),
    )


def _pairs(pairs: tuple[tuple[str, str], ...], at: dict[str, int]) -> I64:
    return np.array([(at[a], at[b]) for a, b in pairs], np.int64).reshape(-1, 2)
