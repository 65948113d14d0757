"""Editing a night's order and rules: each edit gives the new night and a line that says what it did.

An edit that cannot be made raises UserError with the reason.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from itertools import pairwise

from juxtatune.app.fields import show_tuning
from juxtatune.book.state import BookState, KeptOrder, NightRecord, gig_of
from juxtatune.core.errors import UserError
from juxtatune.core.planning.model.plan import Plan, Slot
from juxtatune.core.planning.search.fixed_order import Stop, price_order
from juxtatune.core.repertoire.night import Gig, Pin
from juxtatune.core.repertoire.rules import unruled

PRICE_S = 4.0  # that the price of an order may take, before it is priced in a hurry
CURVE_WEIGHT_S = 2.0  # seconds of dead air that a step of energy off the curve is worth
Answer = tuple[NightRecord, str]


def as_given(state: BookState, gig: Gig, night: NightRecord, stop: Stop | None = None) -> Plan | None:
    """The night's own order with its chosen ways, priced with its best start; rules of order do not bind it."""
    return price_order(replace(gig, night=unruled(gig.night)), chosen(state, gig, night), seconds=PRICE_S, stop=stop)


def chosen(state: BookState, gig: Gig, night: NightRecord) -> tuple[Slot, ...]:
    """The slots with ways counted among those that the guitars brought allow: the first where its own is left out."""
    slots = []
    for s in night.slots:
        own, allowed = state.song(s.song).ways, gig.song(s.song).ways
        way = own[s.way or 0] if (s.way or 0) < len(own) else own[0]
        slots.append(replace(s, way=allowed.index(way) if way in allowed else 0))
    return tuple(slots)


def take_plan(state: BookState, night: NightRecord, plan: Plan) -> NightRecord:
    """The night in a plan's order and ways."""
    gig = gig_of(state, night)
    own = {s.song: s.way for s in night.slots}
    slots = []
    for slot in plan.order:
        if slot.way is None:  # played already: as it was
            slots.append(Slot(slot.song, slot.part, own.get(slot.song)))
            continue
        way = gig.song(slot.song).ways[slot.way]
        slots.append(Slot(slot.song, slot.part, state.song(slot.song).ways.index(way)))
    return replace(night, slots=tuple(slots))


def place_of(night: NightRecord, song: str) -> int:
    """Where a song stands in the whole night, from 0. Raises UserError when it does not."""
    for k, slot in enumerate(night.slots):
        if slot.song == song:
            return k
    raise UserError("this song is not in the night", night.name)


def move_song(state: BookState, night: NightRecord, song: str, place: int) -> Answer:
    """The song taken out and put at a place of the whole night; parts keep their sizes."""
    here = place_of(night, song)
    title = state.song(song).title
    place = max(0, min(place, len(night.slots) - 1))
    if place == here:
        raise UserError(f"{title} is {'first' if here == 0 else 'last'} already")
    order = [s for s in night.slots if s.song != song]
    order.insert(place, night.slots[here])
    parts = [s.part for s in night.slots]
    slots = tuple(replace(s, part=p) for s, p in zip(order, parts, strict=True))
    return replace(night, slots=slots), f"{title} is now in place {place + 1}."


def toggle_pin(state: BookState, night: NightRecord, song: str) -> Answer:
    """Pins a song to its place, or frees it."""
    title = state.song(song).title
    pins = tuple(p for p in night.rules.pins if p.song != song)
    words = f"{title} is not pinned any more."
    if len(pins) == len(night.rules.pins):
        part = night.slots[place_of(night, song)].part
        place = [s.song for s in night.slots if s.part == part].index(song)
        pins = (*pins, Pin(song, part, place))
        words = f"{title} is pinned to place {place + 1} of {part_name(night, part)}."
    return replace(night, rules=replace(night.rules, pins=pins)), words


def toggle_medley(state: BookState, night: NightRecord, song: str) -> Answer:
    """Ties a song to the one after it in the same part, or unties it."""
    tied = tuple(p for p in night.rules.adjacent if p[0] != song)
    title = state.song(song).title
    if len(tied) < len(night.rules.adjacent):
        return replace(night, rules=replace(night.rules, adjacent=tied)), f"{title} begins no medley any more."
    after = _next_in_part(state, night, song, "a medley")
    words = f"{title} and {state.song(after).title} are a medley: one straight after the other."
    return replace(night, rules=replace(night.rules, adjacent=(*tied, (song, after)))), words


def _next_in_part(state: BookState, night: NightRecord, song: str, what: str) -> str:
    """The song straight after one. Raises UserError at the end of a part."""
    for here, after in pairwise(night.slots):
        if here.song == song and here.part == after.part:
            return after.song
    part = part_name(night, night.slots[place_of(night, song)].part)
    raise UserError(f"{state.song(song).title} is the last song of {part}: {what} needs a song after it")


