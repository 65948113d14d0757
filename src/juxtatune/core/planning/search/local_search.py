"""Improving plans: annealed on the lazy price, then some songs freed at a time and searched exactly around the rest.

Large neighbourhood search (Shaw 1998) finds what the lazy price does not see; annealing crosses wider valleys.
One climber belongs to one thread, and takes nothing from another: the same work gives the same plans.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.model.tables import Compiled
from juxtatune.core.planning.pricing.verify import price
from juxtatune.core.planning.search.annealer import HOT, Annealer
from juxtatune.core.planning.search.beam_search import BeamParams, Searcher, SearchResult
from juxtatune.core.planning.search.lns import fix_order, freed_songs, rules_around, song_penalties

TINY = 1e-7
TIME_UP = 2  # in the stop flag; 1 is a cancel, which is not made to wait
ROUNDS = 10  # neighbourhoods tried, and again while one of them brings something
SIZES = (8, 10, 6, 9, 11)  # songs freed at a time
LAST = 32  # states kept when an order found at the last moment is priced
SKETCH, STEPS, AGAIN = 1_000, 10_000, 5_000  # of annealing for every song: to show at once, in earnest, again
HEATS = (4.0, 7.0, 2.0, 5.5, 3.0)  # seconds
PATIENCE = 0.25  # for every song: times heated again without success, after which a chain has had its time


@dataclass
class Climb:
    """A plan being improved, with how many neighbourhoods were tried and how many since the last success."""

    plan: Plan
    rounds: int = 0
    stale: int = 0
    allowed: bool = True  # the plan keeps the limit on dead air


class LocalSearch:
    """Improves plans until `stop[0]` is set; `take` is told of everything found."""

    def __init__(
        self, compiled: Compiled, seed: int, stop: np.ndarray, take: Callable[[SearchResult], None]
    ) -> None:
        self.compiled, self.stop, self.take = compiled, stop, take
        self.searcher, self.annealer = Searcher(compiled), Annealer(compiled)
        self.rng = random.Random(seed)

    def anneal(self, climb: Climb, heat: float = HOT, steps: int = STEPS) -> bool:
        """Anneals a plan and prices the order found exactly; True when it is better."""
        seed = self.rng.getrandbits(63)
        cost, row, _ = self.annealer.run(climb.plan, steps * self.compiled.tables.n, seed, self.stop, heat)
        pred = fix_order(self.compiled, row.tolist())
        limit = climb.plan.totals.objective - TINY if climb.allowed else np.inf
        # beside a technician the choices of early work are too many, and add little
        extras = 0 if self.compiled.tables.tech else 2
        found = self.searcher.run(pred, BeamParams(256, extras), limit, self.stop)
        if found.stopped and self.stop[0] == TIME_UP and cost < limit:
            # what was found before the stop is not thrown away
            found = self.searcher.run(pred, BeamParams(LAST, extras), limit, np.zeros(1, np.int64))
        elif cost < min(found.cost, limit) - TINY:
            found = self.searcher.run(pred, BeamParams(2000, extras), limit, self.stop)
        if found.draft is None:
            return False
        climb.plan = price(self.compiled.gig, found.draft)
        self.take(replace(found, bound=0.0))
        return True

    def find(self, plan: Plan, times: int) -> None:
        """Looks for a plan that keeps the limit on dead air, from one that does not."""
        climb = Climb(plan, allowed=False)
        for _ in range(times):
            if self.stop[0] != 0 or self.anneal(climb, HOT, AGAIN):
                return

    def warm_up(self, plan: Plan, times: int) -> None:
        """Anneals a plan so many times; hot enough that each is a fresh start."""
        climb = Climb(plan)
        for _ in range(times):
            self.anneal(climb)

    def climb_on(self, plan: Plan, rounds: float) -> bool:
        """Chains of annealing from a plan, each ended by neighbourhoods. Some `rounds`; False when stopped."""
        quick = Climb(plan)
        self.anneal(quick, HOT, SKETCH)
        while rounds > 0 and self.stop[0] == 0:
            climb = Climb(plan)
            self.anneal(climb)
            stale = tried = 0
            while stale < PATIENCE * self.compiled.tables.n and self.stop[0] == 0:
                better = self.anneal(climb, HEATS[tried % len(HEATS)], AGAIN)
                tried, stale = tried + 1, 0 if better else stale + 1
            while self.improve(climb, ROUNDS) and climb.stale < ROUNDS:
                pass
            rounds -= 1
        return bool(self.stop[0] == 0)

    def improve(self, climb: Climb, rounds: int) -> bool:
        """Frees some songs of a plan at a time; False when stopped."""
        for _ in range(rounds):
            k, climb.rounds = climb.rounds, climb.rounds + 1
            free = freed_songs(self.rng, self.compiled, climb.plan, SIZES[k % len(SIZES)])
            pred = rules_around(self.compiled, climb.plan, free)
            effort = BeamParams(200, k // len(SIZES) % 2, 0.0, song_penalties(self.compiled, climb.plan))
            found = self.searcher.run(pred, effort, climb.plan.totals.objective - TINY, self.stop)
            if found.stopped:
                return False
            climb.stale += 1
            if found.draft is not None:
                climb.stale = 0
                climb.plan = price(self.compiled.gig, found.draft)
                self.take(replace(found, bound=0.0))
        return True
