"""Adding and removing songs, ways and guitars."""

from __future__ import annotations

import re
from dataclasses import replace

from juxtatune.book.state import BookState, NightRecord, with_song_added, without_song
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.tuning import shifted_to
from juxtatune.core.planning.plan import Slot
from juxtatune.core.repertoire.night import Night, Part
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.strings.instrument import Instrument, default_costs


def fresh_id(title: str, taken: set[str]) -> str:
    base = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "item"
    name, k = base, 2
    while name in taken:
        name, k = f"{base}-{k}", k + 1
    return name


def add_song(state: BookState, title: str) -> BookState:
    """A new song in standard on the first guitar, at the end of the night."""
    if not state.instruments:
        raise UserError("no guitar to play it on", allowed="add a guitar first")
    guitar = state.instruments[0]
    song_id = fresh_id(title, {s.id for s in state.songs})
    song = Song(song_id, title, 210.0, 3.0, (Way(guitar.id, guitar.home),))
    state = state.with_song(song)
    if state.nights:
        night = with_song_added(state.nights[0], song_id)
        if guitar.id not in night.guitars:
            night = replace(night, guitars=(*night.guitars, guitar.id))
        return state.with_night(night)
    night = NightRecord(
        "night", "Night", (guitar.id,), (Slot(song_id, 0, 0),), Night((Part("Set", 1),), cover_s=8.0)
    )
    return state.with_night(night)


def remove_song(state: BookState, song_id: str) -> BookState:
    nights = tuple(without_song(n, song_id) for n in state.nights)
    return replace(state, songs=tuple(s for s in state.songs if s.id != song_id), nights=nights)


def add_way(state: BookState, song_id: str) -> BookState:
    song = state.song(song_id)
    return state.with_song(replace(song, ways=(*song.ways, song.ways[-1])))


def remove_way(state: BookState, song_id: str, index: int) -> BookState:
    song = state.song(song_id)
    if len(song.ways) < 2:
        raise UserError("a song needs at least one way to play it")
    new = replace(song, ways=song.ways[:index] + song.ways[index + 1 :])
    nights = tuple(
        replace(
            n,
            slots=tuple(
                replace(s, way=min(s.way or 0, len(new.ways) - 1)) if s.song == song_id else s
                for s in n.slots
            ),
        )
        for n in state.nights
    )
    return replace(state.with_song(new), nights=nights)


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


def add_guitar(state: BookState, name: str, strings: int = 6) -> BookState:
    guitar_id = fresh_id(name, {i.id for i in state.instruments})
    home = standard_for(strings)
    return state.with_instrument(
        Instrument(guitar_id, name, strings, "fixed", home, home, default_costs("fixed"))
    )


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
