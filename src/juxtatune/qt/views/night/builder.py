"""Setting up a night: songs in and out of it, parts and interval, guitars brought, talk, technician, limit."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMessageBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.fields import show_length, show_tuning
from juxtatune.book.state import BookState, NightRecord
from juxtatune.qt.views.night.presenter import NightPresenter
from juxtatune.qt.widgets.fields import NumberField

SONG, PART = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
HINTS = (
    "Enter  put in or take out", "Alt+↑↓  move", "I  interval after the song", "Del  take out", "Esc  back to the score",
)  # fmt: skip


class BuilderPage(QWidget):
    """The book's songs at the left, the night in the middle, what holds for all of it at the right."""

    closed = Signal()

    def __init__(self, presenter: NightPresenter) -> None:
        super().__init__()
        self.presenter, self.edits = presenter, presenter.edits
        self._filling = False
        self._make_head()
        self._make_lists()
        self._make_form()
        self._lay_out()
        self.refresh()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    # -- building
    def _button(self, text: str, work: object) -> QPushButton:
        button = QPushButton(text)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: work())  # type: ignore[operator]
        return button

    def _make_head(self) -> None:
        self.nights = QComboBox()
        self.nights.setAccessibleName("Night")
        self.nights.setMinimumSize(240, 32)
        self.nights.activated.connect(lambda k: self.presenter.open_night(self.nights.itemData(k)))
        self.buttons = {
            "new": self._button("New night", self.new),
            "copy": self._button("Copy", self.copy),
            "rename": self._button("Rename…", self.rename),
            "delete": self._button("Delete…", self.delete),
            "done": self._button("Back to the score", self.closed.emit),
        }

    def _make_lists(self) -> None:
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search the book")
        self.search.setAccessibleName("Search the songs of the book")
        self.search.setMinimumHeight(32)
        self.search.textChanged.connect(lambda _: self._fill_book())
        self.book, self.order = QListWidget(), QListWidget()
        self.book.setAccessibleName("Songs of the book that are not in this night")
        self.order.setAccessibleName("Songs of this night in order")
        self.book.itemActivated.connect(lambda item: self.put_in(item.data(SONG)))
        self.order.itemActivated.connect(self._activate)
        self.order.currentItemChanged.connect(lambda *_: self._chosen())
        for view in (self.book, self.order):
            view.installEventFilter(self)
        self.search.installEventFilter(self)
        self.book_title, self.night_title = QLabel(), QLabel()
        for label in (self.book_title, self.night_title):
            label.setObjectName("muted")

    def _make_form(self) -> None:
        self.guitars = QListWidget()
        self.guitars.setAccessibleName("Guitars brought")
        self.guitars.setFixedHeight(210)
        self.guitars.itemChanged.connect(self._brought)
        self.cover = NumberField(0, 600, " s")
        self.cover.setAccessibleName("Talk between songs")
        self.cover.valueChanged.connect(lambda value: self._set(lambda: self.edits.set_cover(value)))
        self.talk = NumberField(0, 600, " s")
        self.talk.setAccessibleName("Talk after the chosen song")
        self.talk.valueChanged.connect(self._talk_changed)
        self.limit = NumberField(0, 900, " s")
        self.limit.setSpecialValueText("no limit")
        self.limit.setAccessibleName("Longest gap allowed")
        self.limit.valueChanged.connect(lambda value: self._set(lambda: self.edits.set_limit(value or None)))
        self.tech = QCheckBox("a technician retunes guitars that are not played")
        self.tech.toggled.connect(lambda on: self._set(lambda: self.edits.set_tech(on)))
        self.talk_label = QLabel("Talk after the chosen song")

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        title = QLabel("Set up the night")
        title.setObjectName("title")
        head.addWidget(title, 1)
        head.addWidget(self.nights)
        for button in self.buttons.values():
            head.addWidget(button)
        left, middle, right, form = QVBoxLayout(), QVBoxLayout(), QVBoxLayout(), QFormLayout()
        left.addWidget(self.book_title)
        left.addWidget(self.search)
        left.addWidget(self.book, 1)
        left.addWidget(self._button("Put it in  →", lambda: self.put_in(self._song(self.book))))
        middle.addWidget(self.night_title)
        middle.addWidget(self.order, 1)
        row = QHBoxLayout()
        for text, work in (
            ("←  Take it out", self._take_out), ("Earlier", lambda: self._move(-1)), ("Later", lambda: self._move(1)),
            ("Interval after it", self._interval), ("No interval", self._no_interval),
        ):  # fmt: skip
            row.addWidget(self._button(text, work))
        middle.addLayout(row)
        brought = QLabel("Guitars brought (Space brings one or leaves it)")
        brought.setObjectName("muted")
        right.addWidget(brought)
        right.addWidget(self.guitars)
        form.setVerticalSpacing(10)
        form.addRow("Talk between songs", self.cover)
        form.addRow(self.talk_label, self.talk)
        form.addRow("Longest gap allowed", self.limit)
        right.addSpacing(12)
        right.addLayout(form)
        right.addSpacing(8)
        right.addWidget(self.tech)
        right.addStretch(1)
        columns = QHBoxLayout()
        columns.setSpacing(24)
        columns.addLayout(left, 3)
        columns.addLayout(middle, 4)
        columns.addLayout(right, 3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 12)
        layout.addLayout(head)
        layout.addLayout(columns, 1)

    # -- showing
    def refresh(self) -> None:
        self._filling = True
        state, night = self.presenter.session.state, self.presenter.night()
        self.nights.clear()
        for n in state.nights:
            self.nights.addItem(n.name, n.id)
        if night is not None:
            self.nights.setCurrentIndex(self.nights.findData(night.id))
        for name in ("copy", "rename", "delete"):
            self.buttons[name].setEnabled(night is not None)
        self._fill_book()
        self._fill_order(state, night)
        self._fill_form(state, night)
        self._filling = False

    def _fill_book(self) -> None:
        state, night = self.presenter.session.state, self.presenter.night()
        inside = {s.song for s in night.slots} if night is not None else set()
        wanted = self.search.text().strip().lower()
        chosen = self._song(self.book)
        self.book.clear()
        for song in state.songs:
            tuning = show_tuning(song.ways[0].tuning)
            if song.id in inside or wanted not in f"{song.title} {tuning}".lower():
                continue
            item = QListWidgetItem(f"{song.title}  ·  {tuning}")
            item.setData(SONG, song.id)
            self.book.addItem(item)
            if song.id == chosen:
                self.book.setCurrentItem(item)
        if self.book.currentRow() < 0 and self.book.count():
            self.book.setCurrentRow(0)
        left = len(state.songs) - len(inside)
        self.book_title.setText(
            f"In the book, not in this night: {left}" if state.songs else "No songs yet: the Songs view makes them."
        )

    def _fill_order(self, state: BookState, night: NightRecord | None) -> None:
        chosen, at = self._song(self.order), self.order.currentRow()
        self.order.clear()
        if night is None:
            self.night_title.setText("No night yet: put a song in, or press New night.")
            return
        for part, p in enumerate(night.rules.parts):
            inside = [s for s in night.slots if s.part == part]
            length = show_length(sum(state.song(s.song).length_s for s in inside))
            head = QListWidgetItem(f"{p.name}  ·  {len(inside)} songs  ·  {length} of music")
            head.setData(PART, part)
            face = head.font()
            face.setBold(True)
            head.setFont(face)
            head.setToolTip("Enter gives this part another name")
            self.order.addItem(head)
            for slot in inside:
                self._add_slot(state, slot.song, slot.way or 0, night)
        rows = [k for k in range(self.order.count()) if self.order.item(k).data(SONG) == chosen and chosen]
        self.order.setCurrentRow(rows[0] if rows else max(0, min(at, self.order.count() - 1)))
        self.night_title.setText(f"{night.name}: {len(night.slots)} songs")

    def _add_slot(self, state: BookState, song_id: str, way: int, night: NightRecord) -> None:
        song = state.song(song_id)
        played = song.ways[min(way, len(song.ways) - 1)]
        number = [s.song for s in night.slots].index(song_id) + 1
        guitar = state.instrument(played.instrument).name
        item = QListWidgetItem(f"   {number}.  {song.title}  ·  {guitar}, {show_tuning(played.tuning)}")
        item.setData(SONG, song_id)
        self.order.addItem(item)

    def _fill_form(self, state: BookState, night: NightRecord | None) -> None:
        self.guitars.clear()
        for guitar in state.instruments:
            item = QListWidgetItem(guitar.name)
            item.setData(SONG, guitar.id)
            brought = night is not None and guitar.id in night.guitars
            item.setCheckState(Qt.CheckState.Checked if brought else Qt.CheckState.Unchecked)
            self.guitars.addItem(item)
        if night is None:
            return
        self.cover.setValue(night.rules.cover_s)
        self.limit.setValue(night.rules.max_dead_s or 0)
        self.tech.setChecked(night.rules.tech)
        self._show_talk(state, night)

    def _show_talk(self, state: BookState, night: NightRecord) -> None:
        song = self._song(self.order)
        self.talk.setEnabled(song is not None)
        self.talk_label.setText(f"Talk after {state.song(song).title}" if song else "Talk after the chosen song")
        self.talk_label.setWordWrap(True)
        if song is not None:
            self.talk.setValue(night.rules.cover(song))

    # -- doing
    def _set(self, work: object) -> None:
        if not self._filling:
            work()  # type: ignore[operator]

    def _song(self, view: QListWidget) -> str | None:
        item = view.currentItem()
        song: str | None = item.data(SONG) if item is not None else None
        return song

    def _chosen(self) -> None:
        """The talk field follows the chosen song."""
        night = self.presenter.night()
        if not self._filling and night is not None:
            self._filling = True
            self._show_talk(self.presenter.session.state, night)
            self._filling = False

    def _ensure_night(self) -> None:
        if self.presenter.night() is None:
            night = self.edits.new()
            if night is not None:
                self.presenter.open_night(night.id)

    def put_in(self, song: str | None) -> None:
        if song is not None:
            self._ensure_night()
            self.edits.add(song)

    def _take_out(self) -> None:
        song = self._song(self.order)
        if song is not None:
            self.edits.take_out(song)

    def _activate(self, item: QListWidgetItem) -> None:
        if item.data(SONG) is not None:
            self.edits.take_out(item.data(SONG))
            return
        night, part = self.presenter.night(), item.data(PART)
        if night is None:
            return
        name, ok = QInputDialog.getText(self, "Name of the part", "Its name:", text=night.rules.parts[part].name)
        if ok:
            self.edits.rename_part(part, name)

    def _move(self, by: int) -> None:
        song = self._song(self.order)
        if song is not None:
            self.edits.move_within(song, by)

    def _interval(self) -> None:
        self.edits.add_interval(self._song(self.order))

    def _no_interval(self) -> None:
        item = self.order.currentItem()
        night = self.presenter.night()
        part = item.data(PART) if item is not None else None
        if part is None and night is not None:
            part = next((s.part for s in night.slots if s.song == self._song(self.order)), 0)
        self.edits.remove_interval(part or 0)

    def _brought(self, item: QListWidgetItem) -> None:
        if self._filling:
            return
        if not self.edits.bring(item.data(SONG), item.checkState() == Qt.CheckState.Checked):
            self.refresh()

    def _talk_changed(self, value: float) -> None:
        song = self._song(self.order)
        if song is not None:
            self._set(lambda: self.edits.set_talk(song, value))

    def new(self) -> None:
        night = self.edits.new()
        if night is not None:
            self.presenter.open_night(night.id)
            self.search.setFocus()

    def copy(self) -> None:
        night = self.edits.copy()
        if night is not None:
            self.presenter.open_night(night.id)

    def rename(self) -> None:
        night = self.presenter.night()
        if night is None:
            return
        name, ok = QInputDialog.getText(self, "Rename this night", "Its name:", text=night.name)
        if ok:
            self.edits.rename(name)

    def delete(self) -> None:
        night = self.presenter.night()
        if night is None:
            return
        asked = QMessageBox.question(
            self, "Delete this night", f"Delete {night.name}? Its songs stay in the book, and Ctrl+Z brings it back."
        )
        if asked == QMessageBox.StandardButton.Yes:
            self.edits.delete()

    # -- keys
    def eventFilter(self, watched: object, event: object) -> bool:
        return isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress and self._key(watched, event)

    def _key(self, watched: object, event: QKeyEvent) -> bool:
        key = event.key()
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if watched is self.search:
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.put_in(self._song(self.book))
                return True
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up) and self.book.count():
                step = 1 if key == Qt.Key.Key_Down else -1
                self.book.setCurrentRow(max(0, min(self.book.count() - 1, self.book.currentRow() + step)))
                return True
        elif watched is self.order and alt and key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self._move(1 if key == Qt.Key.Key_Down else -1)
            return True
        elif watched is self.order and key == Qt.Key.Key_Delete:
            self._take_out()
            return True
        elif watched is self.order and key == Qt.Key.Key_I:
            self._interval()
            return True
        return self._return_key(watched, key)

    def _return_key(self, watched: object, key: int) -> bool:
        """Enter acts on the chosen row, whatever the desktop's idea of a click that opens."""
        if key not in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            return False
        if watched is self.book:
            self.put_in(self._song(self.book))
        elif watched is self.order and self.order.currentItem() is not None:
            self._activate(self.order.currentItem())
        return True

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            super().keyPressEvent(event)
