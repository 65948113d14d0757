"""The intonation of one guitar, string by string: what was heard, and which way the saddle goes."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLabel, QPushButton, QTableView, QVBoxLayout, QWidget

from juxtatune.app.calling import Calling
from juxtatune.app.intonation import ASKED, IntonationRun, Measured
from juxtatune.core.listening.live.listener import BlockResult
from juxtatune.core.listening.source import SoundSource
from juxtatune.core.sim.guitar import SimulatedGuitar
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table
from juxtatune.qt.worker import AudioWorker

NOTE = (
    "Tune the string first, and anew after each move. Sharp when fretted: the saddle goes back. With new strings only: worn ones "
    "are not true."
)


class IntonationDialog(QDialog):
    """Stays open beside the work; it listens until it is closed. `taken` says that a reading came in."""

    taken = Signal()

    def __init__(self, run: IntonationRun, source: SoundSource, calling: Calling, parent: QWidget) -> None:
        super().__init__(parent)
        self.run, self._source, self._calling = run, source, calling
        self.setWindowTitle(f"Intonation of {run.guitar.name}")
        columns = (
            TableColumn("String", self._called, None, 150),
            *(TableColumn(t, _cents(n), None, 100, right=True) for t, n in (
                ("Open", "open"), ("Harmonic", "harmonic"), ("Fretted", "fretted"), ("Off by", "error"), ("Before", "before"))),
            TableColumn("What to do", run.advice, None, 260, stretch=True),
        )  # fmt: skip
        self.model = RowsModel(columns, lambda *_: None, lambda _: None)
        self.table = make_table(self.model, columns, "Intonation of every string")
        self.table.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.asked = QLabel()
        self.asked.setObjectName("title")
        self.asked.setWordWrap(True)
        note = QLabel(NOTE)
        note.setObjectName("muted")
        note.setWordWrap(True)
        self.buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout()
        for name, work in self._actions():
            button = QPushButton(name)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, work=work: work())
            self.buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 14)
        column.addWidget(self.asked)
        column.addWidget(self.table, 1)
        column.addWidget(note)
        column.addLayout(row)
        self.resize(980, 460)
        self._worker = AudioWorker(source, run.targets)
        self._worker.heard.connect(self._heard)
        self._worker.start()
        self._show()

    def _actions(self) -> tuple[tuple[str, Callable[[], None]], ...]:
        moves = (("Next string", lambda: self.go(1)), ("Last string", lambda: self.go(-1)), ("This string again", self.again))
        return (("Pluck", self.pluck), *moves) if isinstance(self._source, SimulatedGuitar) else moves

    def _called(self, row: Measured) -> str:
        return self._calling.head(row.string, self.run.guitar.tuning)

    def pluck(self) -> None:
        """The simulated guitar plays what is asked for."""
        if isinstance(self._source, SimulatedGuitar):
            self._source.damp()
            if self.run.step == "open":
                self._source.pluck(self.run.string)
            else:
                self._source.pluck_octave(self.run.string, self.run.step == "fretted")

    def go(self, by: int) -> None:
        self.run.go(by)
        self._show()

    def again(self) -> None:
        self.run.again()
        self._show()

    def _heard(self, heard: BlockResult) -> None:
        if self.run.hear(heard):
            self._show()
            self.taken.emit()

    def _show(self) -> None:
        self._worker.retarget(self.run.targets)
        called = self._calling.string(self.run.string, self.run.guitar.tuning)
        self.asked.setText(f"The {called}: {ASKED[self.run.step]}")
        self.model.set_rows(self.run.rows)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        actions = {
            Qt.Key.Key_PageDown: lambda: self.go(1), Qt.Key.Key_PageUp: lambda: self.go(-1), Qt.Key.Key_Space: self.pluck,
        }  # fmt: skip
        action = actions.get(Qt.Key(event.key()))
        if action is None:
            super().keyPressEvent(event)
        else:
            action()

    def done(self, result: int) -> None:
        """However it is closed, it stops listening."""
        self._worker.finish()
        super().done(result)

    def closeEvent(self, event: QCloseEvent) -> None:
        self._worker.finish()
        super().closeEvent(event)


def _cents(name: str) -> Callable[[Measured], str]:
    def show(row: Measured) -> str:
        value = getattr(row, name)
        return "" if value is None else f"{round(value, 1) + 0.0:+.1f} ¢".replace("-", "−").replace("+0.0", "0.0")

    return show
