"""Planning a night for a view or the command line: the planner, and why nothing could be found."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from juxtatune.core.planning.explain.conflicts import going_round, limit_clash, order_clash, sizes_clash
from juxtatune.core.planning.planner import Planner, Solution
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.repertoire.rules import Rule, rules_of, with_rules

LIMIT_TRY_S = 1.0


@dataclass(frozen=True)
class Outcome:
    """A solution, or the smallest set of rules that cannot all hold."""

    solution: Solution | None
    clash: tuple[Rule, ...] = ()


class NightPlanner:
    """One planning run. `run` belongs on a worker thread; `cancel` and `so_far` may come from another."""

    def __init__(self, gig: Gig, progress: Callable[[Solution], None] | None = None, seed: int = 0) -> None:
        self.gig, self._progress, self._seed = gig, progress, seed
        self._planner: Planner | None = None
        self._cancelled = False
        self._doubted = not rules_of(gig.night)

    def cancel(self) -> None:
        self._cancelled = True
        if self._planner is not None:
            self._planner.cancel()

    def so_far(self) -> Outcome:
        return Outcome(self._planner.solution() if self._planner is not None else None)

    @property
    def undecided(self) -> bool:
        """Whether there is no plan yet, and it is not yet known whether the rules clash."""
        return not self._doubted and (self._planner is None or self._planner.best is None)

    def run(self, time_limit: float) -> Outcome:
        """Plans until proven, cancelled or out of time (seconds). Raises UserError for unusable gigs."""
        began = time.monotonic()
        if sizes_clash(self.gig):
            return Outcome(None, (Rule("part_sizes"),))
        if found := going_round(self.gig):
            self._doubted = True
            return Outcome(None, found)
        self._planner = Planner(self.gig, self._progress, seed=self._seed)
        self._planner.conflict_probe = self._order_clash
        self._clash: tuple[Rule, ...] = ()
        if self._cancelled:
            self._planner.cancel()
        solution = self._planner.run(time_limit)
        if solution.plan is None and not self._clash and solution.impossible:
            self._clash = self._why_impossible(began + max(time_limit, 1.0) + 1.0)
        elif solution.plan is None and self.undecided and not self._cancelled:
            self._order_clash()
        return Outcome(solution, self._clash)

    def _order_clash(self) -> bool:
        self._clash = tuple(order_clash(self.gig) or ())
        self._doubted = True
        return bool(self._clash)

    def _why_impossible(self, until: float) -> tuple[Rule, ...]:
        def holds(gig: Gig) -> bool:
            left = until - time.monotonic()
            if left <= 0:
                return True
            return not Planner(gig).run_for_any(min(LIMIT_TRY_S, left)).impossible

        limited = self.gig.night.max_dead_s is not None
        alone = Rule("max_dead_s")
        if limited and not holds(replace(self.gig, night=with_rules(self.gig.night, [alone]))):
            return (alone,)
        found = order_clash(self.gig)
        if found or not limited:
            return tuple(found or ())
        return tuple(limit_clash(self.gig, holds))
