"""Editing a night's order and rules: each function gives the new night, nothing else changes."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.book.state import BookState, NightRecord, gig_of
from juxtatune.core.planning.plan import Plan, Slot
from juxtatune.core.planning.solve import price_order
from juxtatune.core.repertoire.night import Gig, Pin


def as_given(gig: Gig, night: NightRecord) -> Plan | None:
    """The night's own order with its chosen ways, priced with its best start; rules of order do not bind it."""
    rules = replace(gig.night, pins=(), before=(), adjacent=(), apart=(), max_dead_s=None)
    return price_order(replace(gig, night=rules), chosen(gig, night))


def chosen(gig: Gig, night: NightRecord) -> tuple[Slot, ...]:
    """The slots with ways counted among those the guitars brought allow."""
    return tuple(replace(s, way=min(s.way or 0, len(gig.song(s.song).ways) - 1)) for s in night.slots)


def take_plan(state: BookState, night: NightRecord, plan: Plan) -> NightRecord:
    """The night in a plan's order and ways."""
    gig = gig_of(state, night)
    slots = []
    for slot in plan.order:
        way = gig.song(slot.song).ways[slot.way or 0]
        slots.append(Slot(slot.song, slot.part, state.song(slot.song).ways.index(way)))
    return replace(night, slots=tuple(slots))


def move_song(night: NightRecord, song: str, place: int) -> NightRecord:
    """The song taken out and put at a place of the whole night; parts keep their sizes."""
    order = [s for s in night.slots if s.song != song]
    moved = next(s for s in night.slots if s.song == song)
    order.insert(max(0, min(place, len(order))), moved)
    parts = [s.part for s in night.slots]
    return replace(night, slots=tuple(replace(s, part=p) for s, p in zip(order, parts, strict=True)))


def toggle_pin(night: NightRecord, song: str) -> NightRecord:
    """Pins a song to its place, or frees it."""
    pins = tuple(p for p in night.rules.pins if p.song != song)
    if len(pins) == len(night.rules.pins):
        slot = next(s for s in night.slots if s.song == song)
        place = [s.song for s in night.slots if s.part == slot.part].index(song)
        pins = (*pins, Pin(song, slot.part, place))
    return replace(night, rules=replace(night.rules, pins=pins))


def toggle_medley(night: NightRecord, song: str) -> NightRecord:
    """Ties a song to the one after it in the same part, or unties it."""
    tied = tuple(p for p in night.rules.adjacent if p[0] != song)
    if len(tied) == len(night.rules.adjacent):
        order = list(night.slots)
        k = next(k for k, s in enumerate(order) if s.song == song)
        if k + 1 >= len(order) or order[k + 1].part != order[k].part:
            return night
        tied = (*tied, (song, order[k + 1].song))
    return replace(night, rules=replace(night.rules, adjacent=tied))


def set_talk(night: NightRecord, song: str, seconds: float) -> NightRecord:
    """The talk and applause after a song, which travels with it."""
    return replace(night, rules=replace(night.rules, cover_after={**night.rules.cover_after, song: seconds}))


def next_way(state: BookState, night: NightRecord, song: str) -> NightRecord:
    """The song in the next of its ways that a guitar brought allows."""
    ways = state.song(song).ways
    slot = next(s for s in night.slots if s.song == song)
    for k in range(1, len(ways) + 1):
        way = ((slot.way or 0) + k) % len(ways)
        if ways[way].instrument in night.guitars:
            slots = tuple(replace(s, way=way) if s.song == song else s for s in night.slots)
            return replace(night, slots=slots)
    return night
