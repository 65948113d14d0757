"""Building a night: songs in and out, parts and interval, guitars brought, talk, technician, the limit on dead air."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.app.night import Answer, part_name, place_of
from juxtatune.book.state import BookState, NightRecord, with_song_added, without_song
from juxtatune.core.errors import UserError
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.repertoire.night import Part


def add_to_night(state: BookState, night: NightRecord, song_id: str) -> Answer:
    """A song of the book at the end of the night, in its first way on a guitar brought; else its guitar comes along."""
    song = state.song(song_id)
    if any(s.song == song_id for s in night.slots):
        raise UserError(f"{song.title} is in {night.name} already")
    way = next((k for k, w in enumerate(song.ways) if w.instrument in night.guitars), None)
    words = f"{song.title} is in {night.name}."
    if way is None:
        guitar = state.instrument(song.ways[0].instrument)
        night, way = replace(night, guitars=(*night.guitars, guitar.id)), 0
        words = f"{song.title} is in {night.name}, and {guitar.name} comes along for it."
    return with_song_added(night, song_id, way), words


def take_out(state: BookState, night: NightRecord, song_id: str) -> Answer:
    place_of(night, song_id)
    return without_song(night, song_id), f"{state.song(song_id).title} is not in {night.name} any more."


def move_within(state: BookState, night: NightRecord, song_id: str, by: int) -> Answer:
    """The song one place up or down; at the edge of a part it goes over into the next one."""
    at = place_of(night, song_id)
    title = state.song(song_id).title
    here, to = night.slots[at], at + by
    if to in range(len(night.slots)) and night.slots[to].part == here.part:
        slots = list(night.slots)
        slots[at], slots[to] = slots[to], slots[at]
        return replace(night, slots=tuple(slots)), f"{title} is now in place {to + 1}."
    part = here.part + by
    if part not in range(len(night.rules.parts)):
        raise UserError(f"{title} is {'last' if by > 0 else 'first'} already")
    rest = [s for s in night.slots if s.song != song_id]
    before = sum(s.part < part for s in rest)
    place = before if by > 0 else before + sum(s.part == part for s in rest)
    rest.insert(place, Slot(song_id, part, here.way))
    return _fitted(night, tuple(rest)), f"{title} is in {part_name(night, part)} now."


def add_interval(state: BookState, night: NightRecord, song_id: str | None) -> Answer:
    """Splits a part after a song: what follows is a part of its own. With no song an empty part comes last."""
    parts = list(night.rules.parts)
    at = place_of(night, song_id) if song_id is not None else len(night.slots) - 1
    part = night.slots[at].part if night.slots else len(parts) - 1
    names = ("First half", "Second half") if len(parts) == 1 else (parts[part].name, f"Part {len(parts) + 1}")
    parts[part : part + 1] = [Part(names[0], 0), Part(names[1], 0)]
    slots = tuple(
        replace(s, part=s.part + 1) if s.part > part or (s.part == part and k > at) else s
        for k, s in enumerate(night.slots)
    )
    after = state.song(night.slots[at].song).title if night.slots else ""
    words = f"An interval after {after}: everything can be retuned in it." if after else "An interval is added."
    return _fitted(replace(night, rules=replace(night.rules, parts=tuple(parts))), slots), words


def remove_interval(night: NightRecord, part: int) -> Answer:
    """Joins a part with the one before it (the first with the second)."""
    if len(night.rules.parts) < 2:
        raise UserError("this night has no interval")
    part = max(1, part)
    parts = [p for k, p in enumerate(night.rules.parts) if k != part]
    if len(parts) == 1:
        parts = [Part("Set", 0)]
    slots = tuple(replace(s, part=s.part - 1) if s.part >= part else s for s in night.slots)
    night = _fitted(replace(night, rules=replace(night.rules, parts=tuple(parts))), slots)
    return night, "The interval is gone."


def rename_part(night: NightRecord, part: int, name: str) -> Answer:
    if not name.strip():
        raise UserError("a part needs a name", allowed="at least one letter")
    parts = tuple(replace(p, name=name.strip()) if k == part else p for k, p in enumerate(night.rules.parts))
    return replace(night, rules=replace(night.rules, parts=parts)), f"The part is called {name.strip()}."


def _fitted(night: NightRecord, slots: tuple[Slot, ...]) -> NightRecord:
    """The night with other slots: sizes of parts follow, pins to places that are gone are dropped."""
    parts = tuple(replace(p, songs=sum(s.part == k for s in slots)) for k, p in enumerate(night.rules.parts))
    pins = tuple(
        p for p in night.rules.pins if p.part < len(parts) and -parts[p.part].songs <= p.place < parts[p.part].songs
    )
    return replace(night, slots=slots, rules=replace(night.rules, parts=parts, pins=pins))


def bring(state: BookState, night: NightRecord, guitar_id: str, brought: bool) -> Answer:
    """Brings a guitar to the night or leaves it at home, where every song still has a way on the others."""
    guitar = state.instrument(guitar_id)
    if brought:
        guitars = tuple(i.id for i in state.instruments if i.id in (*night.guitars, guitar_id))
        return replace(night, guitars=guitars), f"{guitar.name} comes along."
    guitars = tuple(g for g in night.guitars if g != guitar_id)
    stuck = [s.title for s in map(state.song, (x.song for x in night.slots)) if not _playable(s.ways, guitars)]
    if stuck:
        raise UserError(f"{guitar.name} is needed: nothing else brought plays {', '.join(stuck[:3])}")
    slots = tuple(_moved_way(state, s, guitars) for s in night.slots)
    return replace(night, guitars=guitars, slots=slots), f"{guitar.name} stays at home."


def _playable(ways: tuple[object, ...], guitars: tuple[str, ...]) -> bool:
    return any(getattr(w, "instrument", None) in guitars for w in ways)


def _moved_way(state: BookState, slot: Slot, guitars: tuple[str, ...]) -> Slot:
    ways = state.song(slot.song).ways
    if ways[slot.way or 0].instrument in guitars:
        return slot
    return replace(slot, way=next(k for k, w in enumerate(ways) if w.instrument in guitars))


def set_rules(night: NightRecord, words: str, **changes: object) -> Answer:
    """Talk between songs, the technician or the limit on dead air."""
    return replace(night, rules=replace(night.rules, **changes)), words  # type: ignore[arg-type]
