"""The same pitches on another tuning or guitar: the cheapest way for the hand, by dynamic programming over positions.

The fretted notes of an event lie within frets p to p + 3 of a hand position p of 1 or more, or to p + 4 with a stretch;
open strings are free, one note a string. A passage costs the sum of |p - previous p|, 2 for every stretch and 4 for every
fretted note that was open in the original (a drone lost). An event with no fretted note keeps p, and so does one that cannot
be played; the first p is free.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.shapes import HIGHEST_FRET
from juxtatune.core.music.notes import Note, spell
from juxtatune.core.music.tuning import Tuning

REACH, STRETCH = 3, 4  # frets beyond the position
STRETCH_COST, DRONE_COST = 2, 4
SAME = 0.005  # half steps
FAR = 10**9


@dataclass(frozen=True)
class Place:
    string: int
    fret: int


Event = tuple[Place, ...]


@dataclass(frozen=True)
class Way:
    """One way to hold an event: places in the order of its notes, hand position (None: nothing is fretted), and its cost."""

    places: Event
    position: int | None
    stretched: bool
    drones: int

    @property
    def cost(self) -> int:
        return STRETCH_COST * self.stretched + DRONE_COST * self.drones


@dataclass(frozen=True)
class Fingering:
    """`events` are None where no hand holds them; `unreachable` are (event, note) that no string has."""

    events: tuple[Event | None, ...]
    positions: tuple[int, ...]
    cost: int
    stretches: int
    drones_lost: int
    unreachable: tuple[tuple[int, Note], ...]


def parse_passage(text: str, strings: int) -> tuple[Event, ...]:
    """`6:0 6:3 5:2+4:2`: events between spaces, their notes joined by +, each string:fret. Raises UserError."""
    events = []
    for k, word in enumerate(text.split()):
        places = tuple(_place(part, k, strings) for part in word.split("+"))
        if len({p.string for p in places}) < len(places):
            raise UserError(f"{word[:40]!r} has two notes on one string", f"event {k}", "one note a string")
        events.append(places)
    if not events:
        raise UserError("the passage is empty", "PASSAGE", "string:fret, as in '6:0 6:3 5:2+4:2'")
    return tuple(events)


def _place(text: str, event: int, strings: int) -> Place:
    parts = text.split(":")
    good = len(parts) == 2 and all(p.isascii() and p.isdigit() and len(p) < 4 for p in parts)
    if not good or not 1 <= int(parts[0]) <= strings or int(parts[1]) > HIGHEST_FRET:
        allowed = f"string:fret, strings 1 to {strings}, frets 0 to {HIGHEST_FRET}"
        raise UserError(f"{text[:30]!r} is not a note", f"event {event}", allowed)
    return Place(int(parts[0]), int(parts[1]))


def translate(
    source: Tuning, target: Tuning, passage: Sequence[Event], frets: int = 22, capo: int = 0
) -> Fingering:
    """The cheapest way to play the same pitches on another tuning, whose frets count from its capo."""
    asked = [
        tuple((round(source.pitch(p.string) + p.fret, 6), p.fret == 0) for p in event) for event in passage
    ]
    return finger(target, asked, frets, capo, source.flats)


def finger(
    tuning: Tuning, events: Sequence[tuple[tuple[float, bool], ...]], frets: int = 22, capo: int = 0, flats: bool = False
) -> Fingering:
    """The cheapest way to hold events of (pitch, whether it was open); pitches sound, the capo's included."""
    neck = _Neck(tuning, frets - capo, capo)
    options, unreachable = [], []
    for k, notes in enumerate(events):
        unreachable += [(k, spell(pitch, flats)) for pitch, _ in notes if not neck.spots(pitch)]
        options.append(neck.ways(notes))
    return _cheapest(options, tuple(unreachable))