def set_talk(state: BookState, night: NightRecord, song: str, seconds: float) -> Answer:
    """The talk and applause after a song, which travels with it."""
    rules = replace(night.rules, cover_after={**night.rules.cover_after, song: seconds})
    return replace(night, rules=rules), f"{seconds:g} s of talk after {state.song(song).title}."


def next_way(state: BookState, night: NightRecord, song: str) -> Answer:
    """The song in the next of its ways that a guitar brought allows."""
    ways, title = state.song(song).ways, state.song(song).title
    slot = night.slots[place_of(night, song)]
    for k in range(1, len(ways)):
        at = ((slot.way or 0) + k) % len(ways)
        way = ways[at]
        if way.instrument in night.guitars:
            slots = tuple(replace(s, way=at) if s.song == song else s for s in night.slots)
            guitar = state.instrument(way.instrument).name
            words = f"{title} on {guitar}, {show_tuning(way.tuning)}: way {at + 1} of {len(ways)}."
            return replace(night, slots=slots), words
    if len(ways) == 1:
        raise UserError(f"{title} has one way to play it only: Songs can add another")
    raise UserError(f"{title} has no other way on the guitars brought to this night")


def toggle_apart(state: BookState, night: NightRecord, song: str) -> Answer:
    """Keeps a song from standing beside the one after it in its part, or lets it again."""
    kept = tuple(p for p in night.rules.apart if song not in p)
    title = state.song(song).title
    if len(kept) < len(night.rules.apart):
        return replace(night, rules=replace(night.rules, apart=kept)), f"{title} may have any neighbour again."
    after = _next_in_part(state, night, song, "keeping apart")
    words = f"{title} and {state.song(after).title} are kept apart when the night is planned."
    return replace(night, rules=replace(night.rules, apart=(*kept, (song, after)))), words


def toggle_lock(state: BookState, night: NightRecord, song: str) -> Answer:
    """Pins every song of the part that a song stands in, in today's order; or frees the part."""
    part = night.slots[place_of(night, song)].part
    inside = [s.song for s in night.slots if s.part == part]
    others = tuple(p for p in night.rules.pins if p.song not in inside)
    locked = len(night.rules.pins) - len(others) == len(inside)
    pins = () if locked else tuple(Pin(s, part, k) for k, s in enumerate(inside))
    name = part_name(night, part)
    count = f"{len(inside)} song{'' if len(inside) == 1 else 's'}"
    words = f"{name} is free again." if locked else f"{name} is locked: {count} in the order of today."
    return replace(night, rules=replace(night.rules, pins=(*others, *pins))), words


def toggle_curve(state: BookState, night: NightRecord) -> Answer:
    """Asks for the energy of today's order as a start to draw on, or for none."""
    if night.rules.curve is not None and night.rules.curve_weight_s > 0:
        rules = replace(night.rules, curve_weight_s=0.0)
        return replace(night, rules=rules), "The energy curve counts no more."
    curve = night.rules.curve or tuple(state.song(s.song).energy for s in night.slots)
    rules = replace(night.rules, curve=curve, curve_weight_s=CURVE_WEIGHT_S)
    return replace(night, rules=rules), "The energy curve counts now: draw it with the mouse, then plan."


def bend_curve(night: NightRecord, drawn: Mapping[int, float]) -> Answer:
    """The wanted energy drawn anew at some places of the night."""
    if night.rules.curve is None:
        raise UserError("no energy curve is shown: C shows it")
    curve = tuple(max(0.0, drawn.get(k, e)) for k, e in enumerate(night.rules.curve))
    return replace(night, rules=replace(night.rules, curve=curve)), "The wanted energy is drawn."


def part_name(night: NightRecord, part: int) -> str:
    return night.rules.parts[part].name or f"Part {part + 1}"


# -- kept orders
def kept_order(state: BookState, night: NightRecord) -> KeptOrder:
    """Today's order under a number of its own, to be compared with later ones."""
    taken = {k.id for k in state.kept}
    number = next(n for n in range(1, len(taken) + 2) if f"{night.id}/{n}" not in taken)
    return KeptOrder(f"{night.id}/{number}", night.id, f"Order {number}", night.slots)


def kept_orders(state: BookState, night: NightRecord) -> list[KeptOrder]:
    """The kept orders of a night that still hold the same songs, oldest first."""
    songs = {s.song for s in night.slots}
    return [k for k in state.kept if k.night == night.id and {s.song for s in k.slots} == songs]


def take_kept(night: NightRecord, kept: KeptOrder) -> NightRecord:
    """The night in a kept order, with the rules of today."""
    parts = [s.part for s in night.slots]
    slots = tuple(replace(s, part=p) for s, p in zip(kept.slots, parts, strict=True))
    return replace(night, slots=slots)
