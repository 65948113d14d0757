"""What the Songs view shows and does: rows, and edits that answer. No widgets."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from juxtatune.app import catalogue_edits, fields, song_edits
from juxtatune.app.calling import Calling
from juxtatune.app.music_in import Preview, preview
from juxtatune.app.offer import MOVED_S, Offer, moved_by, offers, with_ways
from juxtatune.app.session import Session
from juxtatune.book.formats.written import read_written
from juxtatune.book.state import BookState, check_seconds
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.shapes import written_tuning
from juxtatune.core.music.naming import half_steps_words
from juxtatune.core.music.notes import parse_note, pretty, spell
from juxtatune.core.repertoire.song import Details, Song, Way
from juxtatune.qt.worker import LatestWorker


def _text(value: object) -> str:
    return str(value).strip()[:2000]


def _tempo(value: object) -> float:
    text = str(value).strip()
    return fields.number(text, 0, 400) if text else 0.0


# of each detail: what it is called, and how what is typed is read
DETAILS: dict[str, tuple[str, Callable[[object], object] | None]] = {
    "matters_from": ("Section", _text), "sections": ("Sections", None), "passage": ("Passage", None),
    "key": ("Key", _text), "tempo": ("Tempo", _tempo), "cue": ("Cue", _text), "notes": ("Notes", _text),
    "matters": ("Tuning", None), "shakes": ("Arm work", None), "down": ("Singer down", None), "up": ("Singer up", None),
}  # fmt: skip


@dataclass(frozen=True)
class WayRow:
    index: int
    way: Way


class SongsPresenter(QObject):
    """Edits songs and their ways through the session."""

    message = Signal(str)
    offered = Signal(object, object)  # a song's id and the ways found for it

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.calling = Calling()
        self.last_problem = ""  # why the last edit was refused
        self._offers = LatestWorker("working out ways")
        self._offers.done.connect(self.offered)
        self._offers.failed.connect(lambda _, text: self.message.emit(text))

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

    def close(self) -> None:
        self._offers.close()

    # -- edits
    def do(self, label: str, work: Callable[[], BookState], words: str = "") -> bool:
        try:
            self.session.edit(label, work())
        except UserError as error:
            self.last_problem = f"{error.message()}."
            self.message.emit(self.last_problem)
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
        self.message.emit(f"{song.title} is in the book, in {where}. Night puts it into a night (Ctrl+5, B).")
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
        """The way as it was typed; one that moves the song in silence is given a compromise, which is said."""
        song = self.state.song(song_id)
        way, moves = row.way, moved_by(song, row.way)
        retuned = way.tuning != song.ways[row.index].tuning or way.capo != song.ways[row.index].capo
        words = ""
        if moves and row.index:
            sounds = f"It sounds {half_steps_words(moves)} from the song's own pitch"
            if retuned and way.compromise_s == 0:
                way = replace(way, compromise_s=MOVED_S * abs(moves))
                words = f"{sounds}: a compromise of {way.compromise_s:g} s. Set it as you like."
            else:
                words = f"{sounds}, and the planner takes that for {way.compromise_s:g} s."
        self.session.edit("Edit a way", catalogue_edits.change_way(self.state, song_id, row.index, way))
        if words:
            self.message.emit(words)

    def way_words(self, song: Song) -> str:
        """Which ways sound at another pitch, and what talk a check after the song takes."""
        lines = [
            f"Way {k + 1}, same shapes: sounds {half_steps_words(n)}" + (" at no cost" if w.compromise_s == 0 else "")
            for k, w in enumerate(song.ways)
            if k and (n := moved_by(song, w))
        ]
        if song.details.shakes:
            seconds = min(check_seconds(w, {i.id: i for i in self.state.instruments}) for w in song.ways)
            lines.append(f"A check follows it in the plan: {seconds:.1f} s of the talk after it")
        return ". ".join(lines)

    # -- several songs
    def edit_many(self, songs: list[str], typed: dict[str, str]) -> bool:
        count = "1 song" if len(songs) == 1 else f"{len(songs)} songs"
        return self.do(f"Edit {count}", lambda: song_edits.edit_many(self.state, songs, typed), f"{count} changed.")

    def remove_many(self, songs: list[str]) -> None:
        if len(songs) == 1:
            self.remove_song(songs[0])
        elif songs:
            words = f"{len(songs)} songs are removed from the book and its nights. Ctrl+Z brings them back."
            self.do("Remove songs", lambda: song_edits.remove_many(self.state, songs), words)

    def merge(self, pairs: list[song_edits.Duplicate]) -> None:
        def work() -> BookState:
            state = self.state
            for pair in pairs:
                state = song_edits.merged(state, pair.kept.id, pair.other.id)
            return state

        if pairs:
            self.do("Merge songs", work, f"{len(pairs)} songs merged. Ctrl+Z takes it back.")

    # -- what the player keeps about a song
    def set_detail(self, song_id: str | None, name: str, value: object) -> None:
        """One field of a song's details; text where the field is a number is read as one."""
        song = self.song(song_id)
        if song is None:
            return
        label, read = DETAILS[name]
        try:
            new = self._with_detail(song, name, value, read)
        except UserError as error:
            self.message.emit(f"{label}: {error.message()}. Nothing was changed.")
            return
        if new != song.details:
            self.do(f"Edit the {label.lower()}", lambda: self.state.with_song(replace(song, details=new)),
                    f"{label} of {song.title} is saved.")  # fmt: skip

    def _with_detail(self, song: Song, name: str, value: object, read: Callable[[object], object] | None) -> Details:
        if name == "sections":
            tuning = song.details.passage_tuning or song.ways[0].tuning
            return replace(song.details, sections=song_edits.sections(str(value), len(tuning)))
        if name == "passage":
            return song_edits.with_passage(song, str(value))
        found: Details = replace(song.details, **{name: read(value) if read is not None else value})  # type: ignore[arg-type]
        return found

    def key_words(self, song: Song) -> str:
        """`written A, sounds A♭, a half step down`: the key as it sounds in the first way."""
        d = song.details
        if not d.key:
            return ""
        way = song.ways[0]
        moved = written_tuning(way.tuning)[1] + way.capo
        match = re.match(r"([A-G])([#b♯♭]?)", d.key)
        if not moved or match is None:
            return "sounds as written"
        note = parse_note(match[0].replace("♯", "#").replace("♭", "b") + "4")
        sounds = spell(note.pitch + moved, way.tuning.flats, False).letter_name()
        first, other = self.calling.both(f"{sounds}{d.key[len(match[0]):]}", d.key)
        return pretty(f"{first}, {other}, {half_steps_words(moved)}")

    def music_words(self, song: Song) -> str:
        d = song.details
        if not d.passage:
            return "No music yet: drop a MusicXML or tab file here, or press Read music."
        notes = d.passage.count(":")
        parts = [f"{notes} notes, {len(d.passage.split())} events"]
        parts += [f"{s.name}: strings {' '.join(map(str, s.strings_used))}" for s in d.sections[:4]]
        return " · ".join(parts)

    def preview_music(self, path: Path, song_id: str | None, part: str | None = None) -> Preview | None:
        """What a part of a file of music would change; None where it cannot be read, which is told."""
        try:
            return preview(self.state, read_written(path, part), song_id)
        except UserError as error:
            self.message.emit(f"{error.message()}. Nothing was changed.")
            return None

    def take_music(self, found: Preview) -> bool:
        return self.do("Read music", lambda: found.state, f"{found.lines[0]}. Ctrl+Z takes it back.")

    def ask_offers(self, song_id: str | None) -> None:
        """Works out ways to play a song beside the window; `offered` brings the song's id and what was found."""
        song, state = self.song(song_id), self.state
        if song is not None:
            self.message.emit(f"Working out ways to play {song.title} on every guitar …")
            self._offers.ask(song.id, lambda _: offers(state, song))

    def add_offers(self, song_id: str | None, chosen: list[Offer]) -> None:
        song = self.song(song_id)
        if song is not None and chosen:
            ways = [o.way for o in chosen]
            words = f"{song.title} has {len(song.ways) + len(ways)} ways now: the planner weighs them all."
            self.do("Offer ways", lambda: with_ways(self.state, song.id, ways), words)

    def matching(self, wanted: str) -> list[Song]:
        """The songs whose title, tuning, guitar, cue or notes hold every word that is typed."""
        words = wanted.lower().split()
        if not words:
            return list(self.state.songs)
        return [s for s in self.state.songs if all(w in self._haystack(s) for w in words)]

    def _haystack(self, song: Song) -> str:
        way = song.ways[0]
        used = f"strings {fields.show_used(way.strings_used)}"
        tuning = fields.show_tuning(way.tuning)
        return f"{song.title} {tuning} {self.guitar_name(way)} {used} {song.details.cue} {song.details.notes}".lower()

    def tune_song(self, song_id: str, cents: float) -> None:
        self.do("Tune a song to its record", lambda: catalogue_edits.tune_song(self.state, song_id, cents))

    # -- fields of a way: each takes the way and the text, and gives the new way
    def with_guitar(self, way: Way, text: str) -> Way:
        return replace(way, instrument=song_edits.find_guitar(self.state, text).id)

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
