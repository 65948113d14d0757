"""A night: parts, rules, talk between songs, and how far it has come. Values only."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.repertoire.song import Song
from juxtatune.core.strings.instrument import Instrument


@dataclass(frozen=True)
class Part:
    name: str
    songs: int


@dataclass(frozen=True)
class Pin:
    """A song fixed to a place of a part; places count from 0, negative ones from the end."""

    song: str
    part: int
    place: int


@dataclass(frozen=True)
class Now:
    """A night under way: what was played, the guitar in hand, true tunings and capos, strings that broke."""

    played: tuple[str, ...]
    in_hand: str | None
    tunings: Mapping[str, Tuning]
    capos: Mapping[str, int]
    broken: Mapping[str, tuple[int, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class Night:
    """Parts and rules of a set. Pairs: (a, b) before; (c, d) d straight after c; (e, f) never neighbours."""

    parts: tuple[Part, ...]
    tech: bool = False
    cover_s: float = 0.0
    cover_after: Mapping[str, float] = field(default_factory=dict)
    pins: tuple[Pin, ...] = ()
    before: tuple[tuple[str, str], ...] = ()
    adjacent: tuple[tuple[str, str], ...] = ()
    apart: tuple[tuple[str, str], ...] = ()
    max_dead_s: float | None = None
    curve: tuple[float, ...] | None = None
    curve_weight_s: float = 0.0
    now: Now | None = None

    def cover(self, song: str) -> float:
        """Seconds of talk and applause in the gap after a song."""
        return self.cover_after.get(song, self.cover_s)


@dataclass(frozen=True)
class Gig:
    """Everything a plan is made from."""

    instruments: tuple[Instrument, ...]
    songs: tuple[Song, ...]
    night: Night

    def song(self, song_id: str) -> Song:
        return self._songs[song_id]

    def instrument(self, instrument_id: str) -> Instrument:
        return self._instruments[instrument_id]

    @property
    def _songs(self) -> dict[str, Song]:
        return {s.id: s for s in self.songs}

    @property
    def _instruments(self) -> dict[str, Instrument]:
        return {i.id: i for i in self.instruments}

    def part_of_place(self) -> list[int]:
        """The part of each place over the whole night."""
        return [k for k, part in enumerate(self.night.parts) for _ in range(part.songs)]

    def place_of_pin(self, pin: Pin) -> int:
        """A pin's place counted over the whole night."""
        start = sum(part.songs for part in self.night.parts[: pin.part])
        return start + (pin.place if pin.place >= 0 else self.night.parts[pin.part].songs + pin.place)


def with_open_rules(gig: Gig) -> Gig:
    """The gig without the rules that concern only songs already played: the past cannot break them."""
    if gig.night.now is None:
        return gig
    past = set(gig.night.now.played)

    def still(pairs: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
        return tuple(pair for pair in pairs if not past.issuperset(pair))

    night = gig.night
    return replace(
        gig,
        night=replace(
            night,
            pins=tuple(pin for pin in night.pins if pin.song not in past),
            before=still(night.before),
            adjacent=still(night.adjacent),
            apart=still(night.apart),
        ),
    )


def still_to_play(gig: Gig) -> Gig:
    """The night of the songs not yet played, as if it began with them: it costs no more than the rest of the true one."""
    now = gig.night.now
    if now is None or not now.played:
        return gig
    night, past, part_of = gig.night, set(now.played), gig.part_of_place()
    begun = [part_of[: len(now.played)].count(k) for k in range(len(night.parts))]
    going_on = [k for k, part in enumerate(night.parts) if part.songs > begun[k]]

    def still(pairs: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
        return tuple(pair for pair in pairs if past.isdisjoint(pair))

    rest = replace(
        night,
        parts=tuple(replace(night.parts[k], songs=night.parts[k].songs - begun[k]) for k in going_on),
        pins=tuple(
            replace(pin, part=going_on.index(pin.part), place=pin.place - begun[pin.part] * (pin.place >= 0))
            for pin in night.pins
            if pin.song not in past
        ),
        before=still(night.before), adjacent=still(night.adjacent), apart=still(night.apart),
        curve=night.curve[len(now.played) :] if night.curve is not None else None,
        now=None,
    )  # fmt: skip
    return replace(gig, songs=tuple(s for s in gig.songs if s.id not in past), night=rest)


def without_missed(night: Night) -> Night:
    """The rules without those that what was played has missed already: nothing can mend them any more."""
    if night.now is None or not night.now.played:
        return night
    played = night.now.played
    last = played[-1]

    def open_pair(pair: tuple[str, str]) -> bool:
        first, second = pair
        return second not in played and (first not in played or first == last)

    return replace(
        night,
        pins=tuple(p for p in night.pins if p.song in played or not _filled(night, p)),
        before=tuple((a, b) for a, b in night.before if b not in played),
        adjacent=tuple(pair for pair in night.adjacent if open_pair(pair)),
        apart=tuple(pair for pair in night.apart if not set(pair) <= set(played)),
    )


def _filled(night: Night, pin: Pin) -> bool:
    """Whether the place of a pin is taken by a song that was played."""
    assert night.now is not None
    start = sum(p.songs for p in night.parts[: pin.part])
    place = start + (pin.place if pin.place >= 0 else night.parts[pin.part].songs + pin.place)
    return place < len(night.now.played)
