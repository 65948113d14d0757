"""The nights of a book: made, copied, renamed, deleted, rehearsed, and how to leave the guitars."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.app.naming import numbered
from juxtatune.app.night import as_given
from juxtatune.app.sheets import leave_in
from juxtatune.book.state import BookState, NightRecord, gig_of, state_of_gig
from juxtatune.core.errors import UserError
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.repertoire.night import Gig, Night, Part
from juxtatune.core.repertoire.rules import with_pairs

TALK_S = 8.0  # between two songs of a new night


def fresh_id(state: BookState, stem: str = "night") -> str:
    """An id that no night of the book has."""
    taken = {n.id for n in state.nights}
    return next(i for k in range(len(taken) + 2) if (i := f"{stem}-{k + 1}") not in taken)


def new_night(state: BookState, name: str = "Night") -> NightRecord:
    """An empty night with every guitar of the book brought."""
    guitars = tuple(i.id for i in state.instruments)
    name = numbered(name, {n.name for n in state.nights})
    return NightRecord(fresh_id(state), name, guitars, (), Night((Part("Set", 0),), cover_s=TALK_S))


def copied(state: BookState, night: NightRecord, name: str) -> NightRecord:
    """A night with the same songs, rules and guitars; nothing of it is played yet."""
    name = numbered(name, {n.name for n in state.nights})
    return replace(night, id=fresh_id(state), name=name, rules=replace(night.rules, now=None))


def renamed(state: BookState, night: NightRecord, name: str) -> NightRecord:
    return replace(night, name=numbered(name, {n.name for n in state.nights if n.id != night.id}))


def rehearsal(state: BookState, night: NightRecord) -> NightRecord:
    """The songs of a night in one stretch with no rules and no talk: planned, it retunes least."""
    slots = tuple(Slot(s.song, 0, s.way) for s in night.slots)
    rules = Night((Part("Rehearsal", len(slots)),))
    name = numbered(f"{night.name}, rehearsal", {n.name for n in state.nights})
    return NightRecord(fresh_id(state, "rehearsal"), name, night.guitars, slots, rules)


def following(state: BookState, night: NightRecord) -> NightRecord | None:
    """The night after this one in the book."""
    k = [n.id for n in state.nights].index(night.id) + 1
    return state.nights[k] if k < len(state.nights) else None


def leave_for(state: BookState, night: NightRecord) -> dict[str, str]:
    """Guitar to tuning: how a night begins, in its order as it stands."""
    gig = gig_of(state, night)
    plan = as_given(state, gig, night)
    if plan is None:
        raise UserError("no way to begin it was found", night.name)
    return leave_in(gig, plan)


def with_gig(state: BookState, gig: Gig, name: str) -> tuple[BookState, NightRecord]:
    """The book with a gig's night added, and that night.

    Guitars and songs that the book has already, alike in all but a guitar's tuning of today, are used as they
    are; others come in beside those of the same id, under an id and a name of their own.
    """
    other = state_of_gig(gig, name)
    guitars: dict[str, str] = {}
    for guitar in other.instruments:
        alike = [i for i in state.instruments if i.strings == guitar.strings]
        mine = next((i for i in alike if replace(i, tuning=guitar.tuning) == guitar), None)
        if mine is None:
            fresh = numbered(guitar.id, {i.id for i in state.instruments}, "-")
            label = numbered(guitar.name, {i.name for i in state.instruments})
            mine = replace(guitar, id=fresh, name=label)
            state = state.with_instrument(mine)
        guitars[guitar.id] = mine.id
    songs: dict[str, str] = {}
    for song in other.songs:
        ways = tuple(replace(w, instrument=guitars[w.instrument]) for w in song.ways)
        song_here = replace(song, ways=ways)
        if song_here not in state.songs:
            fresh = numbered(song.id, {s.id for s in state.songs}, "-")
            label = numbered(song.title, {s.title for s in state.songs})
            song_here = replace(song_here, id=fresh, title=label)
            state = state.with_song(song_here)
        songs[song.id] = song_here.id
    night = _translated(other.nights[0], guitars, songs)
    night = replace(
        night, id=fresh_id(state), name=numbered(night.name, {n.name for n in state.nights})
    )
    return state.with_night(night), night


def _translated(night: NightRecord, guitars: dict[str, str], songs: dict[str, str]) -> NightRecord:
    """The night with other ids of guitars and songs."""
    r = with_pairs(night.rules, lambda pair: (songs[pair[0]], songs[pair[1]]))
    now = r.now
    if now is not None:
        now = replace(
            now, played=tuple(songs[s] for s in now.played),
            in_hand=guitars[now.in_hand] if now.in_hand is not None else None,
            tunings={guitars[i]: t for i, t in now.tunings.items()}, capos={guitars[i]: c for i, c in now.capos.items()},
        )  # fmt: skip
    rules = replace(
        r, cover_after={songs[s]: c for s, c in r.cover_after.items()},
        pins=tuple(replace(p, song=songs[p.song]) for p in r.pins), now=now,
    )  # fmt: skip
    slots = tuple(replace(s, song=songs[s.song]) for s in night.slots)
    return replace(night, guitars=tuple(guitars[g] for g in night.guitars), slots=slots, rules=rules)
