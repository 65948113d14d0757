"""Improving plans: some songs of a plan are freed at a time, and the order is searched exactly around the rest.

Large neighbourhood search (Shaw 1998), from several starts; the best one is climbed on, and a fresh start is
tried whenever that has got stuck. One climber belongs to one thread.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from juxtatune.core.planning.compiled import Compiled
from juxtatune.core.planning.neighbourhood import freed_songs, rules_around, worth_of
from juxtatune.core.planning.plan import Plan
from juxtatune.core.planning.price import price
from juxtatune.core.planning.search import Effort, Found, Searcher

TINY = 1e-7
ROUNDS = 16
PATIENCE = 48  # rounds without success after which a fresh start is tried
SIZES = (8, 10, 6, 9, 11)  # songs freed at a time
MANY = 22  # songs from which ever larger neighbourhoods pay


@dataclass
class Climb:
    """A plan being improved, with how many neighbourhoods were tried and how many since the last success."""

    plan: Plan
    rounds: int = 0
    stale: int = 0


class Climber:
    """Improves plans until `stop[0]` is set; `take` is told of everything found."""

    def __init__(
        self, compiled: Compiled, seed: int, stop: np.ndarray, take: Callable[[Found], None]
    ) -> None:
        self.compiled, self.stop, self.take = compiled, stop, take
        self.searcher = Searcher(compiled)
        self.rng = random.Random(seed)

    def climb_on(self, climbs: list[Climb], budget: float) -> bool:
        """Improves the starts, then the best of them. `budget` counts neighbourhoods tried; False when stopped."""
        for climb in climbs:
            budget -= ROUNDS
            if climb.rounds < ROUNDS and not self._improve(climb, ROUNDS):
                return False
        climbs.sort(key=lambda c: c.plan.totals.objective)
        while budget > 0:
            best = climbs[0]
            budget -= ROUNDS
            if not self._improve(best, ROUNDS):
                return False
            if best.stale < PATIENCE:
                continue
            best.stale = 0
            fresh = self._fresh_start()
            if fresh is None:
                continue
            budget -= 2 * ROUNDS
            if not self._improve(fresh, 2 * ROUNDS):
                return False
            climbs.append(fresh)
            climbs.sort(key=lambda c: c.plan.totals.objective)
        return bool(self.stop[0] == 0)

    def _fresh_start(self) -> Climb | None:
        """Another plan from a narrow search with another weight of the guess."""
        pred = self.compiled.pred | self.compiled.alike
        guess = 10 ** self.rng.uniform(-2, 0.1)
        found = self.searcher.run(pred, Effort(64, 0, guess), math.inf, self.stop)
        return Climb(price(self.compiled.gig, found.draft)) if found.draft is not None else None

    def _improve(self, climb: Climb, rounds: int) -> bool:
        """Frees some songs of a plan at a time; False when stopped."""
        for _ in range(rounds):
            k, climb.rounds = climb.rounds, climb.rounds + 1
            # longer without success: freer and wider
            patience = min(climb.stale // 30, 3 if self.compiled.tables.n > MANY else 0)
            free = freed_songs(self.rng, self.compiled, climb.plan, SIZES[k % len(SIZES)] + patience)
            pred = rules_around(self.compiled, climb.plan, free)
            effort = Effort(200 << patience, k // len(SIZES) % 2, 0.0, worth_of(self.compiled, climb.plan))
            found = self.searcher.run(pred, effort, climb.plan.totals.objective - TINY, self.stop)
            if found.stopped:
                return False
            climb.stale += 1
            if found.draft is not None:
                climb.stale = 0
                climb.plan = price(self.compiled.gig, found.draft)
                self.take(replace(found, bound=0.0))
        return True
