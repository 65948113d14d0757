"""The Tune view: the approach of every string, and the peg panel of the simulated guitar."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from juxtatune.qt.views.tune.presenter import TunePresenter
from juxtatune.qt.widgets.approach import ApproachWidget

HINTS = ("Page Down  next string", "Page Up  back", "F9  hold", "F10  check all again", "F11  hear a strum", "F12  what is it in?",
         "R  its tone", "Enter  take as is", "H  hear two strings beat", "B  check a bend", "C  learn the bridge")  # fmt: skip
SIMULATED = ("Space  pluck", "←→  pegs", "Shift  finely", "S  strum", "D  damp the others")
BUTTONS = (
    ("pluck", "Pluck"), ("strum", "Strum"), ("damp", "Damp the others"), ("loosen", "Loosen"),
    ("loosen_fine", "Loosen a hair"), ("tighten_fine", "Tighten a hair"), ("tighten", "Tighten"),
)  # fmt: skip
TURN_MS = 50
COARSE, FINE = 5.0, 0.4  # cents for each step of a held peg


class TuneView(QWidget):
    """Keys and buttons to presenter calls, presenter values to the approach."""

    message = Signal(str)
    status_changed = Signal()

    def __init__(self, presenter: TunePresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.title, self.what, self.talk, self.caution = QLabel(), QLabel(), QLabel(), QLabel()
        self.title.setObjectName("title")
        self.talk.setObjectName("stageStrong")
        self.what.setObjectName("stageMuted")
        self.what.setWordWrap(True)
        self.caution.setWordWrap(True)
        self.approach = ApproachWidget()
        self._timer = QTimer(self)
        self._timer.setInterval(TURN_MS)
        self._timer.timeout.connect(self._turn_on)
        self._lay_out()
        self.approach.chosen.connect(self._chosen)
        presenter.changed.connect(self.refresh)
        presenter.message.connect(self.message)
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.talk)
        self.pegs = QWidget()
        row = QHBoxLayout(self.pegs)
        row.setContentsMargins(0, 4, 0, 0)
        self.buttons: dict[str, QPushButton] = {}
        for name, text in BUTTONS:
            button = QPushButton(text)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)  # a click leaves the keys with the view
            self.buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
        note = QLabel("Simulated guitar: hold to turn")
        note.setObjectName("stageMuted")
        row.addWidget(note)
        self.buttons["pluck"].clicked.connect(self.presenter.pluck)
        self.buttons["strum"].clicked.connect(self.presenter.strum)
        self.buttons["damp"].clicked.connect(self.presenter.damp)
        for name, step in (
            ("loosen", -COARSE),
            ("loosen_fine", -FINE),
            ("tighten_fine", FINE),
            ("tighten", COARSE),
        ):
            self.buttons[name].pressed.connect(lambda step=step: self._start_turn(step))
            self.buttons[name].released.connect(self._stop_turn)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 8)
        layout.addLayout(head)
        layout.addWidget(self.what)
        layout.addWidget(self.caution)
        layout.addWidget(self.approach, 1)
        layout.addWidget(self.pegs)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The heading is read from as far as the figures."""
        super().resizeEvent(event)
        grown = max(1.0, min(2.6, self.width() / 1100, self.height() / 700))
        sizes = ((self.title, 26), (self.talk, 22), (self.what, 16), (self.caution, 16))
        for label, px in sizes:
            label.setStyleSheet(f"font-size: {round(px * grown)}px;")

    def hints(self) -> tuple[str, ...]:
        return (*HINTS, *SIMULATED) if self.presenter.simulated else HINTS

    def refresh(self) -> None:
        title, what, talk = self.presenter.heading()
        held = self.presenter.run is not None and self.presenter.run.held
        self.title.setText(title + ("  (held)" if held else ""))
        self.what.setText(what)
        self.talk.setText(talk)
        caution = self.presenter.caution()
        self.caution.setText(caution)
        self.caution.setVisible(bool(caution))
        run = self.presenter.run
        if run is not None:
            self.approach.set_columns(
                self.presenter.columns(), run.procedure.active, run.procedure.rules.of(run.procedure.active).tolerance
            )
        self.approach.setVisible(run is not None)
        self.pegs.setVisible(run is not None and self.presenter.simulated)
        self.status_changed.emit()

    def _chosen(self, string: int) -> None:
        self.presenter.select(string)
        self.setFocus()
        self.presenter.pluck()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            side = 1 if key == Qt.Key.Key_Right else -1
            self._start_turn(side * (FINE if fine else COARSE))
            return
        actions: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_PageDown: lambda: self.presenter.step(1), Qt.Key.Key_PageUp: lambda: self.presenter.step(-1),
            Qt.Key.Key_F9: self.presenter.hold, Qt.Key.Key_F10: self.presenter.check_all,
            Qt.Key.Key_F11: self.presenter.catch_strum, Qt.Key.Key_F12: self.presenter.identify,
            Qt.Key.Key_Space: self.presenter.pluck, Qt.Key.Key_S: self.presenter.strum,
            Qt.Key.Key_D: self.presenter.damp, Qt.Key.Key_R: lambda: self.presenter.tone(fine),
            Qt.Key.Key_C: self.presenter.calibrate, Qt.Key.Key_B: self.presenter.check_bend,
            Qt.Key.Key_H: self.presenter.check_beats,
            Qt.Key.Key_Return: self.presenter.take, Qt.Key.Key_Enter: self.presenter.take,
        }  # fmt: skip
        action = actions.get(Qt.Key(key))
        if action is None:
            super().keyPressEvent(event)
        else:
            action()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            if not event.isAutoRepeat():
                self._stop_turn()
        else:
            super().keyReleaseEvent(event)

    def _start_turn(self, cents: float) -> None:
        self._turning_by = cents
        if not self._timer.isActive():
            self.presenter.turn(cents)
            self._timer.start()

    def _stop_turn(self) -> None:
        self._timer.stop()

    def _turn_on(self) -> None:
        self.presenter.turn(self._turning_by)