class _Neck:
    """Where pitches lie on a tuning, and the ways to hold a set of them; each is worked out once."""

    def __init__(self, tuning: Tuning, frets: int, capo: int) -> None:
        self.open = {s: tuning.pitch(s) + capo for s in tuning.strings}
        self.frets = frets
        self._spots: dict[float, tuple[Place, ...]] = {}
        self._ways: dict[tuple[tuple[float, bool], ...], tuple[Way, ...]] = {}

    def spots(self, pitch: float) -> tuple[Place, ...]:
        if pitch not in self._spots:
            found = []
            for string, low in self.open.items():
                fret = round(pitch - low)
                if 0 <= fret <= self.frets and abs(pitch - low - fret) <= SAME:
                    found.append(Place(string, fret))
            self._spots[pitch] = tuple(found)
        return self._spots[pitch]

    def ways(self, notes: tuple[tuple[float, bool], ...]) -> tuple[Way, ...]:
        """The cheapest way of each hand position, and the one with nothing fretted if there is one."""
        if notes not in self._ways:
            best: dict[int | None, Way] = {}
            for places in self._held([self.spots(pitch) for pitch, _ in notes]):
                drones = sum(was_open and p.fret > 0 for p, (_, was_open) in zip(places, notes, strict=True))
                for way in _positions(places, drones):
                    known = best.get(way.position)
                    if known is None or way.cost < known.cost:
                        best[way.position] = way
            self._ways[notes] = tuple(best.values())
        return self._ways[notes]

    def _held(self, spots: list[tuple[Place, ...]]) -> list[Event]:
        """Every choice of places, one a string, that a hand spans."""
        found: list[Event] = []
        order = sorted(range(len(spots)), key=lambda k: len(spots[k]))

        def choose(depth: int, chosen: dict[int, Place], low: int, high: int, used: frozenset[int]) -> None:
            if depth == len(order):
                found.append(tuple(chosen[k] for k in range(len(order))))
                return
            for place in spots[order[depth]]:
                if place.string in used:
                    continue
                lowest = min(low, place.fret) if place.fret else low
                highest = max(high, place.fret)
                if highest - lowest > STRETCH and lowest < FAR:
                    continue
                chosen[order[depth]] = place
                choose(depth + 1, chosen, lowest, highest, used | {place.string})

        choose(0, {}, FAR, 0, frozenset())
        return found


def _positions(places: Event, drones: int) -> list[Way]:
    fretted = [p.fret for p in places if p.fret]
    if not fretted:
        return [Way(places, None, False, drones)]
    low, high = min(fretted), max(fretted)
    return [Way(places, p, high > p + REACH, drones) for p in range(max(1, high - STRETCH), low + 1)]


def _cheapest(options: list[tuple[Way, ...]], unreachable: tuple[tuple[int, Note], ...]) -> Fingering:
    """Least cost over all choices; ties go to the lower position."""
    most = max((w.position for ways in options for w in ways if w.position is not None), default=1)
    costs = [0] * (most + 1)
    back: list[list[tuple[int, Way | None]]] = []
    for ways in options:
        new, step = [FAR] * (most + 1), [(0, None)] * (most + 1)  # type: list[int], list[tuple[int, Way | None]]
        free = next((w for w in ways if w.position is None), None)
        if free is not None or not ways:
            extra = free.cost if free is not None else 0
            for p in range(1, most + 1):
                new[p], step[p] = costs[p] + extra, (p, free)
        for way in ways:
            if way.position is None:
                continue
            p = way.position
            came, least = min(((q, costs[q] + abs(p - q)) for q in range(1, most + 1)), key=lambda x: x[1])
            if least + way.cost < new[p]:
                new[p], step[p] = least + way.cost, (came, way)
        costs = new
        back.append(step)
    return _walked(costs, back, unreachable)


def _walked(
    costs: list[int], back: list[list[tuple[int, Way | None]]], unreachable: tuple[tuple[int, Note], ...]
) -> Fingering:
    at = min(range(1, len(costs)), key=lambda p: costs[p])
    total, events, positions, ways = costs[at], [], [], []
    for step in reversed(back):
        before, way = step[at]
        events.append(way.places if way is not None else None)
        positions.append(at)
        ways.append(way)
        at = before
    held = [w for w in ways if w is not None]
    positions.reverse()
    first = next((k for k, w in enumerate(reversed(ways)) if w is not None and w.position is not None), 0)
    positions = [positions[first]] * first + positions[first:]
    return Fingering(
        tuple(reversed(events)), tuple(positions), total, sum(w.stretched for w in held),
        sum(w.drones for w in held), unreachable,
    )  # fmt: skip
