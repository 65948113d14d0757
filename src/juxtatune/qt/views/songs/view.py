"""The Songs view: the songs, and below them the ways to play the selected one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMessageBox,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app import fields
from juxtatune.app.music_in import Preview
from juxtatune.app.offer import Offer
from juxtatune.app.preferences import TuningPreferences
from juxtatune.app.session import Session
from juxtatune.app.song_edits import duplicates
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.devices.sound_file import CHOOSE
from juxtatune.qt.views.songs.filters import FilterBar
from juxtatune.qt.views.songs.many_dialog import DuplicatesDialog, ManyDialog
from juxtatune.qt.views.songs.offer_dialog import OfferDialog
from juxtatune.qt.views.songs.page import SongPage
from juxtatune.qt.views.songs.presenter import SongsPresenter, WayRow
from juxtatune.qt.views.songs.record import RecordBar
from juxtatune.qt.widgets.catching_up import CatchingUp
from juxtatune.qt.widgets.fields import AddField
from juxtatune.qt.widgets.scrolled import scrolled
from juxtatune.qt.widgets.table import RowsModel, TableColumn, make_table

MUSIC = "Music (*.musicxml *.xml *.mxl *.txt *.tab)"
HINTS = ("Enter  edit a field", "Shift+↓  choose several", "Ctrl+N  new song", "Ctrl+M  match a record",
         "Del  remove", "Ctrl+Z  undo")  # fmt: skip
FILL_MS = 300
NO_SONGS = "No songs yet: type a title above, a tuning if it is not the guitar's own, and press Enter."
NO_GUITARS = "A song is played on a guitar: add your first one in Guitars (Ctrl+2), then come back."


class SongsView(CatchingUp):
    """Both tables edit the book through the presenter."""

    message = Signal(str)
    song_chosen = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.presenter = SongsPresenter(session)
        self.presenter.message.connect(self.message)
        self.presenter.offered.connect(self._show_offers)
        self._song: str | None = None
        self.record = RecordBar(self.presenter.tune_song)
        self.record.message.connect(self.message)
        self._make_tables()
        self._lay_out()
        self._unwatch = session.watch(self._book_changed)
        self.refresh()

    def close_view(self) -> None:
        self._unwatch()
        self.presenter.close()
        self.record.close_bar()

    def prefer(self, preferences: TuningPreferences) -> None:
        """The player's A4, which a record is measured against, and how keys are named."""
        self.record.reference = preferences.reference
        self.presenter.calling = preferences.calling
        self._show_ways()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def _make_tables(self) -> None:
        p = self.presenter
        songs = (
            TableColumn("Song", lambda s: s.title, p.rename, stretch=True),
            TableColumn("Length", lambda s: fields.show_length(s.length_s),
                        lambda s, t: replace(s, length_s=fields.length(t)), 66),
            TableColumn("Energy", lambda s: f"{s.energy:g}", lambda s, t: replace(s, energy=fields.number(t, 0, 10)), 62),
            TableColumn("Guitar", lambda s: p.guitar_name(s.ways[0]),
                        lambda s, t: p.with_first(s, p.with_guitar, t), 130),
            TableColumn("Tuning", lambda s: fields.show_tuning(s.ways[0].tuning),
                        lambda s, t: p.with_first(s, p.with_tuning, t), 196, lambda s: p.signature(s.ways[0])),
            TableColumn("Ways", lambda s: str(len(s.ways)), None, 70),
        )  # fmt: skip

        def way(title: str, show: Callable[[Way], str], edit: Callable[[Way, str], Way], width: int,
                signature: bool = False, stretch: bool = False) -> TableColumn:  # fmt: skip
            drawn = (lambda r: p.signature(r.way)) if signature else None
            return TableColumn(title, lambda r: show(r.way), lambda r, t: WayRow(r.index, edit(r.way, t)), width,
                               drawn, stretch)  # fmt: skip

        ways = (
            way("Guitar", p.guitar_name, p.with_guitar, 84),
            way("Tuning", lambda w: fields.show_tuning(w.tuning), p.with_tuning, 200, stretch=True),
            way("Notes", lambda w: fields.show_notes(w.tuning), p.with_tuning, 205),
            way("Capo", lambda w: str(w.capo), p.with_capo, 46),
            way("Strings", lambda w: fields.show_used(w.strings_used), p.with_used, 74),
            way("Compromise", lambda w: f"{w.compromise_s:g} s", p.with_compromise, 96),
        )
        self.songs_model = RowsModel(songs, lambda _, new: p.change_song(new), self.message.emit)
        self.ways_model = RowsModel(ways, self._way_changed, self.message.emit)
        self.songs = make_table(self.songs_model, songs, "Songs of the book")
        self.ways = make_table(self.ways_model, ways, "Ways to play the chosen song")
        self.songs.selectionModel().currentRowChanged.connect(lambda now, _: self._chose(now.row()))
        self.songs.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.songs.verticalHeader().setDefaultSectionSize(32)
        self.ways.setMinimumHeight(108)
        self.ways.setMaximumHeight(150)

    def _lay_out(self) -> None:
        self.filters = FilterBar()
        self.search = self.filters.search
        self.filters.changed.connect(self.refresh)
        self._fill_soon = QTimer(self)  # what can be filtered by need not keep up with every edit
        self._fill_soon.setSingleShot(True)
        self._fill_soon.setInterval(FILL_MS)
        self._fill_soon.timeout.connect(lambda: self.filters.fill(self.session.state))
        self.way_words = QLabel()
        self.way_words.setWordWrap(True)
        self.page = SongPage(lambda name, value: self.presenter.set_detail(self._song, name, value))
        for hidden in (3, 5):  # what the page at the right shows
            self.songs.setColumnHidden(hidden, True)
        self.ways.setColumnHidden(2, True)
        title = QLabel("Songs")
        title.setObjectName("title")
        self.ways_title = QLabel()
        self.ways_title.setWordWrap(True)
        self.name = AddField("Title of a new song", "Title of a new song")
        self.tuning = AddField("Tuning, if not the guitar's own", "Tuning of the new song")
        self.name.entered.connect(self.add_song)
        self.tuning.entered.connect(self.add_song)
        head, tools, left, right = QHBoxLayout(), QHBoxLayout(), QVBoxLayout(), QVBoxLayout()
        head.addWidget(title, 1)
        head.addWidget(self.name, 2)
        head.addWidget(self.tuning, 2)
        head.addWidget(self._button("Add song", self.add_song))
        head.addWidget(self._button("Remove song", self.remove_song))
        several = QHBoxLayout()
        self.count = QLabel()
        self.count.setObjectName("muted")
        several.addWidget(self.count, 1)
        several.addWidget(self._button("Edit the chosen…", self.edit_chosen))
        several.addWidget(self._button("Find duplicates…", self.find_duplicates))
        left.addWidget(self.filters)
        left.addWidget(self.songs, 1)
        left.addLayout(several)
        for text, work in (("Offer ways…", self.offer_ways), ("Add way", self.add_way), ("Remove way", self.remove_way)):
            tools.addWidget(self._button(text, work))
        tools.addStretch(1)
        self.ways_title.setStyleSheet("font-size: 20px; font-weight: 600;")
        right.addWidget(self.ways_title)
        right.addWidget(self.ways, 1)
        right.addWidget(self.way_words)
        right.setSpacing(5)
        right.addLayout(tools)
        right.addWidget(self.record)
        right.addWidget(self.page)
        music = QHBoxLayout()
        music.addWidget(self._button("Read music…", self.ask_music))
        music.addWidget(self._button("Match a record…", self.match_record))
        music.addStretch(1)
        right.addLayout(music)
        right.addStretch(1)
        both = QHBoxLayout()
        both.setSpacing(24)
        both.addLayout(left, 5)
        side = QWidget()
        side.setLayout(right)
        right.setContentsMargins(0, 0, 4, 0)
        both.addWidget(scrolled(side), 5)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 14, 24, 8)
        column.addLayout(head)
        column.addLayout(both, 1)

    def _button(self, text: str, work: Callable[[], None]) -> QPushButton:
        button = QPushButton(text)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: work())
        return button

    def focus_in(self) -> None:
        """An empty list begins in the field that fills it."""
        (self.songs if self.session.state.songs else self.name).setFocus()

    # -- showing
    def _book_changed(self) -> None:
        if self.session.changes.songs or self.session.changes.instruments:
            self._fill_soon.start()
            self.mark_changed()

    def refresh(self) -> None:
        super().refresh()
        if not self.filters.tuning.count():
            self.filters.fill(self.session.state)
        shown = self._matching()
        self.songs_model.set_rows(shown)
        every = len(self.session.state.songs)
        self.count.setText(f"{len(shown)} of {every} songs" if len(shown) < every else f"{every} songs")
        ids = [s.id for s in shown]
        if self._song not in ids:
            self._song = ids[0] if ids else None
        if self._song is not None and self.songs.currentIndex().row() != ids.index(self._song):
            self.songs.selectRow(ids.index(self._song))
        self._show_ways()

    def select(self, song: str | None) -> None:
        self.catch_up()
        if self.filters.active and all(s.id != song for s in self._matching()):
            self.filters.clear()
        ids = [s.id for s in self._matching()]
        if song in ids and song != self._song:
            self._song = song
            self.songs.selectRow(ids.index(song))
            self._show_ways()

    def _matching(self) -> list[Song]:
        passes = self.filters.accepts()
        return [s for s in self.presenter.matching(self.search.text()) if passes(s)]

    def chosen(self) -> list[str]:
        """Ids of the songs that are selected, in the order of the list."""
        rows = sorted(i.row() for i in self.songs.selectionModel().selectedRows())
        return [self.songs_model.row(r).id for r in rows]

    def _chose(self, row: int) -> None:
        song = self.songs_model.row(row)
        if song is not None and song.id != self._song:
            self._song = song.id
            self._show_ways()
            self.song_chosen.emit(song.id)

    def _show_ways(self) -> None:
        song = self.presenter.song(self._song)
        self.ways_model.set_rows(self.presenter.way_rows(self._song))
        self.way_words.setText(self.presenter.way_words(song) if song is not None else "")
        self.way_words.setVisible(bool(self.way_words.text()))
        self.record.show_song(song)
        empty = NO_SONGS if self.session.state.instruments else NO_GUITARS
        self.ways_title.setText(song.title if song is not None else empty)
        keys = self.presenter.key_words(song) if song is not None else ""
        self.page.show_song(song, keys, self.presenter.music_words(song) if song is not None else "")

    # -- editing
    def _way_changed(self, _: WayRow, new: WayRow) -> None:
        if self._song is not None:
            self.presenter.change_way(self._song, new)

    def add_song(self) -> None:
        """Adds what is typed; the field keeps the text where that fails, and the focus always."""
        song = self.presenter.add_song(self.name.text(), self.tuning.text())
        if song is not None:
            self.name.clear()
            self.tuning.clear()
            self.select(song)
            self.name.setFocus()
        elif not self.name.text().strip():
            self.name.setFocus()

    def remove_song(self) -> None:
        chosen = self.chosen()
        self.presenter.remove_many(chosen if len(chosen) > 1 else [self._song] if self._song is not None else [])

    def edit_chosen(self) -> None:
        """Fields for all the songs that are selected; what cannot be taken is said and can be typed anew."""
        chosen = self.chosen()
        if len(chosen) < 2:
            self.message.emit("Choose several songs first: Shift and the arrow keys, or Ctrl and clicks.")
            return
        dialog = ManyDialog(len(chosen), self)
        while dialog.exec() and dialog.typed():
            if self.presenter.edit_many(chosen, dialog.typed()):
                return
            dialog.problem.setText("That could not be taken; nothing was changed. " + self.presenter.last_problem)

    def find_duplicates(self) -> None:
        found = duplicates(self.session.state.songs)
        if not found:
            self.message.emit("No song seems to stand twice.")
            return
        dialog = DuplicatesDialog(found, self)
        if dialog.exec():
            self.presenter.merge(dialog.chosen())

    def add_way(self) -> None:
        self.presenter.add_way(self._song)

    def remove_way(self) -> None:
        self.presenter.remove_way(self._song, self.ways.currentIndex().row())

    def offer_ways(self) -> None:
        """Asks for further ways to play the song; the window goes on while they are worked out."""
        self.presenter.ask_offers(self._song)

    def _show_offers(self, song_id: str, found: list[Offer]) -> None:
        """Shows the ways that were computed for a song, unless another was chosen since, and adds those ticked."""
        song = self.presenter.song(song_id)
        if song is None or song_id != self._song:
            return
        self.message.emit("")
        if not found:
            self.message.emit("No other way is known on your guitars. Music that is read, or a singer who follows, opens more.")
            return
        dialog = OfferDialog(song.title, found, self)
        if dialog.exec():
            self.presenter.add_offers(song.id, dialog.chosen())

    # -- music
    def ask_music(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Read the music of this song", "", MUSIC)
        if name:
            self.read_music(Path(name), self._song)

    def read_music(self, path: Path, song: str | None) -> None:
        """Shows what the file would change, and takes it where the player agrees."""
        found = self.presenter.preview_music(path, song)
        if found is not None and len(found.parts) > 1:
            found = self._ask_part(path, song, found)
        if found is None:
            return
        box = QMessageBox(self)
        box.setWindowTitle(f"Read {path.name}")
        box.setText(found.lines[0])
        box.setInformativeText("\n".join(found.lines[1:]))
        take = box.addButton("Take it", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(take)
        box.exec()
        if box.clickedButton() is take and self.presenter.take_music(found):
            self.select(found.song)

    def _ask_part(self, path: Path, song: str | None, found: Preview) -> Preview | None:
        """Which part of a score is this guitar's; None where none is wanted."""
        parts = [f"{k}  {name}" for k, name in enumerate(found.parts, 1)]
        at = found.parts.index(found.part) if found.part in found.parts else 0
        chosen, wanted = QInputDialog.getItem(self, f"Read {path.name}", "Which part is the guitar's?", parts, at, False)
        if not wanted:
            return None
        number = str(parts.index(chosen) + 1)
        return found if parts.index(chosen) == at else self.presenter.preview_music(path, song, number)

    def hear_record(self, path: Path) -> None:
        """Listens to a file as the record of the chosen song."""
        song = self.presenter.song(self._song)
        if song is None:
            self.message.emit("Add a song first: sound is the record of the chosen song.")
            return
        self.record.listen(song, path)

    def match_record(self) -> None:
        """Asks for the record of the song, and listens to how far it lies from A4."""
        song = self.presenter.song(self._song)
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

    def _edit(self, table: QTableView) -> None:
        """Opens the chosen cell, or the first of its row that can be typed into."""
        index = table.currentIndex()
        if index.isValid() and not index.flags() & Qt.ItemFlag.ItemIsEditable:
            index = index.siblingAtColumn(0)
        table.edit(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if event.key() == Qt.Key.Key_N and control:
            self.name.setFocus()
        elif event.key() == Qt.Key.Key_M and control:
            self.match_record()
        elif event.key() == Qt.Key.Key_Escape:
            self.record.stop()
        elif event.key() == Qt.Key.Key_Delete:
            self.remove_song()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._edit(self.ways if self.ways.hasFocus() else self.songs)
        else:
            super().keyPressEvent(event)
