"""Large neighbourhoods of a plan: which songs to free while the rest keep their order.

The freed songs may go anywhere; the search places them exactly (Shaw 1998, large neighbourhood search).
"""

from __future__ import annotations

import random
from itertools import pairwise

import numpy as np

from juxtatune.core.planning.model.objective import WORK_WEIGHT
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.model.tables import F64, U64, Compiled


def freed_songs(rng: random.Random, compiled: Compiled, plan: Plan, size: int) -> list[int]:
    """Indices of the songs to free: a stretch, songs alike, songs around dear gaps, or any."""
    at = {s.id: k for k, s in enumerate(compiled.gig.songs)}
    order = [at[s.song] for s in plan.order[compiled.first :]]
    size = min(size, len(order))
    kind = rng.randrange(4)
    if kind == 0:
        start = rng.randrange(len(order) - size + 1)
        return order[start : start + size]
    dear = [at[g.before] for g in plan.gaps if g.dead_s > 0] + [
        at[g.after] for g in plan.gaps if g.dead_s > 0
    ]
    dear = [v for v in dict.fromkeys(dear) if v in order]
    if kind == 1 and dear:
        chosen = rng.sample(dear, min(len(dear), size - 1))
        return _filled(rng, chosen, order, size)
    if kind == 2:
        first = rng.choice(dear or order)
        alike = [v for v in order if _shares(compiled, first, v)]
        return _filled(rng, rng.sample(alike, min(len(alike), size - 1)), order, size)
    return rng.sample(order, size)


def _filled(rng: random.Random, chosen: list[int], order: list[int], size: int) -> list[int]:
    rest = [v for v in order if v not in chosen]
    return chosen + rng.sample(rest, min(len(rest), size - len(chosen)))


def _shares(compiled: Compiled, a: int, b: int) -> bool:
    """True when two songs have a demand on a guitar in common."""
    t = compiled.tables
    mine = set(t.way_demand[t.way_start[a] : t.way_start[a + 1]].tolist())
    return bool(mine & set(t.way_demand[t.way_start[b] : t.way_start[b + 1]].tolist()))


def song_penalties(compiled: Compiled, plan: Plan) -> F64:
    """What each song costs in a plan: dead air and work of the gap before it."""
    penalty = np.zeros(compiled.tables.n)
    at = {s.id: k for k, s in enumerate(compiled.gig.songs)}
    for gap in plan.gaps:
        penalty[at[gap.before]] = gap.dead_s + WORK_WEIGHT * gap.work_s
    return penalty


def rules_around(compiled: Compiled, plan: Plan, free: list[int]) -> U64:
    """The gig's rules with all songs but the free ones kept in the plan's order."""
    at = {s.id: k for k, s in enumerate(compiled.gig.songs)}
    return fix_order(compiled, [at[s.song] for s in plan.order if at[s.song] not in set(free)])


def fix_order(compiled: Compiled, songs: list[int]) -> U64:
    """The gig's rules, with these songs kept in this order."""
    pred = compiled.pred.copy()
    for a, b in pairwise(songs):
        pred[b, a >> 6] |= np.uint64(1) << np.uint64(a & 63)
    return pred
