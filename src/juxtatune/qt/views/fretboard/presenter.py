"""What the Fretboard view shows: a shape on a guitar, its names, the same elsewhere, harmonics, a passage. No widgets."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from juxtatune.app import fields
from juxtatune.app.calling import Calling
from juxtatune.app.session import Session
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.chordnames import name_chord
from juxtatune.core.fretboard.harmonics import harmonics
from juxtatune.core.fretboard.refinger import Event, Fingering, Place, finger, parse_passage, translate
from juxtatune.core.fretboard.shapes import HIGHEST_FRET, Played, Shape, parse_shape, play, written_tuning
from juxtatune.core.music.naming import half_steps_words
from juxtatune.core.music.notes import pretty, spell
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.sim.passage import sound_of
from juxtatune.core.strings.instrument import Instrument
from juxtatune.qt.widgets.neck import FRETS, NeckValues

FRETS_OF_A_NECK = 22
BEAT_S, MOST_PLAYED, MOST_SHOWN = 0.28, 400, 64  # s from event to event; events played, and looked for elsewhere


@dataclass(frozen=True)
class Elsewhere:
    """The same pitches on one guitar: `where` in words, and whether they can be played at all."""

    guitar: str
    tuning: str
    where: str


class FretboardPresenter(QObject):
    """Holds guitar, tuning, capo and shape; everything else follows from them."""

    changed = Signal()
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.calling = Calling()
        self.guitar: str | None = None
        self.tuning: Tuning | None = None
        self.capo = 0
        self.shape: Shape = ()
        self.passage = ""
        self.at_event: int | None = None  # of the passage that is on the neck
        self.song: str | None = None
        self._unwatch = session.watch(self._book_changed)
        self._guitars_changed()

    def close(self) -> None:
        self._unwatch()

    def _book_changed(self) -> None:
        if self.session.changes.instruments:
            self._guitars_changed()

    def _guitars_changed(self) -> None:
        guitars = self.session.state.instruments
        if guitars and all(i.id != self.guitar for i in guitars):
            self.choose_guitar(guitars[0].id)
        self.changed.emit()

    def instrument(self) -> Instrument | None:
        return next((i for i in self.session.state.instruments if i.id == self.guitar), None)

    # -- actions
    def choose_guitar(self, guitar: str) -> None:
        """The guitar as it stands now, with nothing played on it."""
        self.guitar = guitar
        found = self.instrument()
        self.tuning = found.tuning if found is not None else None
        self.shape = (None,) * (found.strings if found is not None else 0)
        self.changed.emit()

    def set_tuning(self, text: str) -> bool:
        guitar = self.instrument()
        if guitar is None:
            self.message.emit("Add a guitar first, in Guitars (Ctrl+2).")
            return False
        try:
            self.tuning = fields.tuning(text, guitar.strings, guitar.home)
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return False
        self.changed.emit()
        return True

    def set_capo(self, capo: int) -> None:
        self.capo = capo
        self.changed.emit()

    def set_shape(self, text: str) -> bool:
        if not self.shape:
            return False
        try:
            self.shape = parse_shape(text, len(self.shape))
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return False
        self.changed.emit()
        return True

    def place(self, string: int, fret: int | None) -> None:
        k = len(self.shape) - string
        if 0 <= k < len(self.shape) and (fret is None or 0 <= fret <= HIGHEST_FRET):
            self.shape = (*self.shape[:k], fret, *self.shape[k + 1 :])
            self.changed.emit()

    def clear(self) -> None:
        self.shape = (None,) * len(self.shape)
        self.changed.emit()

    def set_passage(self, text: str) -> None:
        """A passage on the neck; one that cannot be read stays as it was typed, and is told."""
        self.passage, self.at_event = text.strip(), None
        self.events()
        self.changed.emit()

    def show_song(self, song_id: str | None) -> None:
        """Takes the music of the song that is chosen, on its own tuning, to look at and to play."""
        song = next((s for s in self.session.state.songs if s.id == song_id), None)
        if song is None or song.id == self.song:
            return
        self.song, self.at_event = song.id, None
        d = song.details
        tuning = d.passage_tuning or song.ways[0].tuning
        fitting = (i for i in self.session.state.instruments if i.strings == len(tuning))
        guitar = next(fitting, None) if song.ways[0].instrument == self.guitar else None
        first = self.session.state.instrument(song.ways[0].instrument)
        guitar = first if first.strings == len(tuning) else guitar
        if d.passage and guitar is not None:
            self.guitar, self.tuning, self.capo = guitar.id, tuning, d.passage_capo
            self.shape, self.passage = (None,) * len(tuning), d.passage
        self.changed.emit()

    def keep_passage(self) -> None:
        """The passage on the neck becomes the music of the chosen song."""
        song = next((s for s in self.session.state.songs if s.id == self.song), None)
        if song is None or self.tuning is None or not self.events():
            self.message.emit("Type a passage that can be read, and choose a song in Tonight.")
            return
        details = replace(
            song.details, passage=" ".join(self.passage.split()), passage_tuning=self.tuning, passage_capo=self.capo
        )
        try:
            self.session.edit("Keep a passage", self.session.state.with_song(replace(song, details=details)))
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return
        self.message.emit(f"The passage is the music of {song.title}: Offer ways in Songs fingers it on every guitar.")

    def events(self) -> tuple[Event, ...]:
        """The passage as events; empty where there is none or it cannot be read, which is told."""
        if not self.passage or self.tuning is None:
            return ()
        try:
            return parse_passage(self.passage, len(self.tuning))
        except UserError as error:
            self.message.emit(f"Passage, {error.message()}.")
            return ()

    def step(self, by: int) -> None:
        """The next or last event of the passage on the neck."""
        events = self.events()
        if not events:
            self.message.emit("Type a passage first: string:fret, as in 6:0 6:3 5:2+4:2.")
            return
        self.at_event = 0 if self.at_event is None else (self.at_event + by) % len(events)
        frets = {p.string: p.fret for p in events[self.at_event]}
        self.shape = tuple(frets.get(s) for s in range(len(self.shape), 0, -1))
        self.changed.emit()
        self.message.emit(f"Event {self.at_event + 1} of {len(events)}.")

    def sounding(self) -> NDArray[np.float64] | None:
        """What is on the neck as sound: the passage, else the shape."""
        if self.tuning is None:
            return None
        events = self.events()
        every = BEAT_S
        if not events:
            events = (tuple(Place(s, f) for s, f in zip(range(len(self.shape), 0, -1), self.shape, strict=True) if f is not None),)
            every = 0.0
        return sound_of(self.tuning, events[:MOST_PLAYED], every, self.capo) if events[0] else None

    # -- what is shown
    def played(self) -> list[Played]:
        if self.tuning is None or all(f is None for f in self.shape):
            return []
        return play(self.tuning, self.shape, self.capo)

    def shape_text(self) -> str:
        return " ".join("x" if f is None else str(f) for f in self.shape)

    def neck(self) -> NeckValues:
        if self.tuning is None:
            return NeckValues((), (), (), 0, {})
        by_string = {p.string: p.sounds.letter_name() for p in self.played()}
        sounds = tuple(pretty(by_string.get(s, "")) for s in self.tuning.strings)
        notes = tuple(pretty(str(n)) for n in self.tuning.notes)
        return NeckValues(notes, self.shape, sounds, self.capo, self.one_finger())

    def one_finger(self) -> dict[int, str]:
        """One finger across all strings of an open tuning, or the three lowest of a dropped one: a chord a fret."""
        tuning = self.tuning
        if tuning is None:
            return {}
        pitches = [round(p) + self.capo for p in tuning.pitches]
        across = name_chord(pitches).name
        low = pitches[:3]
        chosen = pitches if across is not None and "/" not in across and len(across) <= 3 else low
        if name_chord(chosen).name is None:
            return {}
        found = {f: name_chord([p + f for p in chosen], tuning.flats).name for f in range(FRETS + 1)}
        return {f: pretty(n) for f, n in found.items() if n is not None}

    def names(self) -> tuple[str, str]:
        """(the chord as it sounds, the rest: as written, other readings)."""
        played = self.played()
        tuning = self.tuning
        if not played or tuning is None:
            return "", "Click the neck, or type a shape such as x 5 7 7 6 5."
        sounds = name_chord([round(p.sounds.pitch) for p in played], tuning.flats)
        home, moved = written_tuning(tuning)
        moved += self.capo
        written = name_chord([round(p.written.pitch) for p in played], home.flats)
        names = [n.name or n.interval or "no chord with a name" for n in (sounds, written)]
        lines = [" ".join(str(p.sounds) for p in played)]
        first = names[0]
        if moved:
            head, other = self.calling.both(*names)
            first = head.split(" ", 1)[1]
            lines.append(f"{other}, {'' if self.calling.written_first else 'sounds '}{half_steps_words(moved)}")
        if sounds.others:
            lines.append("also " + ", ".join(sounds.others))
        return pretty(first), pretty("\n".join(lines))

    def elsewhere(self) -> list[Elsewhere]:
        """The same pitches on every guitar of the book, as it stands now; the passage where one is typed."""
        tuning = self.tuning
        if tuning is None:
            return []
        played = self.played()
        rows = []
        for guitar in self.session.state.instruments:
            try:
                found = self._on(guitar, tuning, played)
            except UserError as error:
                self.message.emit(f"{error.message()}.")
                return []
            if found is not None:
                rows.append(Elsewhere(guitar.name, fields.show_tuning(guitar.tuning), _where(found, bool(self.passage))))
        return rows

    def _on(self, guitar: Instrument, tuning: Tuning, played: list[Played]) -> Fingering | None:
        if self.passage:
            events = self.events()[:MOST_SHOWN]
            return translate(tuning.moved(self.capo), guitar.tuning, events, FRETS_OF_A_NECK) if events else None
        if not played:
            return None
        asked = tuple((p.sounds.pitch, p.fret == 0 and not self.capo) for p in played)
        return finger(guitar.tuning, [asked], FRETS_OF_A_NECK)

    def passage_words(self) -> str:
        """`312 notes, strings 6 5 4, frets to 12`."""
        events = self.events()
        if not events:
            return ""
        places = [p for e in events for p in e]
        used = sorted({p.string for p in places}, reverse=True)
        return f"{len(places)} notes on strings {' '.join(map(str, used))}, frets to {max(p.fret for p in places)}"

    def harmonic_lines(self) -> list[str]:
        """Frets 12, 7, 5 and 9 of every string."""
        if self.tuning is None:
            return []
        out = []
        for string, note, found in harmonics(self.tuning):
            listed = ", ".join(
                f"{h.fret:g} {spell(h.note.pitch, self.tuning.flats, False)}" + (f" {h.cents:+.1f} ¢" if h.cents else "")
                for h in found[:4]
            )
            out.append(pretty(f"{string}  {note}: {listed}"))
        return out


def _where(found: Fingering, passage: bool) -> str:
    if not passage:
        event = found.events[0]
        if event is None:
            return "not in one hand" if not found.unreachable else "a note is out of its range"
        return "  ".join(f"{p.string}:{p.fret}" for p in event)
    lost = sum(e is None for e in found.events)
    text = " ".join("·" if e is None else "+".join(f"{p.string}:{p.fret}" for p in e) for e in found.events)
    parts = [f"cost {found.cost}"]
    if lost:
        parts.append(f"{lost} cannot be played")
    if found.drones_lost:
        parts.append(f"{found.drones_lost} open strings lost")
    return f"{text}\n{', '.join(parts)}"
