"""The Log view: what happened, pictures that answer, what it teaches, and rows kept by hand."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMarginsF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPageSize, QPdfWriter, QShowEvent, QTextDocument
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QSplitter,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.log_pictures import PICTURES
from juxtatune.app.session import Session
from juxtatune.book.files import write_whole
from juxtatune.core.errors import UserError
from juxtatune.qt.views.log.pictures import PicturePanel
from juxtatune.qt.views.log.presenter import LogPresenter
from juxtatune.qt.views.log.teaches import TeachesPanel
from juxtatune.qt.widgets.fields import NumberField
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

HINTS = ("↑ ↓  choose a row", "N  note beside it", "Ctrl+S  as a table")
BY_HAND = {"was retuned to": "retune", "has new strings": "new_strings", "a note:": "note"}
COLUMNS = (
    TableColumn("When", lambda r: r.at, width=130), TableColumn("Guitar", lambda r: r.guitar, width=80),
    TableColumn("Song", lambda r: r.song, width=130), TableColumn("What", lambda r: r.words, stretch=True),
)  # fmt: skip
EMPTY = "Nothing is logged yet. Retunes, checks and songs stand here as they happen; rows can be kept by hand below."


class LogView(QWidget):
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.presenter = LogPresenter(session)
        self.guitar, self.song, self.night, self.hand_guitar = QComboBox(), QComboBox(), QComboBox(), QComboBox()
        self.readings = QCheckBox("single readings too")
        self.empty = QLabel(EMPTY)
        self.empty.setWordWrap(True)
        self.empty.setObjectName("muted")
        self.model = RowsModel(COLUMNS, lambda *_: None, self.message.emit)
        self.table = make_table(self.model, COLUMNS, "What happened, newest first")
        self.pictures, self.teaches = PicturePanel(), TeachesPanel(self.presenter)
        self._names: tuple[tuple[str, ...], tuple[str, ...]] = ((), ())
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        for label, box in (("Guitar", self.guitar), ("Song", self.song), ("Night", self.night)):
            box.setAccessibleName(label)
            box.setMinimumWidth(120)
            top.addWidget(QLabel(label))
            top.addWidget(box)
        top.addWidget(self.readings)
        top.addStretch(1)
        self.csv, self.page = QPushButton("As a table…"), QPushButton("The last night on a page…")
        top.addWidget(self.csv)
        top.addWidget(self.page)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table, 1)
        column.addWidget(self.empty)
        column.addLayout(self._by_hand())
        tabs = QTabWidget()
        tabs.addTab(self.pictures, "Pictures")
        tabs.addTab(self.teaches, "What it teaches")
        self.tabs = tabs
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(left)
        split.addWidget(tabs)
        split.setSizes([560, 480])
        outer = QVBoxLayout(self)
        outer.setContentsMargins(20, 12, 20, 8)
        outer.addLayout(top)
        outer.addWidget(split, 1)

    def _by_hand(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.hand_kind, self.hand_text = QComboBox(), QLineEdit()
        self.hand_seconds, self.hand_add = NumberField(0, 3600, " s", 0, 5), QPushButton("Add")
        self.hand_kind.addItems(list(BY_HAND))
        self.hand_kind.setAccessibleName("What happened")
        self.hand_guitar.setAccessibleName("To which guitar")
        self.hand_text.setAccessibleName("The tuning, or the note")
        self.hand_text.setPlaceholderText("drop D")
        self.hand_seconds.setAccessibleName("Seconds it took")
        self.hand_seconds.setFixedWidth(70)
        for widget in (self.hand_guitar, self.hand_kind, self.hand_text, self.hand_seconds, self.hand_add):
            row.addWidget(widget, int(widget is self.hand_text))
        return row

    def _connect(self) -> None:
        p = self.presenter
        p.message.connect(self.message)
        p.changed.connect(self._show)
        self.guitar.activated.connect(lambda _: self._want())
        self.song.activated.connect(lambda _: self._want())
        self.night.activated.connect(lambda _: self._want())
        self.readings.toggled.connect(lambda _: self._want())
        self.pictures.question.addItems(list(PICTURES))
        self.pictures.question.activated.connect(lambda _: self._want())
        self.hand_kind.currentTextChanged.connect(self._show_hand)
        self.hand_text.returnPressed.connect(self._add)
        self.hand_add.clicked.connect(self._add)
        self.csv.clicked.connect(self.ask_csv)
        self.page.clicked.connect(self.ask_page)
        self.table.doubleClicked.connect(lambda _: self.note())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() == Qt.Key.Key_N and not ctrl:
            self.note()
        elif event.key() == Qt.Key.Key_S and ctrl:
            self.ask_csv()
        else:
            super().keyPressEvent(event)

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def focus_in(self) -> None:
        self.table.setFocus()

    def close_view(self) -> None:
        self.presenter.close()

    def showEvent(self, event: QShowEvent) -> None:
        """The log may be longer than when it was last looked at."""
        super().showEvent(event)
        self._name_all()
        self.presenter.refresh()

    def _name_all(self) -> None:
        state = self.presenter.session.state
        names = (tuple(i.id for i in state.instruments), tuple(s.id for s in state.songs))
        if names == self._names:
            return
        self._names = names
        for box, first in ((self.guitar, "all"), (self.hand_guitar, None)):
            box.clear()
            if first is not None:
                box.addItem(first, "")
            for i in state.instruments:
                box.addItem(i.name, i.id)
        self.song.clear()
        self.song.addItem("all", "")
        for s in state.songs:
            self.song.addItem(s.title, s.id)

    def _want(self) -> None:
        p = self.presenter
        p.guitar, p.song = self.guitar.currentData() or "", self.song.currentData() or ""
        p.night = self.night.currentData() or ""
        p.readings, p.question = self.readings.isChecked(), self.pictures.question.currentText()
        p.refresh()

    def _show(self) -> None:
        shown = self.presenter.shown
        if shown is None:
            return
        self._show_nights(shown.nights)
        self.model.set_rows(shown.lines)
        self.empty.setVisible(not shown.lines)
        self.pictures.show_picture(shown.picture)
        self.teaches.refresh()

    def _show_nights(self, dates: tuple[str, ...]) -> None:
        if [self.night.itemData(k) for k in range(1, self.night.count())] != list(dates):
            self.night.clear()
            self.night.addItem("all", "")
            for day in dates:
                self.night.addItem(day, day)
            self.night.setCurrentIndex(max(0, self.night.findData(self.presenter.night)))

    def _show_hand(self, text: str) -> None:
        kind = BY_HAND[text]
        self.hand_text.setVisible(kind != "new_strings")
        self.hand_seconds.setVisible(kind == "retune")
        self.hand_text.setPlaceholderText("drop D" if kind == "retune" else "what happened")

    def _add(self) -> None:
        guitar = self.hand_guitar.currentData()
        if guitar is None:
            self.message.emit("First a guitar: Guitars, then its name.")
            return
        if self.presenter.add(BY_HAND[self.hand_kind.currentText()], guitar, self.hand_text.text(), self.hand_seconds.value()):
            self.hand_text.clear()

    def note(self) -> None:
        """A note beside the row chosen: rows are never changed."""
        row = self.table.currentIndex().row()
        shown = self.presenter.shown
        if shown is None or not 0 <= row < len(shown.lines):
            self.message.emit("Choose a row first.")
            return
        line = shown.lines[row]
        text, fine = QInputDialog.getText(self, "Note beside it", f"{line.at}, {line.words[:80]}:")
        if fine:
            self.presenter.note(line.number, text)

    def ask_csv(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "The log as a table", "log.csv", "Tables (*.csv)")
        if name:
            self._write(Path(name), self.presenter.csv().encode())

    def ask_page(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "The last night on a page", "night.html", "Pages (*.html *.pdf)")
        if name:
            self.write_page(Path(name))

    def write_page(self, path: Path) -> None:
        """HTML, or PDF where the name ends so."""
        try:
            html = self.presenter.page()
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return
        if path.suffix.lower() != ".pdf":
            self._write(path, html.encode())
            return
        writer = QPdfWriter(str(path))
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        writer.setPageMargins(QMarginsF(16, 16, 16, 16))
        document = QTextDocument()
        document.setHtml(html)
        document.print_(writer)
        self.message.emit(f"The night is in {path}.")

    def _write(self, path: Path, data: bytes) -> None:
        try:
            write_whole(path, data, 0o600)
        except UserError as error:
            self.message.emit(f"{error.message()}.")
        else:
            self.message.emit(f"It is in {path}.")
