"""The Tunings view: the list at the left, the chosen tuning on a guitar, and how far tonight's tunings lie from each other."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
)

from juxtatune.app.calling import Calling
from juxtatune.app.session import Session
from juxtatune.app.tunings import Listed
from juxtatune.book.state import NightRecord
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.tuning import Tuning, same_pitches
from juxtatune.qt.views.tunings.presenter import TuningsPresenter
from juxtatune.qt.widgets.catching_up import CatchingUp
from juxtatune.qt.widgets.distance_table import DistanceTable
from juxtatune.qt.widgets.fields import AddField
from juxtatune.qt.widgets.strings_picture import StringsPicture
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

HINTS = ("T  tune a guitar to it", "Ctrl+F  search", "Ctrl+N  a tuning of your own", "Del  remove your own")
NO_TABLE = "No tunings of tonight with as many strings as this guitar."


class TuningsView(CatchingUp):
    """Fields and lists to presenter calls; presenter values to pictures and labels."""

    message = Signal(str)
    tune_wanted = Signal(str, object, bool)  # a guitar's id and a tuning, as the Guitars view asks

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.presenter = p = TuningsPresenter(session)
        p.message.connect(self.message)
        columns = (
            TableColumn("Tuning", lambda r: f"{r.name}\n{pretty(str(r.tuning))}", None, 200, p.signature, stretch=True),
            TableColumn("From", lambda r: r.group, None, 82),
        )  # fmt: skip
        self.model = RowsModel(columns, lambda *_: None, self.message.emit)
        self.table = make_table(self.model, columns, "Tunings")
        self.table.verticalHeader().setDefaultSectionSize(44)
        self.search, self.guitar = QLineEdit(), QComboBox()
        self.name, self.notes = AddField("A name of your own", "Name of your tuning"), AddField("its notes", "Notes of your tuning")
        self.title, self.words, self.tension, self.table_title = QLabel(), QLabel(), QLabel(), QLabel()
        self.picture, self.distances, self.relatives = StringsPicture(), DistanceTable(), QComboBox()
        self.picture.setMinimumHeight(140)
        self._lay_out()
        self._connect()
        self._unwatch = session.watch(self._book_changed)
        self.refresh()

    def close_view(self) -> None:
        self._unwatch()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def prefer(self, calling: Calling) -> None:
        self.presenter.calling = calling
        self._show_tuning()

    def focus_in(self) -> None:
        self.table.setFocus()

    def _lay_out(self) -> None:
        head = QLabel("Tunings")
        head.setObjectName("title")
        self.search.setPlaceholderText("Search names, notes, 7-string")
        self.search.setAccessibleName("Search the tunings")
        self.search.setMinimumHeight(32)
        for box, name in ((self.guitar, "Guitar that tunings are judged on"), (self.relatives, "The same shape moved")):
            box.setAccessibleName(name)
            box.setMinimumHeight(32)
            box.setMinimumWidth(150)
        for label in (self.words, self.tension):
            label.setWordWrap(True)
        self.tension.setObjectName("muted")
        self.title.setObjectName("title")
        self.table_title.setStyleSheet("font-size: 18px; font-weight: 600;")
        self.keep = QPushButton("Keep")
        self.tune = QPushButton("Tune it now")
        for button in (self.keep, self.tune):
            button.setAutoDefault(False)
        own = QHBoxLayout()
        own.addWidget(self.name, 1)
        own.addWidget(self.notes, 1)
        own.addWidget(self.keep)
        left = QVBoxLayout()
        left.setSpacing(10)
        left.addWidget(head)
        left.addWidget(self.search)
        left.addWidget(self.table, 1)
        left.addLayout(own)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        for widget in (self.relatives, QLabel("on"), self.guitar, self.tune):
            top.addWidget(widget)
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addLayout(top)
        right.addWidget(self.words)
        right.addWidget(self.picture, 2)
        right.addWidget(self.tension)
        right.addWidget(self.table_title)
        right.addWidget(self.distances, 3)
        both = QHBoxLayout(self)
        both.setContentsMargins(24, 14, 24, 12)
        both.setSpacing(24)
        both.addLayout(left, 4)
        both.addLayout(right, 7)

    def _connect(self) -> None:
        self.search.textChanged.connect(lambda _: self._search())
        self.table.selectionModel().currentRowChanged.connect(lambda *_: self._show_tuning())
        self.guitar.activated.connect(lambda k: self._choose_guitar(self.guitar.itemData(k)))
        self.relatives.activated.connect(self._choose_relative)
        for field in (self.name, self.notes):
            field.entered.connect(self.keep_own)
        self.keep.clicked.connect(lambda _=False: self.keep_own())
        self.tune.clicked.connect(lambda _=False: self.tune_now())
        self.distances.chosen.connect(lambda a, b: self.message.emit(self.presenter.retune_words(a, b)))

    # -- showing
    def show_night(self, night: NightRecord | None) -> None:
        """Takes the night that is open: its tunings stand first, and in the table."""
        if night is not self.presenter.night:
            self.presenter.night = night
            self.mark_changed()

    def _book_changed(self) -> None:
        changes = self.session.changes
        if changes.instruments or changes.tunings or changes.songs:
            self.mark_changed()

    def _search(self) -> None:
        """The best match is chosen while a name is typed."""
        self.refresh()
        if self.search.text():
            self.table.selectRow(0)

    def refresh(self) -> None:
        super().refresh()
        was = self.chosen()
        rows = self.presenter.rows(self.search.text())
        self.model.set_rows(rows)
        alike = (k for k, r in enumerate(rows) if was is not None and same_pitches(r.tuning, was.tuning))
        self.table.selectRow(next(alike, 0))
        guitars = [(i.name, i.id) for i in self.session.state.instruments]
        if [(self.guitar.itemText(k), self.guitar.itemData(k)) for k in range(self.guitar.count())] != guitars:
            self.guitar.clear()
            for name, guitar_id in guitars:
                self.guitar.addItem(name, guitar_id)
        guitar = self.presenter.guitar
        self.guitar.setCurrentIndex(self.guitar.findData(guitar.id) if guitar is not None else -1)
        self._show_tuning()
        self._show_table()

    def chosen(self) -> Listed | None:
        found: Listed | None = self.model.row(self.table.currentIndex().row())
        return found

    def _show_tuning(self) -> None:
        row = self.chosen()
        self.title.setText(row.name if row is not None else "No tuning of that name")
        self.words.setText("\n".join(self.presenter.about(row)) if row is not None else "")
        self.tension.setText(self.presenter.tension_words(row) if row is not None else "")
        self.picture.set_values(self.presenter.strings(row) if row is not None else ())
        self.relatives.clear()
        found = self.presenter.relatives(row) if row is not None else []
        for name, tuning in found:
            self.relatives.addItem(name, tuning)
        at = next((k for k, (_, t) in enumerate(found) if row is not None and same_pitches(t, row.tuning)), -1)
        self.relatives.setCurrentIndex(at)
        self.relatives.setVisible(len(found) > 1)
        self.tune.setEnabled(row is not None and self.presenter.fitting(row.tuning) is not None)

    def _show_table(self) -> None:
        values, guitar = self.presenter.distances(), self.presenter.guitar
        name = guitar.name if guitar is not None else ""
        told = f"Tonight on {name}: seconds from one tuning to another" if values.names else NO_TABLE
        self.table_title.setText(told if name else "")
        self.distances.set_values(values)
        self.distances.setVisible(bool(values.names))

    # -- actions
    def _choose_guitar(self, guitar_id: str) -> None:
        self.presenter.guitar_id = guitar_id
        self.refresh()

    def _choose_relative(self, at: int) -> None:
        """Goes to the same shape at another pitch; one that is not in the list is shown as it is."""
        tuning = self.relatives.itemData(at)
        self.search.clear()
        if not self._select(tuning):
            row = Listed(self.relatives.itemText(at), tuning, "shape")
            self.model.set_rows([row, *self.presenter.rows("")])
            self.table.selectRow(0)
            self._show_tuning()

    def _select(self, tuning: Tuning) -> bool:
        rows = self.presenter.rows(self.search.text())
        found = next((k for k, r in enumerate(rows) if same_pitches(r.tuning, tuning)), None)
        if found is not None:
            self.table.selectRow(found)
        return found is not None

    def keep_own(self) -> None:
        """Keeps what is typed; the fields keep the text where that fails."""
        if self.presenter.keep(self.name.text(), self.notes.text()):
            self.search.clear()
            self._select(self.session.state.tunings[-1].tuning)
            self.name.clear()
            self.notes.clear()
        (self.notes if self.name.text().strip() and not self.notes.text().strip() else self.name).setFocus()

    def tune_now(self) -> None:
        row = self.chosen()
        guitar = self.presenter.fitting(row.tuning) if row is not None else None
        if row is None or guitar is None:
            self.message.emit("No guitar with as many strings: add one in Guitars (Ctrl+2).")
            return
        self.tune_wanted.emit(guitar.id, row.tuning, False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if event.key() == Qt.Key.Key_N and control:
            self.name.setFocus()
        elif event.key() == Qt.Key.Key_F and control:
            self.search.setFocus()
        elif event.key() == Qt.Key.Key_T:
            self.tune_now()
        elif event.key() == Qt.Key.Key_Delete:
            self.presenter.forget(self.chosen())
        else:
            super().keyPressEvent(event)
