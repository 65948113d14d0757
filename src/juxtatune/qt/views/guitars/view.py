"""The Guitars view: the guitars at the left, the chosen one, what it costs and its night at the right."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QTableView, QVBoxLayout

from juxtatune.app import fields
from juxtatune.app.calling import Calling
from juxtatune.app.session import Session
from juxtatune.app.sheets import TechGuitar, tech_guitars
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.strings.instrument import Instrument
from juxtatune.qt.views.guitars.page import GuitarPage
from juxtatune.qt.views.guitars.presenter import GuitarsPresenter
from juxtatune.qt.widgets.catching_up import CatchingUp
from juxtatune.qt.widgets.fields import AddField, NumberField
from juxtatune.qt.widgets.scrolled import scrolled
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

HINTS = ("Enter  edit", "F12  what is it in?", "T  tune it now", "I  intonation", "Del  remove", "Ctrl+Z  undo")
GUITARS = (
    TableColumn("Guitar", lambda i: f"{i.name}\n{fields.show_tuning(i.tuning)}", None, 230,
                lambda i: (i.tuning.pitches, i.home.pitches), stretch=True),
)  # fmt: skip
# what is played stands in Tonight already
TONIGHT = (TableColumn("Work", lambda r: f"{r.when} · {r.minute:.0f} min\n{r.what}", stretch=True),)


class GuitarsView(CatchingUp):
    message = Signal(str)
    intonation_wanted = Signal(str)  # a guitar's id
    tune_wanted = Signal(str, object, bool)  # a guitar's id, a tuning, and whether to hear first what it is in

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.presenter = p = GuitarsPresenter(session)
        p.message.connect(self.message)
        self.model = RowsModel(GUITARS, lambda *_: None, self.message.emit)
        self.table = make_table(self.model, GUITARS, "Guitars of the book")
        self.page = GuitarPage(p)
        self.page.target.entered.connect(self.tune_now)
        self.page.tune.clicked.connect(lambda _=False: self.tune_now())
        self.page.identify.clicked.connect(lambda _=False: self.identify())
        self.page.intonation.clicked.connect(lambda _=False: self.set_intonation())
        self._lay_out()
        self._tonight: dict[str, TechGuitar] = {}
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._show_guitar())
        self._unwatch = session.watch(self._book_changed)
        self.refresh()

    def close_view(self) -> None:
        self._unwatch()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def prefer(self, calling: Calling) -> None:
        """What strings are called in the picture."""
        self.presenter.calling = calling
        self._show_guitar()

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
        self.table.verticalHeader().setDefaultSectionSize(44)
        head = QHBoxLayout()
        head.addWidget(title, 1)
        head.addWidget(self.name, 2)
        head.addWidget(self.strings)
        head.addWidget(self.home, 2)
        head.addWidget(_button("Add guitar", self.add))
        head.addWidget(_button("Remove guitar", self.remove))
        self.night_title = QLabel()
        self.night_title.setObjectName("strong")
        self.night_title.setWordWrap(True)
        self.night_model = RowsModel(TONIGHT, lambda *_: None, self.message.emit)
        self.night = make_table(self.night_model, TONIGHT, "This guitar tonight")
        self.night.horizontalHeader().hide()
        self.night.verticalHeader().setDefaultSectionSize(44)
        self.night.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.night.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        left = QVBoxLayout()
        left.addWidget(self.table, 2)
        left.addWidget(self.night_title)
        left.addWidget(self.night, 3)
        both = QHBoxLayout()
        both.setSpacing(24)
        both.addLayout(left, 1)
        self.table.setMinimumWidth(190)
        both.addWidget(scrolled(self.page), 3)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 14, 24, 12)
        column.addLayout(head)
        column.addLayout(both, 1)

    def chosen(self) -> Instrument | None:
        found: Instrument | None = self.model.row(self.table.currentIndex().row())
        return found

    # -- showing
    def _book_changed(self) -> None:
        if self.session.changes.instruments:
            self.mark_changed()

    def refresh(self) -> None:
        super().refresh()
        row = max(0, self.table.currentIndex().row())
        self.model.set_rows(self.session.state.instruments)
        if self.session.state.instruments:
            self.table.selectRow(min(row, len(self.session.state.instruments) - 1))
        self._show_guitar()

    def show_night(self, gig: Gig | None, plan: Plan | None) -> None:
        """Takes the order of the open night, to say what each guitar goes through in it."""
        rows = tech_guitars(gig, plan) if gig is not None and plan is not None else []
        self._tonight = {g.name: g for g in rows}
        self._show_tonight()

    def _show_guitar(self) -> None:
        self.page.show_guitar(self.chosen())
        self._show_tonight()

    def _show_tonight(self) -> None:
        guitar = self.chosen()
        mine = self._tonight.get(guitar.name) if guitar is not None else None
        work = [r for r in mine.rows if not r.what.startswith("played")] if mine is not None else []
        self.night_model.set_rows(work)
        self.night.setVisible(bool(work))
        if guitar is None:
            self.night_title.setText("First of all: type the name of your guitar above and press Enter.")
        elif not self._tonight:
            self.night_title.setText("")
        elif mine is None:
            self.night_title.setText(f"{guitar.name} is not played tonight.")
        else:
            self.night_title.setText(f"{guitar.name} tonight")

    def focus_in(self) -> None:
        """An empty list begins in the field that fills it."""
        (self.table if self.session.state.instruments else self.name).setFocus()

    # -- editing
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
        self.presenter.remove(self.chosen())

    def tune_now(self) -> None:
        """Tunes the chosen guitar to what is typed, or home; the field keeps what cannot be read."""
        guitar = self.chosen()
        target = self.presenter.target(guitar, self.page.target.text()) if guitar is not None else None
        if guitar is not None and target is not None:
            self.page.target.clear()
            self.tune_wanted.emit(guitar.id, target, False)

    def set_intonation(self) -> None:
        """Opens the intonation of the chosen guitar."""
        guitar = self.chosen()
        if guitar is not None:
            self.intonation_wanted.emit(guitar.id)

    def identify(self) -> None:
        """Listens to what the chosen guitar is in."""
        guitar = self.chosen()
        if guitar is not None:
            self.tune_wanted.emit(guitar.id, guitar.tuning, True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self.remove()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.page.texts["tuning"].setFocus()
            self.page.texts["tuning"].selectAll()
        elif event.key() == Qt.Key.Key_T:
            self.page.target.setFocus()
        elif event.key() == Qt.Key.Key_I:
            self.set_intonation()
        elif event.key() == Qt.Key.Key_F12:
            self.identify()
        else:
            super().keyPressEvent(event)


def _button(text: str, work: object) -> QPushButton:
    button = QPushButton(text)
    button.setAutoDefault(False)
    button.clicked.connect(lambda _=False: work())  # type: ignore[operator]
    return button
