"""Adding and removing songs, ways and guitars."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.app.naming import fresh_id, numbered
from juxtatune.book.state import BookState, without_song
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.tuning import Tuning, shifted_to
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.strings.instrument import Instrument, default_costs


def add_song(state: BookState, title: str, tuning: Tuning | None = None) -> BookState:
    """A new song on the first guitar with as many strings as its tuning, in the home tuning where none is given.

    A title that stands in the book already gets a number.
    """
    if not state.instruments:
        raise UserError("no guitar to play it on", allowed="add a guitar first")
    fitting = [i for i in state.instruments if tuning is None or i.strings == len(tuning)]
    if not fitting:
        assert tuning is not None
        raise UserError(f"no guitar with {len(tuning)} strings", allowed="a tuning for a guitar in the book")
    guitar = fitting[0]
    song_id = fresh_id(title, {s.id for s in state.songs})
    title = numbered(title, {s.title for s in state.songs})
    return state.with_song(Song(song_id, title, 210.0, 3.0, (Way(guitar.id, tuning or guitar.home),)))


def renamed_song(state: BookState, song: Song, title: str) -> Song:
    return replace(song, title=numbered(title, {s.title for s in state.songs if s.id != song.id}))


def remove_song(state: BookState, song_id: str) -> BookState:
    nights = tuple(without_song(n, song_id) for n in state.nights)
    kept = tuple(k for k in state.kept if all(s.song != song_id for s in k.slots))
    songs = tuple(s for s in state.songs if s.id != song_id)
    return replace(state, songs=songs, nights=nights, kept=kept)


def add_way(state: BookState, song_id: str) -> BookState:
    song = state.song(song_id)
    return state.with_song(replace(song, ways=(*song.ways, song.ways[-1])))


def remove_way(state: BookState, song_id: str, index: int) -> BookState:
    song = state.song(song_id)
    if len(song.ways) < 2:
        raise UserError("a song needs at least one way to play it")
    new = replace(song, ways=song.ways[:index] + song.ways[index + 1 :])

    def still(slots: tuple[Slot, ...]) -> tuple[Slot, ...]:
        return tuple(_after_removal(s, song_id, index) for s in slots)

    nights = tuple(replace(n, slots=still(n.slots)) for n in state.nights)
    kept = tuple(replace(k, slots=still(k.slots)) for k in state.kept)
    return replace(state.with_song(new), nights=nights, kept=kept)


def _after_removal(slot: Slot, song_id: str, index: int) -> Slot:
    """The slot plays the same way as before, or the first where its own is gone."""
    way = slot.way or 0
    if slot.song != song_id or way < index:
        return slot
    return replace(slot, way=0 if way == index else way - 1)


def change_way(state: BookState, song_id: str, index: int, way: Way) -> BookState:
    """The way replaced; a guitar that it asks for is brought to the nights that hold the song."""
    song = state.song(song_id)
    guitar = state.instrument(way.instrument)
    if len(way.tuning) != guitar.strings:
        way = replace(way, tuning=guitar.home, strings_used=())
    state = state.with_song(replace(song, ways=(*song.ways[:index], way, *song.ways[index + 1 :])))
    for night in state.nights:
        if any(s.song == song_id for s in night.slots) and guitar.id not in night.guitars:
            state = state.with_night(replace(night, guitars=(*night.guitars, guitar.id)))
    return state


def tune_song(state: BookState, song_id: str, cents: float) -> BookState:
    """Every way of a song moved, by half a step at most, to lie so many cents off A4: as a record does."""
    song = state.song(song_id)
    ways = tuple(replace(w, tuning=shifted_to(w.tuning, cents)) for w in song.ways)
    return state.with_song(replace(song, ways=ways))


def add_guitar(state: BookState, name: str, strings: int = 6, tuning: Tuning | None = None) -> BookState:
    """A new guitar, home in a tuning (standard where none is given); a name that is taken gets a number."""
    guitar_id = fresh_id(name, {i.id for i in state.instruments})
    name = numbered(name, {i.name for i in state.instruments})
    home = tuning or standard_for(strings)
    return state.with_instrument(
        Instrument(guitar_id, name, len(home), "fixed", home, home, default_costs("fixed"))
    )


def renamed_guitar(state: BookState, guitar: Instrument, name: str) -> Instrument:
    return replace(guitar, name=numbered(name, {i.name for i in state.instruments if i.id != guitar.id}))


def remove_guitar(state: BookState, guitar_id: str) -> BookState:
    users = [s.title for s in state.songs if any(w.instrument == guitar_id for w in s.ways)]
    if users:
        raise UserError(
            f"still played in {', '.join(users[:3])}",
            state.instrument(guitar_id).name,
            "a guitar no song uses",
        )
    nights = tuple(replace(n, guitars=tuple(g for g in n.guitars if g != guitar_id)) for n in state.nights)
    return replace(state, instruments=tuple(i for i in state.instruments if i.id != guitar_id), nights=nights)
