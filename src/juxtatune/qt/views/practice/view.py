"""The Practice view: drills by ear and on the bench, each with honest scores that are kept apart from the gigs."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

import numpy as np
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QPushButton, QVBoxLayout, QWidget

from juxtatune.app.drills import BY_SOUND, ON_BENCH, RATE, CentsDrill, Drill, EarDrill, NameDrill, Score
from juxtatune.app.practice import FLOATING, clock_job
from juxtatune.app.session import Session
from juxtatune.app.tune import Job
from juxtatune.book.log_query import Wanted, rows
from juxtatune.core.errors import UserError
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.repertoire.night import Gig
from juxtatune.devices import sound_out
from juxtatune.qt.worker import LatestWorker

HINTS = ("Enter  begin, or they agree", "Space  hear it again", "↑ ↓  higher, lower", "1 … 4  name it", "←→  turn the peg",
         "Esc  end it")  # fmt: skip
COARSE, FINE = 2.0, 0.3  # cents of a key
SHOWN = 8  # scores
CAUTION = "Sounds are quiet; keep levels down, loud sound and headphones harm hearing."


class PracticeView(QWidget):
    message = Signal(str)
    bench_wanted = Signal(object)  # a Job for the bench

    def __init__(self, session: Session, given: Callable[[], tuple[Gig, Plan] | None]) -> None:
        super().__init__()
        self.session, self._given = session, given
        self.drill: Drill | None = None
        self._seeds = np.random.default_rng()
        self.drills = QListWidget()
        self.drills.setAccessibleName("Drills")
        self._names = [*(d.name for d in BY_SOUND), *ON_BENCH]
        self.drills.addItems([*(d.title for d in BY_SOUND), *(title for title, _, _ in ON_BENCH.values())])
        self.title, self.what, self.said, self.left = QLabel(), QLabel(), QLabel(), QLabel()
        self.choices, self.scores, caution = QLabel(), QLabel(), QLabel(CAUTION)
        self.begin_button, self.again = QPushButton("Begin"), QPushButton("Hear it again")
        self.answers = {name: QPushButton(name) for name in ("Higher", "Lower", "They agree")}
        self._sounds = LatestWorker("making a sound")
        self._sounds.failed.connect(lambda _, text: self.message.emit(text))
        self._sounds.done.connect(lambda _, samples: self._play(samples))
        self._lay_out(caution)
        self._connect()
        self.drills.setCurrentRow(0)

    def _lay_out(self, caution: QLabel) -> None:
        self.title.setObjectName("title")
        for label, px in ((self.said, 40), (self.choices, 28), (self.left, 20), (self.what, 17)):
            label.setStyleSheet(f"font-size: {px}px;")
        for label in (self.what, self.said, self.choices, self.scores, caution):
            label.setWordWrap(True)
        for label in (self.scores, caution):
            label.setObjectName("muted")
        self.drills.setMaximumWidth(300)
        for k in range(self.drills.count()):
            self.drills.item(k).setSizeHint(QSize(0, 38))
        buttons = QHBoxLayout()
        for button in (self.begin_button, self.again, *self.answers.values()):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            buttons.addWidget(button)
        buttons.addStretch(1)
        page = QVBoxLayout()
        page.setSpacing(14)
        for widget in (self.title, self.what):
            page.addWidget(widget)
        page.addLayout(buttons)
        page.addStretch(1)
        for label in (self.said, self.choices, self.left):
            page.addWidget(label)
        page.addStretch(2)
        page.addWidget(self.scores)
        page.addWidget(caution)
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 18, 24, 10)
        row.setSpacing(28)
        row.addWidget(self.drills)
        row.addLayout(page, 1)

    def _connect(self) -> None:
        self.drills.currentRowChanged.connect(lambda _: self._chosen())
        self.begin_button.clicked.connect(self.begin)
        self.again.clicked.connect(self.play)
        self.answers["Higher"].clicked.connect(lambda: self._say_way(True))
        self.answers["Lower"].clicked.connect(lambda: self._say_way(False))
        self.answers["They agree"].clicked.connect(self._agree)

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def focus_in(self) -> None:
        self.drills.setFocus()
        self._show()

    def close_view(self) -> None:
        self._sounds.close()

    @property
    def name(self) -> str:
        return self._names[max(0, self.drills.currentRow())]

    def _chosen(self) -> None:
        self.drill = None
        sound_out.stop()
        self._show()

    # -- a drill
    def begin(self) -> None:
        """Begins the drill that is chosen, anew."""
        seed = int(self._seeds.integers(1 << 30))
        if self.name in ON_BENCH:
            self._begin_bench(seed)
            return
        kind = next(d for d in BY_SOUND if d.name == self.name)
        self.drill = kind(seed)
        self.setFocus()
        self.play()
        self._show()

    def _begin_bench(self, seed: int) -> None:
        title = ON_BENCH[self.name][0]
        if self.name == "floating":
            job = Job("", f"Practice: {title}", FLOATING, parse_tuning("half step down"), 0.0, practice="floating")
        else:
            given = self._given()
            if given is None:
                self.message.emit("No night yet: put songs into it in Night first.")
                return
            try:
                guitar, source, target = clock_job(*given, seed)
            except UserError as error:
                self.message.emit(f"{error.message()}.")
                return
            job = Job("", f"Practice: {title}", guitar, target, 0.0, practice="clock", begins_in=source)
        self.bench_wanted.emit(job)

    def play(self) -> None:
        drill = self.drill
        if drill is not None:
            self._sounds.ask(None, lambda _: drill.sound())

    def _play(self, samples: np.ndarray) -> None:
        try:
            sound_out.play(samples, RATE)
        except UserError as error:
            self.message.emit(f"{error.message()}.")

    def _say_way(self, higher: bool) -> None:
        if isinstance(self.drill, CentsDrill):
            self.drill.answer(higher)
            self._went_on()

    def _name_it(self, choice: int) -> None:
        if isinstance(self.drill, NameDrill):
            self.drill.answer(choice)
            self._went_on()

    def _agree(self) -> None:
        if isinstance(self.drill, EarDrill):
            self.drill.end_round()
            self._went_on()

    def _went_on(self) -> None:
        drill = self.drill
        if drill is None:
            return
        if drill.done:
            self.keep(drill.score(), drill.said)
            return
        self.play()
        self._show()

    def keep(self, score: Score, said: str = "") -> None:
        """A drill is over: its score is kept, apart from what the planner learns from."""
        self.session.log("practice", {"drill": score.drill, "value": round(score.value, 2), "unit": score.unit})
        self.drill = None
        self._show()
        self.said.setText(f"{said} {score.words}".strip())

    def bench_over(self, drill: str, value: float) -> None:
        """The bench has ended a drill."""
        unit = ON_BENCH[drill][2]
        words = f"{value:.0f} s from the first pick to the last check." if drill == "clock" else f"Worst string {value:.1f} ¢ off."
        self.keep(Score(drill, value, unit, words))
        self.message.emit(f"Practice: {words}")

    # -- what is shown
    def _show(self) -> None:
        sounding = self.name not in ON_BENCH
        kind = next((d for d in BY_SOUND if d.name == self.name), None)
        title, what = (kind.title, kind.what) if kind is not None else ON_BENCH[self.name][:2]
        self.title.setText(title)
        self.what.setText(what)
        drill = self.drill
        self.said.setText(drill.said if drill is not None else "")
        self.left.setText(drill.left if drill is not None else "Enter begins.")
        names = drill.choices if isinstance(drill, NameDrill) else ()
        self.choices.setText("\n".join(f"{k}   {name}" for k, name in enumerate(names, 1)))
        self.begin_button.setText("Begin" if drill is None else "Begin anew")
        self.again.setVisible(sounding and drill is not None)
        for name, button in self.answers.items():
            wanted = EarDrill if name == "They agree" else CentsDrill
            button.setVisible(isinstance(drill, wanted))
        self.scores.setText(self._history())

    def _history(self) -> str:
        """`So far: 2026-05-01 6.2 ¢, …`, newest first."""
        self.session.flush(0.5)
        found = [r for r in rows(self.session.book.path, Wanted(("practice",), limit=400)) if r.data.get("drill") == self.name]
        if not found:
            return "No score yet."
        each = [f"{datetime.fromisoformat(r.at):%Y-%m-%d} {r.data['value']:g} {r.data['unit']}" for r in found[:SHOWN]]
        best = (max if found[0].data["unit"] == "%" else min)(r.data["value"] for r in found)
        return f"Best {best:g} {found[0].data['unit']}. So far: " + ", ".join(each)

    # -- keys
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        actions: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_Space: self.play, Qt.Key.Key_Up: lambda: self._say_way(True), Qt.Key.Key_Down: lambda: self._say_way(False),
            Qt.Key.Key_Left: lambda: self._turn(-1, fine), Qt.Key.Key_Right: lambda: self._turn(1, fine),
            Qt.Key.Key_Escape: self._chosen,
        }  # fmt: skip
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if isinstance(self.drill, EarDrill):
                self._agree()
            elif self.drill is None:
                self.begin()
        elif Qt.Key.Key_1 <= key <= Qt.Key.Key_4:
            self._name_it(key - Qt.Key.Key_1)
        elif key in actions:
            actions[key]()
        else:
            super().keyPressEvent(event)

    def _turn(self, side: int, fine: bool) -> None:
        if isinstance(self.drill, EarDrill):
            self.drill.turn(side * (FINE if fine else COARSE))
            self.play()
