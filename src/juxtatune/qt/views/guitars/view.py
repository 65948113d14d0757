"""The Guitars view: every guitar with its tunings and what handling it costs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QSpinBox, QVBoxLayout, QWidget

from juxtatune.app import catalogue_edits, fields
from juxtatune.app.session import Session
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.strings.instrument import BRIDGES, Costs, Instrument
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

HINTS = ("Enter  edit a field", "Del  remove", "Ctrl+Z  undo")
COSTS = (
    ("Start", "base_s"), ("String", "string_s"), ("Half step", "semitone_s"), ("Check", "check_s"),
    ("Rounds", "passes"), ("Swap", "swap_s"), ("Capo", "capo_s"),
)  # fmt: skip


class GuitarsView(QWidget):
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        columns = (
            TableColumn("Guitar", lambda i: i.name, lambda i, t: replace(i, name=fields.words(t)), 110),
            TableColumn("Bridge", lambda i: i.bridge, _edit_bridge, 80),
            TableColumn(
                "Now in",
                lambda i: fields.show_tuning(i.tuning),
                _edit_tuning,
                250,
                lambda i: (i.tuning.pitches, i.home.pitches),
            ),
            TableColumn("Home tuning", lambda i: fields.show_notes(i.home), _edit_home, 170, stretch=True),
            *(_cost_column(title, key) for title, key in COSTS),
        )
        self.model = RowsModel(columns, self._changed, self.message.emit)
        self.table = make_table(self.model, columns)
        self._lay_out()
        self._unwatch = session.watch(self.refresh)
        self.refresh()

    def close_view(self) -> None:
        self._unwatch()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def _lay_out(self) -> None:
        title = QLabel("Guitars")
        title.setObjectName("title")
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name of a new guitar")
        self.name.returnPressed.connect(self.add)
        self.strings = QSpinBox()
        self.strings.setRange(4, 12)
        self.strings.setValue(6)
        self.strings.setSuffix(" strings")
        self.strings.setMinimumWidth(120)
        self.table.verticalHeader().setDefaultSectionSize(48)
        head = QHBoxLayout()
        head.addWidget(title, 1)
        head.addWidget(self.name)
        head.addWidget(self.strings)
        for text, action in (("Add guitar", self.add), ("Remove guitar", self.remove)):
            button = QPushButton(text)
            button.clicked.connect(action)
            head.addWidget(button)
        note = QLabel(
            "Times in seconds. A retune takes the start, then for every round each string that moves (a string, and more for "
            "each half step), then the check of every string. Much more or much less tension than usual moves neck and bridge: "
            "have the set-up checked after a lasting change."
        )
        note.setObjectName("muted")
        note.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 12)
        layout.addLayout(head)
        layout.addWidget(self.table, 1)
        layout.addWidget(note)
        self.setFocusProxy(self.table)

    def refresh(self) -> None:
        row = max(0, self.table.currentIndex().row())
        self.model.set_rows(self.session.state.instruments)
        if self.session.state.instruments:
            self.table.selectRow(min(row, len(self.session.state.instruments) - 1))

    def _changed(self, old: Instrument, new: Instrument) -> None:
        self.session.edit("Edit a guitar", self.session.state.with_instrument(new))

    def _do(self, label: str, work: Callable[[], BookState]) -> None:
        try:
            self.session.edit(label, work())
        except UserError as error:
            self.message.emit(error.message())

    def add(self) -> None:
        name = self.name.text().strip()
        if not name:
            self.name.setFocus()
            self.message.emit("Type a name, then add the guitar.")
            return
        self._do(
            "Add a guitar", lambda: catalogue_edits.add_guitar(self.session.state, name, self.strings.value())
        )
        self.name.clear()

    def remove(self) -> None:
        guitar = self.model.row(self.table.currentIndex().row())
        if guitar is not None:
            self._do("Remove a guitar", lambda: catalogue_edits.remove_guitar(self.session.state, guitar.id))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.remove()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.table.edit(self.table.currentIndex())
        else:
            super().keyPressEvent(event)


def _edit_bridge(i: Instrument, text: str) -> Instrument:
    if text.strip().lower() not in BRIDGES:
        raise UserError(f"{text!r}", allowed="fixed or floating")
    return replace(i, bridge=text.strip().lower())


def _edit_tuning(i: Instrument, text: str) -> Instrument:
    return replace(i, tuning=fields.tuning(text, i.strings))


def _edit_home(i: Instrument, text: str) -> Instrument:
    return replace(i, home=fields.tuning(text, i.strings))


def _cost_column(title: str, key: str) -> TableColumn:
    def edit(i: Instrument, text: str) -> Instrument:
        costs: Costs = replace(i.costs, **{key: fields.number(text, 0, 600)})
        return replace(i, costs=costs)

    return TableColumn(
        title, lambda i: f"{getattr(i.costs, key):g}", edit, 80 if title == "Half step" else 56
    )
