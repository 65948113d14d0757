"""What the Night view shows: the open night, its price, the plan beside it. No widgets; edits are in `edits`."""

from __future__ import annotations

import time
from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal

from juxtatune.app import night as orders
from juxtatune.app.logbook import events
from juxtatune.app.planning import Outcome
from juxtatune.app.session import Session
from juxtatune.app.spread import Spread, spread
from juxtatune.app.spread import words as spread_words
from juxtatune.app.tuning_names import show_tuning
from juxtatune.book.log_query import Wanted, rows
from juxtatune.book.state import NightRecord, gig_of
from juxtatune.core.errors import UserError
from juxtatune.core.logbook.learned import learn
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.planner import Solution
from juxtatune.core.repertoire.night import Gig
from juxtatune.qt.views.night.controller import NightController
from juxtatune.qt.views.night.versions import LEFT, RIGHT, Versions
from juxtatune.qt.views.night.why import WhyPresenter, unruled
from juxtatune.qt.views.night.wording import plan_title, progress, verdict
from juxtatune.qt.widgets.score_values import Score, score_of
from juxtatune.qt.worker import LatestWorker, PlanWorker

SEEN = 2000  # retunes of the log that a simulation rests on
PLAN_SECONDS = 60.0
TICK_MS = 1000


class NightPresenter(QObject):
    """Owns the planning and pricing workers of the open night."""

    edited = Signal()  # the book is another; prices follow with `changed`
    changed = Signal()
    spread_known = Signal()
    message = Signal(str)
    doing = Signal(str)  # how far planning is; empty when nothing is under way

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._open: str | None = None
        self.versions = Versions()
        self.edits = NightController(session, self.night, self.versions, self.message.emit)
        self.given: Plan | None = None
        self.given_gig: Gig | None = None  # what `given` was priced for: the book may be ahead of it
        self._asked: Gig | None = None  # what the newest price was asked for
        self.planned: Solution | None = None
        self._planned_gig: Gig | None = None
        self._worker: PlanWorker | None = None
        self._began = self._limit = 0.0
        self._ticks = QTimer(self)
        self._ticks.setInterval(TICK_MS)
        self._ticks.timeout.connect(self._tell_progress)
        self.why = WhyPresenter()
        self._prices = LatestWorker("pricing")
        self._prices.done.connect(self._priced)
        self._prices.failed.connect(lambda key, text: self.message.emit(text))
        self.spread: Spread | None = None  # of the dead air of the order as it stands
        self._spreads = LatestWorker("simulating nights")
        self._spreads.done.connect(self._spread_known)
        self._spreads.failed.connect(lambda key, text: self.message.emit(text))
        self._unwatch = session.watch(self.refresh)

    def close(self) -> None:
        self._unwatch()
        self._ticks.stop()
        self.cancel()
        self.why.close()
        if self._worker is not None:
            self._worker.wait(3000)
        self._prices.close()
        self._spreads.close()

    # -- state
    def night(self) -> NightRecord | None:
        """The open night: the first of the book until another is opened."""
        nights = self.session.state.nights
        return next((n for n in nights if n.id == self._open), nights[0] if nights else None)

    def open_night(self, night_id: str) -> None:
        self.cancel()
        self._open = night_id
        self._forget_plan()
        self.versions.clear()
        self.refresh()

    def _forget_plan(self) -> None:
        self.planned = self._planned_gig = None

    def gig(self) -> Gig | None:
        """What is to be planned; None for a night without songs. Raises UserError when it cannot be played."""
        night = self.night()
        return gig_of(self.session.state, night) if night is not None and night.slots else None

    def refresh(self) -> None:
        """Prices the order afresh after any change of the book."""
        self.edited.emit()
        night, state = self.night(), self.session.state
        if night is None or not night.slots:
            self.given = self.given_gig = None
            self._forget_plan()
            self.changed.emit()
            return
        try:
            gig = gig_of(state, night)
        except UserError as error:
            self.message.emit(error.message())
            return
        if self._planned_gig is not None and not _same_problem(self._planned_gig, gig):
            self._forget_plan()
        self.versions.forget_prices()
        self._asked = gig
        self._prices.ask((night, gig), lambda stop: orders.as_given(state, gig, night, stop))

    def _priced(self, key: tuple[NightRecord | str, Gig], plan: Plan | None) -> None:
        if not self.versions.priced(key[0], plan):
            if key[0] is not self.night() or key[1] is not self._asked:
                return  # also of the same night asked before: what undo and redo brought back was stopped half way
            self.given, self.given_gig = plan, key[1]
            self._ask_spread()
        self._price_kept(key[1])
        self.changed.emit()

    def _ask_spread(self) -> None:
        """How far the night may be from its plan, by what the log leaves unsure."""
        self.spread = None
        gig, plan, state, path = self.given_gig, self.given, self.session.state, self.session.book.path
        if gig is None or plan is None:
            return

        def simulate(_: object) -> Spread:
            taught = learn(events(rows(path, Wanted(("retune",), limit=SEEN)), state))
            return spread(gig, plan, taught)

        self._spreads.ask(plan, simulate)

    def _spread_known(self, plan: Plan, found: Spread) -> None:
        if plan is self.given:
            self.spread = found
            self.spread_known.emit()

    def scores(self) -> list[Score]:
        """The order as it stands, and beside it the planned one when there is one to show."""
        gig = self.given_gig
        if gig is None or self.given is None:
            return []
        left, right = self._kept_score(gig, LEFT), self._kept_score(gig, RIGHT)
        own = score_of(gig, self.given, "As given", show_tuning)
        spread = spread_words(self.spread) if self.spread is not None else ""
        out = [left if left is not None else replace(own, spread=spread)]
        if right is not None:
            return [*out, right]
        s = self.planned
        if s is not None and s.plan is not None and s.plan.order != self.given.order:
            out.append(score_of(self._planned_gig or gig, s.plan, plan_title(s, self.planning), show_tuning))
        return out

    # -- planning
    @property
    def planning(self) -> bool:
        return self._worker is not None and self._worker.isRunning()

    def plan(self, seconds_limit: float = PLAN_SECONDS) -> None:
        if self.planning:
            self.message.emit("It is being planned already. Esc stops.")
            return
        try:
            gig = self.gig()
        except UserError as error:
            self.message.emit(error.message())
            return
        if gig is None:
            self.message.emit("Nothing to plan yet: put songs into the night first (B).")
            return
        self.planned, self._planned_gig = None, gig
        self.versions.clear()
        self._worker = worker = PlanWorker(gig, seconds_limit)
        worker.better.connect(self._better)
        worker.ended.connect(self._ended)
        worker.failed.connect(self._failed)
        self._began, self._limit = time.monotonic(), seconds_limit
        worker.start()
        self._ticks.start()
        self._tell_progress()

    def _tell_progress(self) -> None:
        if self.planning:
            self.doing.emit(progress(self.planned, time.monotonic() - self._began, self._limit))
        else:
            self._ticks.stop()

    def cancel(self) -> None:
        if self._worker is not None:
            self._worker.cancel()

    def _better(self, solution: Solution) -> None:
        if solution.plan is None or self._planned_gig is None or self.sender() is not self._worker:
            return
        self.planned = solution
        self._tell_progress()
        self.changed.emit()

    def _end_planning(self) -> None:
        self._ticks.stop()
        self.doing.emit("")
        if self._worker is not None:
            self._worker.wait(3000)  # it has nothing left to do: titles are worded as of its end

    def _failed(self, text: str) -> None:
        self._end_planning()
        self.message.emit(text)
        self.changed.emit()

    def _ended(self, outcome: Outcome) -> None:
        if self.sender() is not self._worker:
            return
        self._end_planning()
        if outcome.clash:
            self.message.emit("These rules cannot all hold: " + "; ".join(r.words() for r in outcome.clash))
        elif outcome.solution is None or outcome.solution.plan is None:
            self.message.emit("No order was found in the time. Loosen a rule or plan again.")
        elif self._planned_gig is not None:
            self.planned = outcome.solution
            self.message.emit(verdict(outcome.solution, self.given))
        self.changed.emit()

    def take(self) -> None:
        """Takes the order at the right into the book, as one edit that can be undone."""
        if self.edits.take_kept():
            return
        if self.planned is None or self.planned.plan is None:
            self.message.emit("Nothing planned yet: Ctrl+R plans.")
            return
        self.edits.take_plan(self.planned.plan)

    # -- why
    def explained(self) -> int:
        """Which of the orders shown is the one that is explained."""
        beside = self.planned is not None and self.planned.plan is self.why.plan and len(self.scores()) == 2
        return 1 if beside else 0

    def explain(self) -> None:
        """Explains the planned order, or the one that stands when there is none."""
        if self.planning or self.given is None or self.given_gig is None:
            return
        own = (self.given_gig, self.given)
        if self.planned is not None and self.planned.plan is not None and self._planned_gig is not None:
            self.why.explain(self._planned_gig, self.planned, own)
        else:
            # an order of one's own may break the rules: they do not bind what is said about it
            self.why.explain(unruled(self.given_gig), Solution(self.given, 0.0, False, 0.0), own)

    # -- kept orders
    def next_kept(self, side: int = RIGHT) -> None:
        """Shows the next kept order at a side, and after the last of them what stood there before."""
        night, gig = self.night(), self.given_gig
        if night is None or not orders.kept_orders(self.session.state, night):
            self.message.emit("No order kept yet: K keeps the one that stands.")
            return
        found = self.versions.step(side, self.session.state, night)
        where = "at the left" if side == LEFT else "at the right"
        self.message.emit(f"{found.name} is shown {where}." if found is not None else "Kept orders are put away.")
        self._price_kept(gig)
        self.changed.emit()

    def _price_kept(self, gig: Gig | None) -> None:
        """Asks for the price of a kept order that is to be shown; one at a time."""
        night, missing, state = self.night(), self.versions.missing(), self.session.state
        kept = next((k for k in state.kept if k.id in missing), None)
        if kept is None or night is None or gig is None:
            return
        record, known = orders.take_kept(night, kept), gig
        self._prices.ask((kept.id, known), lambda stop: orders.as_given(state, known, record, stop))

    def _kept_score(self, gig: Gig, side: int) -> Score | None:
        night = self.night()
        found = self.versions.plan(side, self.session.state, night) if night is not None else None
        return score_of(gig, found[1], found[0], show_tuning) if found is not None else None


def _same_problem(a: Gig, b: Gig) -> bool:
    """True when two gigs differ in nothing but the order of their songs and today's tunings."""
    if {s.id: s for s in a.songs} != {s.id: s for s in b.songs} or a.night != b.night:
        return False
    return [replace(i, tuning=i.home) for i in a.instruments] == [
        replace(i, tuning=i.home) for i in b.instruments
    ]
