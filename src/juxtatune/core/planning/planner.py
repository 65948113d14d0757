"""The planner: from a gig to the best plan found, with a proven bound.

Order of work: a narrow search for a first plan at once; annealing, which makes more of it; then wider searches
until nothing is dropped_bound (which proves the optimum) or the time is up, or on large nights more annealing beside a
bound from relaxed nights. Threads share the best plan and the best bound, and nothing they search by, so that the
same seed and the same work give the same plan.
"""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from juxtatune.core.planning.bounds.decomposition import decomposition_bounds, proven_infeasible
from juxtatune.core.planning.bounds.relaxation import Relaxer
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.model.plan import Plan, Slot
from juxtatune.core.planning.model.tables import U64, Compiled
from juxtatune.core.planning.pricing.verify import price
from juxtatune.core.planning.search.beam_search import BeamParams, Searcher, SearchResult
from juxtatune.core.planning.search.fixed_order import price_order
from juxtatune.core.planning.search.lns import fix_order
from juxtatune.core.planning.search.local_search import TIME_UP, TINY, LocalSearch
from juxtatune.core.planning.search.proof import ProofByParts
from juxtatune.core.repertoire.night import Gig

SMALL, LARGE = 12, 22  # songs: below, widths alone are quick; above, they prove nothing in time
WARM = 3  # times annealed on each thread before the wide searches on nights that may be proven
PROOF_FROM = 60_000
BESIDE = 4  # chains of annealing beside a proof before the bound is raised another way
MANY = 36  # songs
TRIES = 3  # annealings for a plan within a limit on dead air
QUICK = (1, 6)  # states kept for a first plan at once
BOUND_SHARE, BOUND_SHARE_OF_MANY = 0.6, 0.2  # of the time, at most
WIDTHS = (64, 600, 6_000, 60_000, 400_000, 1_500_000)


@dataclass(frozen=True)
class Solution:
    """`plan` is None when none was found; `impossible` is True when it is proven that there is none."""

    plan: Plan | None
    bound: float
    optimal: bool
    elapsed_s: float
    impossible: bool = False


Progress = Callable[[Solution], None]


