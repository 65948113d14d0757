"""The Songs view: the songs, and below them the ways to play the selected one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app import catalogue_edits, fields
from juxtatune.app.session import Session
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.music.pitch import Reference
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.devices.sound_file import CHOOSE
from juxtatune.qt.views.songs.record import RecordBar
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

HINTS = ("Enter  edit a field", "Ctrl+N  new song", "Ctrl+M  match a record", "Del  remove", "Ctrl+Z  undo")


@dataclass(frozen=True)
class WayRow:
    index: int
    way: Way


class SongsView(QWidget):
    """Both tables edit the book through the session."""

    message = Signal(str)
    song_chosen = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._song: str | None = None
        self.record = RecordBar(self._tune_song)
        self.record.message.connect(self.message)
        self._make_tables()
        self._lay_out()
        self._unwatch = session.watch(self.refresh)
        self.refresh()

    def close_view(self) -> None:
        self._unwatch()
        self.record.close_bar()

    def set_reference(self, reference: Reference) -> None:
        """The player's A4, which a record is measured against."""
        self.record.reference = reference
        self._show_ways()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def _guitar(self, way: Way) -> str:
        return self.session.state.instrument(way.instrument).name

    def _make_tables(self) -> None:
        songs = (
            TableColumn(
                "Song", lambda s: s.title, lambda s, t: replace(s, title=fields.words(t)), stretch=True
            ),
            TableColumn(
                "Length",
                lambda s: fields.show_length(s.length_s),
                lambda s, t: replace(s, length_s=fields.length(t)),
                90,
            ),
            TableColumn(
                "Energy",
                lambda s: f"{s.energy:g}",
                lambda s, t: replace(s, energy=fields.number(t, 0, 10)),
                80,
            ),
            TableColumn("Guitar", lambda s: self._guitar(s.ways[0]), None, 130),
            TableColumn(
                "Tuning",
                lambda s: fields.show_tuning(s.ways[0].tuning),
                None,
                290,
                lambda s: self._signature(s.ways[0]),
            ),
            TableColumn("Ways", lambda s: str(len(s.ways)), None, 70),
        )
        ways = (
            TableColumn("Guitar", lambda r: self._guitar(r.way), self._edit_guitar, 120),
            TableColumn(
                "Tuning",
                lambda r: fields.show_tuning(r.way.tuning),
                self._edit_tuning,
                270,
                lambda r: self._signature(r.way),
            ),
            TableColumn("Notes", lambda r: fields.show_notes(r.way.tuning), self._edit_tuning, 205),
            TableColumn(
                "Capo", lambda r: str(r.way.capo), lambda r, t: self._with(r, capo=fields.whole(t, 0, 12)), 60
            ),
            TableColumn("Strings used", lambda r: fields.show_used(r.way.strings_used), self._edit_used, 115),
            TableColumn(
                "Compromise", lambda r: f"{r.way.compromise_s:g} s", self._edit_compromise, 100, stretch=True
            ),
        )
        self.songs_model = RowsModel(songs, self._song_changed, self.message.emit)
        self.ways_model = RowsModel(ways, self._way_changed, self.message.emit)
        self.songs, self.ways = make_table(self.songs_model, songs), make_table(self.ways_model, ways)
        self.songs.selectionModel().currentRowChanged.connect(lambda now, _: self._chose(now.row()))
        self.songs.verticalHeader().setDefaultSectionSize(30)
        self.ways.setFixedHeight(152)

    def _lay_out(self) -> None:
        title = QLabel("Songs")
        title.setObjectName("title")
        self.ways_title = QLabel()
        self.ways_title.setObjectName("muted")
        self.name = QLineEdit()
        self.name.setPlaceholderText("Title of a new song")
        self.name.returnPressed.connect(self.add_song)
        head, foot = QHBoxLayout(), QHBoxLayout()
        head.addWidget(title, 1)
        head.addWidget(self.name)
        for layout, text, action in (
            (head, "Add song", self.add_song), (head, "Remove song", self.remove_song),
            (foot, "Match a record…", self.match_record), (foot, "Add way", self.add_way), (foot, "Remove way", self.remove_way),
        ):  # fmt: skip
            button = QPushButton(text)
            button.clicked.connect(action)
            layout.addWidget(button)
        foot.insertWidget(0, self.ways_title, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 14, 24, 8)
        column.addLayout(head)
        column.addWidget(self.songs, 1)
        column.addLayout(foot)
        column.addWidget(self.ways)
        column.addWidget(self.record)
        self.setFocusProxy(self.songs)

    # -- showing
    def refresh(self) -> None:
        state = self.session.state
        self.songs_model.set_rows(state.songs)
        ids = [s.id for s in state.songs]
        if self._song not in ids:
            self._song = ids[0] if ids else None
        if self._song is not None:
            self.songs.selectRow(ids.index(self._song))
        self._show_ways()

    def select(self, song: str | None) -> None:
        ids = [s.id for s in self.session.state.songs]
        if song in ids and song != self._song:
            self._song = song
            self.songs.selectRow(ids.index(song))
            self._show_ways()

    def _chose(self, row: int) -> None:
        song = self.songs_model.row(row)
        if song is not None and song.id != self._song:
            self._song = song.id
            self._show_ways()
            self.song_chosen.emit(song.id)

    def _show_ways(self) -> None:
        song = next((s for s in self.session.state.songs if s.id == self._song), None)
        self.ways_model.set_rows([WayRow(k, w) for k, w in enumerate(song.ways)] if song is not None else [])
        self.record.show_song(song)
        self.ways_title.setText(
            f"Ways to play {song.title}"
            if song is not None
            else "No songs yet: type a title above and add it."
        )

    def _signature(self, way: Way) -> tuple[tuple[float, ...], tuple[float, ...]] | None:
        return way.tuning.pitches, self.session.state.instrument(way.instrument).home.pitches

    # -- editing
    def _do(self, label: str, work: Callable[[], BookState]) -> None:
        try:
            self.session.edit(label, work())
        except UserError as error:
            self.message.emit(error.message())

    def _song_changed(self, old: Song, new: Song) -> None:
        self.session.edit("Edit a song", self.session.state.with_song(new))

    def _way_changed(self, old: WayRow, new: WayRow) -> None:
        if self._song is not None:
            self.session.edit(
                "Edit a way", catalogue_edits.change_way(self.session.state, self._song, old.index, new.way)
            )

    def _with(self, row: WayRow, **changes: object) -> WayRow:
        return WayRow(row.index, replace(row.way, **changes))  # type: ignore[arg-type]

    def _strings(self, row: WayRow) -> int:
        return self.session.state.instrument(row.way.instrument).strings

    def _edit_guitar(self, row: WayRow, text: str) -> WayRow:
        for guitar in self.session.state.instruments:
            if text.strip().lower() in (guitar.name.lower(), guitar.id):
                return self._with(row, instrument=guitar.id)
        raise UserError(
            f"no guitar {text!r}", allowed=", ".join(i.name for i in self.session.state.instruments)
        )

    def _edit_tuning(self, row: WayRow, text: str) -> WayRow:
        return self._with(row, tuning=fields.tuning(text, self._strings(row)))

    def _edit_used(self, row: WayRow, text: str) -> WayRow:
        return self._with(row, strings_used=fields.used_strings(text, self._strings(row)))

    def _edit_compromise(self, row: WayRow, text: str) -> WayRow:
        return self._with(row, compromise_s=fields.number(text.replace("s", ""), 0, 600))

    def add_song(self) -> None:
        title = self.name.text().strip()
        if not title:
            self.name.setFocus()
            self.message.emit("Type a title, then add the song.")
            return
        self._do("Add a song", lambda: catalogue_edits.add_song(self.session.state, title))
        self.name.clear()
        self.select(self.session.state.songs[-1].id if self.session.state.songs else None)

    def remove_song(self) -> None:
        song = self._song
        if song is not None:
            self._do("Remove a song", lambda: catalogue_edits.remove_song(self.session.state, song))

    def add_way(self) -> None:
        song = self._song
        if song is not None:
            self._do("Add a way", lambda: catalogue_edits.add_way(self.session.state, song))

    def remove_way(self) -> None:
        song, row = self._song, self.ways.currentIndex().row()
        if song is None or row < 0:
            self.message.emit("Choose a way in the lower list first.")
            return
        self._do("Remove a way", lambda: catalogue_edits.remove_way(self.session.state, song, row))

    def match_record(self) -> None:
        """Asks for the record of the song, and listens to how far it lies from A4."""
        song = next((s for s in self.session.state.songs if s.id == self._song), None)
        if song is None:
            self.message.emit("Add a song first: a record is matched by its ways.")
            return
        name, _ = QFileDialog.getOpenFileName(self, f"The record of {song.title}", "", CHOOSE)
        if name:
            self.record.listen(song, Path(name))
            QTimer.singleShot(0, self._keep_in_sight)

    def _keep_in_sight(self) -> None:
        """The line about the record takes room from the songs."""
        self.songs.scrollTo(self.songs.currentIndex())

    def _tune_song(self, song: str, cents: float) -> None:
        label = "Tune a song to its record"
        self._do(label, lambda: catalogue_edits.tune_song(self.session.state, song, cents))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_N and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.name.setFocus()
        elif event.key() == Qt.Key.Key_M and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.match_record()
        elif event.key() == Qt.Key.Key_Escape:
            self.record.stop()
        elif event.key() == Qt.Key.Key_Delete:
            self.remove_song()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            table = self.ways if self.ways.hasFocus() else self.songs
            table.edit(table.currentIndex())
        else:
            super().keyPressEvent(event)
