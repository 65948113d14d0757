"""The Guitars view: every guitar with its tunings and what handling it costs."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QTableView, QVBoxLayout, QWidget

from juxtatune.app import fields
from juxtatune.app.session import Session
from juxtatune.app.sheets import TechGuitar, tech_guitars
from juxtatune.core.planning.plan import Plan
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.strings.instrument import Instrument
from juxtatune.qt.views.guitars.presenter import GuitarsPresenter
from juxtatune.qt.widgets.fields import AddField, NumberField
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

HINTS = ("Enter  edit a field", "Del  remove", "Ctrl+Z  undo")
COSTS = (
    ("Start", "base_s", 52), ("String", "string_s", 58), ("Half step", "semitone_s", 74), ("Check", "check_s", 58),
    ("Rounds", "passes", 66), ("Swap", "swap_s", 54), ("Capo", "capo_s", 50),
)  # fmt: skip
TONIGHT = (
    TableColumn("Minute", lambda r: f"{r.minute:.0f} min", width=64, right=True),
    TableColumn("When", lambda r: r.when, width=280),
    TableColumn("What", lambda r: r.what, stretch=True),
)


class GuitarsView(QWidget):
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._stale = False
        self.presenter = p = GuitarsPresenter(session)
        p.message.connect(self.message)
        columns = (
            TableColumn("Guitar", lambda i: i.name, p.with_name, 90),
            TableColumn("Bridge", lambda i: i.bridge, p.with_bridge, 70),
            TableColumn("Now in", lambda i: fields.show_tuning(i.tuning), p.with_tuning, 230,
                        lambda i: (i.tuning.pitches, i.home.pitches), stretch=True),
            TableColumn("Home tuning", lambda i: fields.show_notes(i.home), p.with_home, 150),
            *(TableColumn(title, partial(_cost, key), p.with_cost(key), width) for title, key, width in COSTS),
        )  # fmt: skip
        self.model = RowsModel(columns, lambda _, new: p.change(new), self.message.emit)
        self.table = make_table(self.model, columns, "Guitars of the book")
        self._lay_out()
        self._tonight: dict[str, TechGuitar] = {}
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._show_tonight())
        self._unwatch = session.watch(self._book_changed)
        self.refresh()

    def close_view(self) -> None:
        self._unwatch()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def _lay_out(self) -> None:
        title = QLabel("Guitars")
        title.setObjectName("title")
        self.name = AddField("Name of a new guitar", "Name of a new guitar")
        self.home = AddField("Home, if not standard", "Home tuning of the new guitar")
        for field in (self.name, self.home):
            field.setMinimumWidth(110)
            field.entered.connect(self.add)
        self.strings = NumberField(4, 12, " strings")
        self.strings.setValue(6)
        self.strings.setMinimumWidth(110)
        self.strings.setAccessibleName("Strings of the new guitar")
        self.table.verticalHeader().setDefaultSectionSize(48)
        head = QHBoxLayout()
        head.addWidget(title, 1)
        head.addWidget(self.name, 2)
        head.addWidget(self.strings)
        head.addWidget(self.home, 2)
        for text, action in (("Add guitar", self.add), ("Remove guitar", self.remove)):
            button = QPushButton(text)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, action=action: action())
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
        self.night_title = QLabel()
        self.night_title.setObjectName("strong")
        self.night_model = RowsModel(TONIGHT, lambda *_: None, self.message.emit)
        self.night = make_table(self.night_model, TONIGHT, "This guitar tonight")
        self.night.horizontalHeader().hide()
        self.night.verticalHeader().setDefaultSectionSize(24)
        self.night.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.night.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.table, 3)
        layout.addWidget(note)
        layout.addWidget(self.night_title)
        layout.addWidget(self.night, 4)

    def _book_changed(self) -> None:
        if self.session.changes.instruments:
            self._stale = not self.isVisible()
            if not self._stale:
                self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        """What changed while other views were shown is caught up with."""
        if self._stale:
            self.refresh()
        super().showEvent(event)

    def refresh(self) -> None:
        self._stale = False
        row = max(0, self.table.currentIndex().row())
        self.model.set_rows(self.session.state.instruments)
        if self.session.state.instruments:
            self.table.selectRow(min(row, len(self.session.state.instruments) - 1))

    def show_night(self, gig: Gig | None, plan: Plan | None) -> None:
        """Takes the order of the open night, to say what each guitar goes through in it."""
        rows = tech_guitars(gig, plan) if gig is not None and plan is not None else []
        self._tonight = {g.name: g for g in rows}
        self._show_tonight()

    def _show_tonight(self) -> None:
        guitar = self.model.row(self.table.currentIndex().row())
        mine = self._tonight.get(guitar.name) if guitar is not None else None
        self.night_model.set_rows(mine.rows if mine is not None else ())
        if guitar is None:
            self.night_title.setText("First of all: type the name of your guitar above and press Enter.")
        elif mine is None:
            self.night_title.setText(f"{guitar.name} is not played tonight.")
        else:
            self.night_title.setText(f"{guitar.name} tonight")

    def focus_in(self) -> None:
        """An empty list begins in the field that fills it."""
        (self.table if self.session.state.instruments else self.name).setFocus()

    def add(self) -> None:
        """Adds what is typed; the field keeps the text where that fails, and the focus always."""
        if self.presenter.add(self.name.text(), round(self.strings.value()), self.home.text()):
            self.name.clear()
            self.home.clear()
            self.table.selectRow(len(self.session.state.instruments) - 1)
            self.name.setFocus()
        elif not self.name.text().strip():
            self.name.setFocus()

    def remove(self) -> None:
        self.presenter.remove(self.model.row(self.table.currentIndex().row()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.remove()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.table.edit(self.table.currentIndex())
        else:
            super().keyPressEvent(event)


def _cost(key: str, guitar: Instrument) -> str:
    return f"{getattr(guitar.costs, key):g}"
