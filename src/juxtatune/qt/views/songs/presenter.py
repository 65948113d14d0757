"""What the Songs view shows and does: rows, and edits that answer. No widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from juxtatune.app import catalogue_edits, fields
from juxtatune.app.session import Session
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.strings.instrument import Instrument


@dataclass(frozen=True)
class WayRow:
    index: int
    way: Way


class SongsPresenter(QObject):
    """Edits songs and their ways through the session."""

    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    @property
    def state(self) -> BookState:
        return self.session.state

    def song(self, song_id: str | None) -> Song | None:
        return next((s for s in self.state.songs if s.id == song_id), None)

    def way_rows(self, song_id: str | None) -> list[WayRow]:
        song = self.song(song_id)
        return [WayRow(k, w) for k, w in enumerate(song.ways)] if song is not None else []

    def guitar_name(self, way: Way) -> str:
        return self.state.instrument(way.instrument).name

    def signature(self, way: Way) -> tuple[tuple[float, ...], tuple[float, ...]]:
        return way.tuning.pitches, self.state.instrument(way.instrument).home.pitches

    # -- edits
    def do(self, label: str, work: Callable[[], BookState], words: str = "") -> bool:
        try:
            self.session.edit(label, work())
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return False
        if words:
            self.message.emit(words)
        return True

    def add_song(self, title: str, tuning: str) -> str | None:
        """The id of the new song; None where it cannot be added, which is told."""
        if not title.strip():
            self.message.emit("Type a title, then Enter adds the song.")
            return None
        if not self.state.instruments:
            self.message.emit("A song needs a guitar to play it on: add one first in Guitars (Ctrl+2).")
            return None

        def work() -> BookState:
            value = fields.tuning(tuning, None) if tuning.strip() else None
            return catalogue_edits.add_song(self.state, title.strip(), value)

        if not self.do("Add a song", work):
            return None
        song = self.state.songs[-1]
        where = f"{fields.show_tuning(song.ways[0].tuning)} on {self.guitar_name(song.ways[0])}"
        self.message.emit(f"{song.title} is in the book, in {where}. Night puts it into a night (Ctrl+3, B).")
        return song.id

    def remove_song(self, song_id: str | None) -> None:
        song = self.song(song_id)
        if song is not None:
            words = f"{song.title} is removed from the book and its nights. Ctrl+Z brings it back."
            self.do("Remove a song", lambda: catalogue_edits.remove_song(self.state, song.id), words)

    def change_song(self, new: Song) -> None:
        self.session.edit("Edit a song", self.state.with_song(new))

    def rename(self, song: Song, text: str) -> Song:
        return catalogue_edits.renamed_song(self.state, song, fields.words(text))

    def add_way(self, song_id: str | None) -> None:
        song = self.song(song_id)
        if song is not None:
            words = f"{song.title} has {len(song.ways) + 1} ways: change the new one below."
            self.do("Add a way", lambda: catalogue_edits.add_way(self.state, song.id), words)

    def remove_way(self, song_id: str | None, index: int) -> None:
        if song_id is None or index < 0:
            self.message.emit("Choose a way in the lower list first.")
            return
        self.do("Remove a way", lambda: catalogue_edits.remove_way(self.state, song_id, index), "The way is removed.")

    def change_way(self, song_id: str, row: WayRow) -> None:
        self.session.edit("Edit a way", catalogue_edits.change_way(self.state, song_id, row.index, row.way))

    def tune_song(self, song_id: str, cents: float) -> None:
        self.do("Tune a song to its record", lambda: catalogue_edits.tune_song(self.state, song_id, cents))

    # -- fields of a way: each takes the way and the text, and gives the new way
    def _guitar(self, text: str) -> Instrument:
        for guitar in self.state.instruments:
            if text.strip().lower() in (guitar.name.lower(), guitar.id):
                return guitar
        raise UserError(f"no guitar {text!r}", allowed=", ".join(i.name for i in self.state.instruments))

    def with_guitar(self, way: Way, text: str) -> Way:
        return replace(way, instrument=self._guitar(text).id)

    def with_tuning(self, way: Way, text: str) -> Way:
        guitar = self.state.instrument(way.instrument)
        return replace(way, tuning=fields.tuning(text, guitar.strings, guitar.home))

    def with_used(self, way: Way, text: str) -> Way:
        return replace(way, strings_used=fields.used_strings(text, len(way.tuning)))

    def with_compromise(self, way: Way, text: str) -> Way:
        return replace(way, compromise_s=fields.number(text.replace("s", ""), 0, 600))

    def with_capo(self, way: Way, text: str) -> Way:
        return replace(way, capo=fields.whole(text, 0, 12))

    def with_first(self, song: Song, edit: Callable[[Way, str], Way], text: str) -> Song:
        """The song with its first way edited; a guitar with other strings is followed by its home tuning."""
        new = catalogue_edits.change_way(self.state, song.id, 0, edit(song.ways[0], text))
        return new.song(song.id)
