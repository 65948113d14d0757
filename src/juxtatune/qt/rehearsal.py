"""A rehearsal before the night: the whole night at many times real speed, in a window of its own on a copy of the book."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QToolBar

from juxtatune.app import stage
from juxtatune.app.logbook import events
from juxtatune.app.player import SimulatedPlayer
from juxtatune.app.session import Session
from juxtatune.book.log_query import Wanted, rows
from juxtatune.core.logbook.learned import learn

TICK_MS = 50
SPEEDS = (1, 10, 30, 60, 120, 300)
USUAL = 3  # of the speeds
SEEN = 2000  # retunes of the log that the player is made of


class Rehearsal(QObject):
    """Owns the copy, the window and the simulated player; gone once the window is closed."""

    over = Signal(str)  # what came out, in words

    def __init__(self, session: Session, night: str, make_window: Callable[[Session], Any], seed: int = 0) -> None:
        """Raises UserError where the book cannot be copied."""
        super().__init__()
        self._folder = Path(tempfile.mkdtemp(prefix="juxtatune-rehearsal-"))
        session.copy_to(self._folder / "rehearsal.juxtatune")
        own = Session(self._folder / "rehearsal.juxtatune")
        learned = learn(events(rows(own.book.path, Wanted(("retune",), limit=SEEN)), own.state))
        self.player = SimulatedPlayer(learned, seed)
        self.now, self.speed, self._gap = 0.0, USUAL, -1.0
        self.planned = self.dead = 0.0
        self.window = make_window(own)
        self.window.rehearsing = True
        self.stage = self.window.stage
        self.stage._clock = lambda: self.now
        self.window.night.open_night(night)
        self.window.setWindowTitle("Rehearsal – Juxtatune")
        self.window.closed.connect(self._closed)
        self._bar()
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(lambda: self.go_on(TICK_MS / 1000 * SPEEDS[self.speed]))

    def _bar(self) -> None:
        bar = QToolBar("Rehearsal")
        bar.setMovable(False)
        self.actions: dict[str, QAction] = {}
        for name, work, keys in (
            ("Pause", self.pause, "Ctrl+Space"), ("Slower", lambda: self._faster(-1), "Ctrl+-"),
            ("Faster", lambda: self._faster(1), "Ctrl++"), ("Something goes wrong", self.throw, "Ctrl+B"),
        ):  # fmt: skip
            action = QAction(name, self.window)
            action.setShortcut(keys)
            action.triggered.connect(lambda _=False, work=work: work())
            bar.addAction(action)
            self.actions[name] = action
        self.window.addToolBar(bar)

    def start(self) -> None:
        self.window.show()
        self.window.show_view("Stage")
        self._timer.start()

    def pause(self) -> None:
        if self._timer.isActive():
            self._timer.stop()
        else:
            self._timer.start()
        self.actions["Pause"].setText("Pause" if self._timer.isActive() else "Go on")

    def _faster(self, by: int) -> None:
        self.speed = max(0, min(len(SPEEDS) - 1, self.speed + by))
        self.window.say(f"{SPEEDS[self.speed]} times as fast.")

    # -- the night
    def go_on(self, seconds: float) -> None:
        """So much of the night goes by; what is priced and planned is waited for."""
        night = self.window.night
        if night.given is None or night.given_gig is not night._asked:
            return
        self.now += seconds
        m, s = self.stage.moment, self.stage
        if m is None:
            s.next()
        elif m.phase == "playing" and m.song is not None:
            if self.now - m.since >= (s.session.state.song(m.song).length_s or stage.USUAL_SONG_S):
                self._gap = -1.0
                s.next()
        elif m.phase == "gap":
            self._go_on_in_gap(m)

    def _go_on_in_gap(self, m: stage.Moment) -> None:
        gap, gig = stage.gap_to(self.stage.plan, m.song), self.window.night.given_gig
        if self._gap < 0 and gig is not None:
            self._gap = self.player.gap_seconds(gig, gap)
        if self.now - m.since < self._gap:
            return
        self.now = m.since + self._gap  # a gap is not longer than the player takes, however fast time goes
        if gap is not None:
            self.planned, self.dead = self.planned + gap.dead_s, self.dead + max(0.0, self._gap - gap.cover_s)
        last = len(stage.upcoming(self.stage.night)) == 1 if self.stage.night is not None else False
        self.stage.next()
        if last:
            self._timer.stop()
            words = f"Rehearsed: {self.dead:.0f} s of dead air, {self.planned:.0f} s planned"
            self.window.say(f"{words}. The page of this night stands in Log.")
            self.over.emit(words + ".")

    def throw(self) -> None:
        """Something goes wrong, as it does."""
        fault, s = self.player.fault(), self.stage
        if fault == "a string breaks":
            guitar = s.at_hand()
            s.break_string(self.player.string(s.session.state.instrument(guitar).strings) if guitar is not None else 1)
        else:
            {"a guitar is out": s.guitar_out, "the next song is cut": s.cut, "ten minutes less": s.less_time,
             "the singer needs a rest": s.rest}[fault]()  # fmt: skip

    def _closed(self) -> None:
        self._timer.stop()
        shutil.rmtree(self._folder, ignore_errors=True)
