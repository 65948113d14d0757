"""Why the night is as it is: asks for the figures off the GUI thread and puts them in words. No widgets."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, QThread, Signal

from juxtatune.core.errors import UserError
from juxtatune.core.planning.explain.sensitivity import (
    Change,
    Effect,
    best_changes,
    effects,
    timed_solver,
    where_else,
    without_song,
)
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.planner import Solution
from juxtatune.core.repertoire import rules
from juxtatune.core.repertoire.night import Gig
from juxtatune.qt.faults import faults
from juxtatune.qt.worker import LatestWorker

EACH_S = 4.0  # seconds for each night that is solved again
WORTH_SAYING_S = 0.5


@dataclass(frozen=True)
class Line:
    """One line of the panel; `change` makes it one that can be taken."""

    text: str
    change: Change | None = None


class WhyWorker(QThread):
    """Works out all effects of one plan; lines come as they are found."""

    found = Signal(str, object)  # section, Effect or Change
    ended = Signal()

    def __init__(self, gig: Gig, base: Solution, own: tuple[Gig, Plan] | None) -> None:
        super().__init__()
        self._gig, self._base, self._own = gig, base, own
        self._stop = threading.Event()

    def cancel(self) -> None:
        self._stop.set()

    def run(self) -> None:
        # a night that was changed into one that cannot be priced is asked about again
        try:
            with contextlib.suppress(UserError):
                self._work()
        except Exception as error:
            faults.report("explaining the night", error)
        self.ended.emit()

    def _work(self) -> None:
        plan = self._base.plan
        if self._own is not None:
            for change in best_changes(*self._own, stop=self._stop.is_set):
                self.found.emit("changes", change)
        if plan is None or self._stop.is_set():
            return
        left_out = sorted(without_song(self._gig, plan), key=lambda e: -e.saves_s)
        for effect in left_out[:3]:
            self.found.emit("help", effect)
        for effect in effects(self._gig, self._base, timed_solver(EACH_S, self._stop.is_set)):
            if self._stop.is_set():
                return
            self.found.emit("help" if effect.kind in ("tech", "guitar", "capo") else "rules", effect)


class WhyPresenter(QObject):
    """What the panel shows for a plan and a selected song."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.gig: Gig | None = None
        self.plan: Plan | None = None
        self.elsewhere: dict[str, float | None] = {}
        self.lines: dict[str, list[Line]] = {}
        self.working = False
        self._song: str | None = None
        self._worker: WhyWorker | None = None
        self._prices = LatestWorker("explaining")
        self._prices.done.connect(self._priced)

    def close(self) -> None:
        self.stop()
        self._prices.close()

    def stop(self) -> None:
        worker, self._worker = self._worker, None
        if worker is not None:
            worker.cancel()
            worker.wait(8000)
        self.working = False

    def explain(self, gig: Gig, base: Solution, own: tuple[Gig, Plan] | None) -> None:
        """Begins to explain a plan; `own` is the player's order, for which changes are sought."""
        self.stop()
        self.gig, self.plan, self.lines = gig, base.plan, {}
        self.working = True
        self._worker = WhyWorker(gig, base, None if own is None else (unruled(own[0]), own[1]))
        self._worker.found.connect(self._found)
        self._worker.ended.connect(self._ended)
        self._worker.start()
        self.select(self._song)
        self.changed.emit()

    def select(self, song: str | None) -> None:
        """Asks what a song would cost at every other place."""
        self._song, self.elsewhere = song, {}
        gig, plan = self.gig, self.plan
        if gig is not None and plan is not None and song is not None:
            self._prices.ask((song, plan), lambda _: where_else(gig, plan, song))
        self.changed.emit()

    def _priced(self, key: tuple[str, Plan], costs: list[float | None]) -> None:
        if key[0] != self._song or key[1] is not self.plan or self.plan is None:
            return
        self.elsewhere = {
            s.song: c for s, c in zip(self.plan.order, costs, strict=True) if s.song != self._song
        }
        self.changed.emit()

    def _found(self, section: str, item: Effect | Change) -> None:
        if self.sender() is not self._worker or self.gig is None:
            return
        line = self._change(item) if isinstance(item, Change) else self._effect(item)
        if line is not None:
            self.lines.setdefault(section, []).append(line)
            self.changed.emit()

    def _ended(self) -> None:
        if self.sender() is self._worker:
            self.working = False
            self.changed.emit()

    def _title(self, song: str) -> str:
        assert self.gig is not None
        return self.gig.song(song).title

    def _change(self, c: Change) -> Line:
        return Line(f"{self._title(c.song)} to place {c.place + 1} saves {c.saves_s:.0f} s", c)

    def _effect(self, e: Effect) -> Line | None:
        about = "" if e.proven else "at least "
        if e.kind == "way":
            if e.saves_s > -WORTH_SAYING_S:
                return None
            names = _name(self.gig, e.what)
            return Line(
                f"{self._title(e.songs[0])} in its best way, on {names}, would cost {-e.saves_s:.0f} s more"
            )
        what = self._words(e)
        if e.saves_s < WORTH_SAYING_S:
            return Line(
                f"{what} {'costs nothing' if e.kind in RULES else 'saves nothing'}"
                + ("" if e.proven else " that was found")
            )
        return Line(f"{what} {'costs' if e.kind in RULES else 'saves'} {about}{e.saves_s:.0f} s")

    def _words(self, e: Effect) -> str:
        titles = [self._title(s) for s in e.songs]
        words: dict[str, Callable[[], str]] = {
            "pin": lambda: f"The pin on {titles[0]}",
            "before": lambda: f"{titles[0]} before {titles[1]}",
            "adjacent": lambda: f"The medley {titles[0]}, {titles[1]}",
            "apart": lambda: f"{titles[0]} apart from {titles[1]}",
            "max_dead_s": lambda: f"The limit of {e.what} s a gap",
            "tech": lambda: "A technician",
            "guitar": lambda: f"A second {_name(self.gig, e.what)}",
            "capo": lambda: "A capo where a lower tuning allows it",
            "without": lambda: f"Leaving out {titles[0]}",
        }
        return words[e.kind]()


RULES = ("pin", "before", "adjacent", "apart", "max_dead_s")


def _name(gig: Gig | None, instrument: str) -> str:
    return gig.instrument(instrument).name if gig is not None else instrument


def unruled(gig: Gig) -> Gig:
    """The gig without its rules of order."""
    return replace(gig, night=rules.unruled(gig.night))