class Planner:
    """One planning run: keeps the best plan and the best bound, and can be cancelled from another thread."""

    def __init__(
        self, gig: Gig, progress: Progress | None = None, seed: int = 0, start: tuple[Slot, ...] = ()
    ) -> None:
        """`start` is an order known already; the search goes on from it."""
        self.gig, self.progress, self.seed, self._start = gig, progress, seed, start
        # asked once when no plan comes at first: do rules clash?
        self.conflict_probe: Callable[[], bool] | None = None
        self.compiled: Compiled = compile_gig(gig)
        self.stop = np.zeros(1, np.int64)
        self.best: Plan | None = None
        self.bound = 0.0
        self.proven = False
        self.impossible = False
        self.started = time.monotonic()
        self._lock = threading.Lock()

    def cancel(self) -> None:
        self.stop[0] = 1

    def _time_is_up(self) -> None:
        self.stop[0] = self.stop[0] or TIME_UP

    def solution(self) -> Solution:
        bound = self.bound
        if self.best is not None:
            bound = min(bound, self.best.totals.objective)
        elapsed = time.monotonic() - self.started
        return Solution(
            self.best, _floored(bound), self.proven and self.best is not None, elapsed, self.impossible
        )

    def run(self, time_limit: float) -> Solution:
        """Searches until proven, cancelled or out of time (seconds)."""
        self._time_limit = time_limit
        timer = threading.Timer(max(0.0, time_limit - (time.monotonic() - self.started)), self._time_is_up)
        timer.daemon = True
        timer.start()
        try:
            self._search()
        finally:
            timer.cancel()
        return self.solution()

    def run_for_any(self, time_limit: float) -> Solution:
        """Stops at the first plan; for asking whether there is one."""
        self._any = True
        return self.run(time_limit)

    _any = False
    _gained = False
    _time_limit = math.inf

    def _search(self) -> None:
        if self.compiled.first == self.compiled.tables.n:
            over = Searcher(self.compiled)._read([()], 0, self.compiled.pred, BeamParams(1), 0.0)
            self._take(SearchResult(0.0, over, 0.0, False))
            self.proven = True
            return
        self.impossible = proven_infeasible(self.compiled, self.stop)
        if self.impossible:
            return
        pred = self.compiled.pred | self.compiled.alike
        open_songs = self.compiled.tables.n - self.compiled.first
        local = LocalSearch(self.compiled, self.seed, self.stop, self._take)
        self.best = price_order(self.gig, self._start) if self._start else None
        strategy = self._small if open_songs <= SMALL else self._provable if open_songs <= LARGE else self._large
        strategy(local, pred)

    def _small(self, local: LocalSearch, pred: U64) -> None:
        """Wider and wider searches: soon nothing is dropped, which proves the optimum."""
        for width in WIDTHS:
            rough = [BeamParams(width, 1, 0.5), BeamParams(width, 2, 0.0)] if width <= WIDTHS[1] else []
            if self._over(local, pred, rough or [BeamParams(width, 2, 0.25 if width <= WIDTHS[2] else 0.0)]):
                return
            if self._none_yet(local, pred, width):
                return

    def _provable(self, local: LocalSearch, pred: U64) -> None:
        """A first plan, annealing, then the widest searches beside more of it."""
        if self._first_plan(local, pred):
            return
        if self.best is not None:
            self._warm_up(local, self.best)
            if self.stop[0] != 0:
                return
        self._widen(local, pred)

    def _widen(self, local: LocalSearch, pred: U64) -> None:
        """Wider and wider searches, beside bounds on a thread of their own."""
        bounds = threading.Thread(target=self._raise_bounds, daemon=True)
        bounds.start()
        if self._over(local, pred, [BeamParams(WIDTHS[2], 2, 0.25)]):
            self.cancel()  # nothing is left to learn
        else:
            self._prove_beside(local, pred, bounds)
        bounds.join()

    def _raise_bounds(self) -> None:
        if self.best is not None:
            self._raise_by_guitars(lambda: True)
            self._raise_by_relaxing(lambda: True)

    def _large(self, local: LocalSearch, pred: U64) -> None:
        """A first plan, then annealing on one thread and a bound from relaxed nights on another."""
        if self._first_plan(local, pred):
            return
        if self.best is None:
            self._widen(local, pred)
            return
        self._anneal_beside_bounds(local, self.best)

    def _first_plan(self, local: LocalSearch, pred: U64) -> bool:
        """Narrow searches until one brings a plan; True when the planning is over."""
        # different widths and weights of the estimate lead past different rules
        quick = [BeamParams(w, 0, 0.06) for w in QUICK]
        more = [*(BeamParams(WIDTHS[0], 0, weight) for weight in (0.5, 0.02)), BeamParams(WIDTHS[0], 2, 0.2)]
        for params in (*quick, *more) if self.best is None else quick[:1]:
            if self._over(local, pred, [params]):
                return True
            if self.best is not None:
                break  # annealing makes more of any plan
        return self._none_yet(local, pred, WIDTHS[0])

    def _over(self, local: LocalSearch, pred: U64, efforts: list[BeamParams]) -> bool:
        """Searches by each; True when the planning is over."""
        return any(self._stopped(local.searcher.run(pred, params, self._limit(), self.stop)) for params in efforts)

    def _none_yet(self, local: LocalSearch, pred: U64, width: int) -> bool:
        """Where there is no plan yet, asks whether the limit on dead air, then whether the rules allow one."""
        if self.best is not None:
            return False
        limited = self.gig.night.max_dead_s is not None and width == WIDTHS[0]
        if limited and self._keeps_the_limit(local, pred):
            return True
        if self.best is None and self.conflict_probe is not None:
            probe, self.conflict_probe = self.conflict_probe, None
            return probe()
        return False

    def _keeps_the_limit(self, local: LocalSearch, pred: U64) -> bool:
        """Looks for a plan within the limit on dead air, from one beyond it; True when that was all that is asked."""
        free = replace(self.gig, night=replace(self.gig.night, max_dead_s=None))
        found = Searcher(compile_gig(free)).run(pred, BeamParams(QUICK[-1], 0, 0.06), math.inf, self.stop)
        if found.draft is not None:
            local.find(price(free, found.draft), TRIES)
        return self._any and self.best is not None

    def _warm_up(self, local: LocalSearch, start: Plan) -> None:
        other = LocalSearch(self.compiled, self.seed + 1, self.stop, self._take)
        thread = threading.Thread(target=other.warm_up, args=(start, WARM), daemon=True)
        thread.start()
        local.warm_up(start, WARM)
        thread.join()

    def _anneal_beside_bounds(self, local: LocalSearch, start: Plan) -> None:
        """Too many songs to prove by width: one thread climbs, another raises the bound by relaxing, then climbs too.

        The guitars apart say most and cost little; relaxing begins when a good plan is known, since nothing dearer need be
        explored.
        """
        other = LocalSearch(self.compiled, self.seed + 1, self.stop, self._take)

        def second() -> None:
            share = BOUND_SHARE if self.compiled.tables.n <= MANY else BOUND_SHARE_OF_MANY
            until = time.monotonic() + share * self._time_limit
            self._raise_by_guitars(lambda: time.monotonic() < until)
            other.warm_up(start, WARM)
            self._raise_by_relaxing(lambda: time.monotonic() < until)
            other.climb_on(start, math.inf)

        thread = threading.Thread(target=second, daemon=True)
        thread.start()
        local.climb_on(start, math.inf)
        thread.join()

    def _raise_by_guitars(self, go_on: Callable[[], bool]) -> bool:
        """Bounds from the guitars apart; False when that is enough."""
        bounds = decomposition_bounds(self.compiled, self._limit(), self.stop)
        return all(self._raised(bound, go_on) for bound in bounds)

    def _raise_by_relaxing(self, go_on: Callable[[], bool]) -> None:
        """Bounds from relaxed nights, until `go_on` says no to one; and the order that costs least on one, made good."""

        def order_found(order: list[int]) -> None:
            pred = fix_order(self.compiled, order)
            found = Searcher(self.compiled).run(pred, BeamParams(WIDTHS[1], 2), self._limit(), self.stop)
            self._take(replace(found, bound=0.0))
            if self.proven:
                self.cancel()

        Relaxer(self.compiled).raise_on(
            self._limit, self.stop, lambda bound: self._raised(bound, go_on), order_found
        )

    def _raised(self, bound: float, go_on: Callable[[], bool]) -> bool:
        self._raise(bound)
        return go_on()

    def _raise(self, bound: float) -> None:
        self._take(SearchResult(math.inf, None, bound, False))
        if self.proven:
            self.cancel()

    def _prove_beside(self, local: LocalSearch, pred: U64, bounds: threading.Thread) -> None:
        """Wide searches on a thread of their own, while this one climbs on and helps once no bound can be raised.

        The proof works from the best plan of this moment, so that a proven optimum does not depend on luck.
        """
        # nothing better turned up lately: go for the widest at once
        widths = [w for w in WIDTHS if w >= PROOF_FROM and (w > PROOF_FROM or self._gained)]
        parts = None
        if self.best is not None and ProofByParts.suits(self.gig):
            parts = ProofByParts(
                self.gig, tuple(widths), self._limit, self.stop, self._raise, self._order_found
            )
        thread = threading.Thread(target=self._prove, args=(pred, widths, self._limit(), parts), daemon=True)
        thread.start()
        bounds.join()
        if self.best is not None and local.climb_on(self.best, BESIDE if parts is None else 1):
            if parts is not None:
                parts.work()
            local.climb_on(self.best, math.inf)
        thread.join()

    def _prove(self, pred: U64, widths: list[int], limit: float, parts: ProofByParts | None) -> None:
        if parts is not None:
            parts.work_to_the_end()
            if self.stop[0] != 0 or parts.bound > 0:
                return  # as high as parts can bring it
        searcher = Searcher(self.compiled)
        for width in widths:
            found = searcher.run(pred, BeamParams(width, 2, 0.0), limit, self.stop)
            if self._stopped(found):
                self.cancel()  # the climb beside it has nothing left to find
                return
            limit = min(limit, found.cost - TINY)

    def _order_found(self, slots: tuple[Slot, ...]) -> bool:
        """Keeps an order that a proof came upon; False where it does not hold or is no better."""
        plan = price_order(self.gig, slots)
        with self._lock:
            if plan is None or plan.totals.objective >= self._limit():
                return False
            self.best = plan
        return True

    def _stopped(self, found: SearchResult) -> bool:
        """Takes what a search brought; True when the planning is over."""
        if found.stopped:
            return True
        self._gained = found.draft is not None
        self._take(found)
        return self.proven or self.impossible or (self._any and self.best is not None)

    def _limit(self) -> float:
        return self.best.totals.objective - TINY if self.best is not None else math.inf

    def _take(self, found: SearchResult) -> None:
        """Re-prices what was found; keeps it if better; learns from the bound. Called from two threads."""
        with self._lock:
            self._learn(found)
        if self.progress is not None:
            self.progress(self.solution())

    def _learn(self, found: SearchResult) -> None:
        if found.draft is not None:
            plan = price(self.gig, found.draft)
            if self.best is None or plan.totals.objective < self.best.totals.objective:
                self.best = plan
        if math.isfinite(found.bound) or found.bound == math.inf:
            self.bound = max(self.bound, found.bound if math.isfinite(found.bound) else self.bound)
            proven = max(self.bound, found.bound)
            if self.best is not None and proven >= self.best.totals.objective - 2 * TINY:
                self.proven = True
            if self.best is None and found.bound == math.inf:
                self.impossible = True


def _floored(bound: float) -> float:
    """Rounded down, with room for rounding errors, so that a bound is never above the optimum."""
    return max(0.0, math.floor((bound - 1e-6) * 1000) / 1000)


def solve(gig: Gig, time_limit: float = 10.0, progress: Progress | None = None) -> Solution:
    return Planner(gig, progress).run(time_limit)
