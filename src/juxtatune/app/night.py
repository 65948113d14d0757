"""Editing a night's order and rules: each function gives the new night, nothing else changes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise

from juxtatune.book.state import BookState, NightRecord, gig_of
from juxtatune.core.planning.plan import Plan, Slot
from juxtatune.core.planning.solve import price_order
from juxtatune.core.repertoire.night import Gig, Pin

CURVE_WEIGHT_S = 2.0  # seconds of dead air that a step of energy off the curve is worth
VERSION = "~"


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
        after = _next_in_part(night, song)
        if after is None:
            return night
        tied = (*tied, (song, after))
    return replace(night, rules=replace(night.rules, adjacent=tied))


def _next_in_part(night: NightRecord, song: str) -> str | None:
    """The song straight after one, or None at the end of a part."""
    for here, after in pairwise(night.slots):
        if here.song == song and here.part == after.part:
            return after.song
    return None


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


def toggle_apart(night: NightRecord, song: str) -> NightRecord:
    """Keeps a song from standing beside the one after it in its part, or lets it again."""
    kept = tuple(p for p in night.rules.apart if song not in p)
    if len(kept) == len(night.rules.apart):
        after = _next_in_part(night, song)
        if after is None:
            return night
        kept = (*kept, (song, after))
    return replace(night, rules=replace(night.rules, apart=kept))


def toggle_lock(night: NightRecord, song: str) -> NightRecord:
    """Pins every song of the part that a song stands in, in today's order; or frees the part."""
    part = next(s.part for s in night.slots if s.song == song)
    inside = [s.song for s in night.slots if s.part == part]
    others = tuple(p for p in night.rules.pins if p.song not in inside)
    locked = len(night.rules.pins) - len(others) == len(inside)
    pins = () if locked else tuple(Pin(s, part, k) for k, s in enumerate(inside))
    return replace(night, rules=replace(night.rules, pins=(*others, *pins)))


def toggle_curve(state: BookState, night: NightRecord) -> NightRecord:
    """Asks for the energy of today's order as a start to draw on, or for none."""
    if night.rules.curve is not None and night.rules.curve_weight_s > 0:
        return replace(night, rules=replace(night.rules, curve_weight_s=0.0))
    curve = night.rules.curve or tuple(state.song(s.song).energy for s in night.slots)
    return replace(night, rules=replace(night.rules, curve=curve, curve_weight_s=CURVE_WEIGHT_S))


def bend_curve(night: NightRecord, drawn: Mapping[int, float]) -> NightRecord:
    """The wanted energy drawn anew at some places of the night."""
    if night.rules.curve is None:
        return night
    curve = tuple(max(0.0, drawn.get(k, e)) for k, e in enumerate(night.rules.curve))
    return replace(night, rules=replace(night.rules, curve=curve))


def kept_version(state: BookState, night: NightRecord, number: int) -> NightRecord:
    """Today's order under a name of its own, to be compared with later ones."""
    taken = {n.id for n in state.nights}
    version = next(i for k in range(len(taken) + 2) if (i := f"{night.id}{VERSION}{number + k}") not in taken)
    return replace(night, id=version, name=f"{night.name}, order {version.rsplit(VERSION, 1)[1]}")


def versions(state: BookState, night: NightRecord) -> list[NightRecord]:
    """The kept orders of a night that still hold the same songs, oldest first."""
    songs = {s.song for s in night.slots}
    return [
        n for n in state.nights if n.id.startswith(night.id + VERSION) and {s.song for s in n.slots} == songs
    ]


def take_version(night: NightRecord, version: NightRecord) -> NightRecord:
    """The night in a kept order, with the rules of today."""
    parts = [s.part for s in night.slots]
    slots = tuple(replace(s, part=p) for s, p in zip(version.slots, parts, strict=True))
    return replace(night, slots=slots)
