"""What the Night view shows and does: prices the order, plans, takes, edits. No widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject, Signal

from juxtatune.app import night as edits
from juxtatune.app.planning import Outcome
from juxtatune.app.session import Session
from juxtatune.book.state import NightRecord, gig_of
from juxtatune.core.errors import UserError
from juxtatune.core.planning.plan import Plan
from juxtatune.core.planning.solve import Solution
from juxtatune.core.repertoire.night import Gig
from juxtatune.qt.views.night.versions import LEFT, RIGHT, Versions
from juxtatune.qt.views.night.why import WhyPresenter, unruled
from juxtatune.qt.widgets.score_values import Score, score_of, seconds
from juxtatune.qt.worker import LatestWorker, PlanWorker

PLAN_SECONDS = 60.0


class NightPresenter(QObject):
    """Owns the planning and pricing workers of the open night."""

    changed = Signal()
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._open: str | None = None
        self.versions = Versions()
        self.given: Plan | None = None
        self.given_gig: Gig | None = None  # what `given` was priced for: the book may be ahead of it
        self.planned: Solution | None = None
        self._planned_gig: Gig | None = None
        self._worker: PlanWorker | None = None
        self._priced_for: NightRecord | None = None
        self.why = WhyPresenter()
        self._prices = LatestWorker()
        self._prices.done.connect(self._priced)
        self._prices.failed.connect(lambda key, text: self.message.emit(text))
        self._unwatch = session.watch(self.refresh)

    def close(self) -> None:
        self._unwatch()
        self.cancel()
        self.why.close()
        if self._worker is not None:
            self._worker.wait(3000)
        self._prices.close()

    # -- state
    def night(self) -> NightRecord | None:
        """The open night: the first of the book until another is opened."""
        all_nights = [n for n in self.session.state.nights if edits.VERSION not in n.id]
        found = [n for n in all_nights if n.id == self._open]
        return found[0] if found else all_nights[0] if all_nights else None

    def open_night(self, night_id: str) -> None:
        self.cancel()
        self._open, self.planned, self._planned_gig = night_id, None, None
        self.versions.clear()
        self.refresh()

    def add_night(self, night: NightRecord) -> None:
        """Puts another night into the book and opens it."""
        self._edit(f"Add {night.name}", lambda _: night)
        self.open_night(night.id)

    def gig(self) -> Gig | None:
        night = self.night()
        return gig_of(self.session.state, night) if night is not None and night.slots else None

    def refresh(self) -> None:
        """Prices the order afresh after any change of the book."""
        night = self.night()
        if night is None or not night.slots:
            self.given = None
            self.changed.emit()
            return
        try:
            gig = gig_of(self.session.state, night)
        except UserError as error:
            self.message.emit(error.message())
            return
        if self._planned_gig is not None and not _same_problem(self._planned_gig, gig):
            self.planned, self._planned_gig = None, None
        self.versions.forget_prices()
        self._prices.ask((night, gig), lambda: edits.as_given(gig, night))

    def _priced(self, key: tuple[NightRecord | str, Gig], plan: Plan | None) -> None:
        if self.versions.priced(key[0], plan):
            self._price_versions(key[1])
            self.changed.emit()
            return
        if key[0] is not self.night():
            return
        self.given, self.given_gig = plan, key[1]
        self._price_versions(key[1])
        self.changed.emit()

    def scores(self) -> list[Score]:
        """The order as it stands, and beside it the planned one when there is one to show."""
        gig = self.given_gig
        if gig is None or self.given is None:
            return []
        left, right = self._version_score(gig, LEFT), self._version_score(gig, RIGHT)
        out = [left if left is not None else score_of(gig, self.given, "As given")]
        if right is not None:
            return [*out, right]
        plan = self.planned.plan if self.planned is not None else None
        if plan is not None and self.planned is not None and plan.order != self.given.order:
            out.append(score_of(self._planned_gig or gig, plan, self._plan_title(self.planned)))
        return out

    def _plan_title(self, s: Solution) -> str:
        if s.optimal:
            return "Planned, proven best"
        return "Planned so far" if self.planning else "Planned, best found"

    # -- planning
    @property
    def planning(self) -> bool:
        return self._worker is not None and self._worker.isRunning()

    def plan(self, seconds_limit: float = PLAN_SECONDS) -> None:
        gig = self.gig()
        if gig is None or self.planning:
            return
        self.planned, self._planned_gig = None, gig
        self.versions.clear()
        self._worker = PlanWorker(gig, seconds_limit)
        self._worker.better.connect(self._better)
        self._worker.ended.connect(self._ended)
        self._worker.failed.connect(self.message)
        self._worker.start()
        self.message.emit("Planning. Esc stops and keeps the best order so far.")

    def explained(self) -> int:
        """Which of the orders shown is the one that is explained."""
        return (
            1
            if self.planned is not None and self.planned.plan is self.why.plan and len(self.scores()) == 2
            else 0
        )

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

    def cancel(self) -> None:
        if self._worker is not None:
            self._worker.cancel()

    def _better(self, solution: Solution) -> None:
        if solution.plan is None or self._planned_gig is None:
            return
        self.planned = solution
        self.message.emit(f"Planning: {_cost(solution)}. Esc stops.")
        self.changed.emit()

    def _ended(self, outcome: Outcome) -> None:
        if outcome.clash:
            self.message.emit("These rules cannot all hold: " + "; ".join(r.words() for r in outcome.clash))
        elif outcome.solution is None or outcome.solution.plan is None:
            self.message.emit("No order was found in the time. Loosen a rule or plan again.")
        elif self._planned_gig is not None:
            self.planned = outcome.solution
            self.message.emit(self._verdict(outcome.solution))
        self.changed.emit()

    def _verdict(self, s: Solution) -> str:
        assert s.plan is not None
        if (
            self.given is not None
            and s.plan.totals.objective >= self.given.totals.objective - 1e-6
            and s.optimal
        ):
            return "Your order is already the best there is."
        return f"{_cost(s)}. T takes this order."

    def take(self) -> None:
        """Takes the planned order into the book, as one edit that can be undone."""
        night = self.night()
        kept = next((n for n in self.session.state.nights if n.id == self.versions.shown[RIGHT]), None)
        if night is not None and kept is not None:
            self.versions.clear()
            self._edit("Take a kept order", lambda n: edits.take_version(n, kept))
            return
        if night is None or self.planned is None or self.planned.plan is None:
            self.message.emit("Nothing planned yet: Ctrl+R plans.")
            return
        self.session.edit("Take the planned order", self.session.state.with_night(
            edits.take_plan(self.session.state, night, self.planned.plan)))  # fmt: skip
        self.message.emit("Order taken. Ctrl+Z brings the old one back.")

    # -- edits
    def move(self, song: str, place: int) -> None:
        self._edit("Move a song", lambda n: edits.move_song(n, song, place))

    def move_by(self, song: str, by: int) -> None:
        night = self.night()
        if night is not None:
            at = [s.song for s in night.slots].index(song)
            self.move(song, at + by)

    def toggle_pin(self, song: str) -> None:
        self._edit("Pin", lambda n: edits.toggle_pin(n, song))

    def toggle_medley(self, song: str) -> None:
        self._edit("Medley", lambda n: edits.toggle_medley(n, song))

    def toggle_apart(self, song: str) -> None:
        self._edit("Keep apart", lambda n: edits.toggle_apart(n, song))

    def toggle_lock(self, song: str) -> None:
        self._edit("Lock a part", lambda n: edits.toggle_lock(n, song))

    def toggle_curve(self) -> None:
        self._edit("Energy curve", lambda n: edits.toggle_curve(self.session.state, n))

    def bend_curve(self, drawn: dict[int, float]) -> None:
        self._edit("Draw the energy", lambda n: edits.bend_curve(n, drawn))

    # -- versions
    def keep(self) -> None:
        """Keeps the order that stands, to be compared with others."""
        night = self.night()
        if night is None:
            return
        number = len(edits.versions(self.session.state, night)) + 1
        self._edit("Keep this order", lambda n: edits.kept_version(self.session.state, n, number))
        self.message.emit(
            f"Kept as order {number}. V shows kept orders beside this one, Shift+V in its place."
        )

    def next_version(self, side: int = RIGHT) -> None:
        """Shows the next kept order at a side, and after the last of them what stood there before."""
        night, gig = self.night(), self.given_gig
        if night is None or not edits.versions(self.session.state, night):
            self.message.emit("No order kept yet: K keeps the one that stands.")
            return
        self.versions.step(side, self.session.state, night)
        self._price_versions(gig)
        self.changed.emit()

    def _price_versions(self, gig: Gig | None) -> None:
        """Asks for the price of a kept order that is to be shown; one at a time."""
        night, missing = self.night(), self.versions.missing()
        kept = next((n for n in self.session.state.nights if n.id in missing), None)
        if kept is None or night is None or gig is None:
            return
        record, known = edits.take_version(night, kept), gig
        self._prices.ask((kept.id, known), lambda: edits.as_given(known, record))

    def _version_score(self, gig: Gig, side: int) -> Score | None:
        night = self.night()
        found = self.versions.plan(side, self.session.state, night) if night is not None else None
        return score_of(gig, found[1], found[0]) if found is not None else None

    def next_way(self, song: str) -> None:
        self._edit("Another way to play", lambda n: edits.next_way(self.session.state, n, song))

    def set_talk(self, song: str, talk: float) -> None:
        self._edit("Talk", lambda n: edits.set_talk(n, song, talk))

    def talk(self, song: str) -> float:
        night = self.night()
        return night.rules.cover(song) if night is not None else 0.0

    def _edit(self, label: str, change: Callable[[NightRecord], NightRecord]) -> None:
        night = self.night()
        if night is None:
            return
        self.versions.shown[LEFT] = None  # an edit changes the order that stands: it is shown again
        try:
            self.session.edit(label, self.session.state.with_night(change(night)))
        except UserError as error:
            self.message.emit(error.message())


def _cost(s: Solution) -> str:
    """Dead air, and how far the order is from the best there can be, in words."""
    assert s.plan is not None
    total = s.plan.totals
    dead = f"{seconds(total.dead_s)} of dead air"
    if s.optimal:
        return f"{dead}, proven: no order costs less"
    if s.bound < 1:
        return f"{dead} so far"
    return f"{dead}, costing {total.objective:.1f} with compromises and work; no order costs less than {s.bound:.1f}"


def _same_problem(a: Gig, b: Gig) -> bool:
    """True when two gigs differ in nothing but the order of their songs and today's tunings."""
    if {s.id: s for s in a.songs} != {s.id: s for s in b.songs} or a.night != b.night:
        return False
    return [replace(i, tuning=i.home) for i in a.instruments] == [
        replace(i, tuning=i.home) for i in b.instruments
    ]
