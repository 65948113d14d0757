"""What a book holds, as one immutable value: guitars, songs with their ways, nights."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol, TypeVar

from juxtatune.core.errors import UserError
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.repertoire.night import Gig, Night, Part, without_missed
from juxtatune.core.repertoire.rules import with_pairs, without_rules_of
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.strings.instrument import Instrument


@dataclass(frozen=True)
class NightRecord:
    """A night in the book: its order with the way chosen for each song, the guitars brought, the rules."""

    id: str
    name: str
    guitars: tuple[str, ...]
    slots: tuple[Slot, ...]
    rules: Night


@dataclass(frozen=True)
class KeptOrder:
    """An order of a night put by under a name, to be compared with others."""

    id: str
    night: str
    name: str
    slots: tuple[Slot, ...]


@dataclass(frozen=True)
class OwnTuning:
    """A tuning that the player has named."""

    id: str
    name: str
    tuning: Tuning


@dataclass(frozen=True)
class BookState:
    """Everything in a book but its log. Edits make a new value."""

    instruments: tuple[Instrument, ...] = ()
    songs: tuple[Song, ...] = ()
    nights: tuple[NightRecord, ...] = ()
    kept: tuple[KeptOrder, ...] = ()
    tunings: tuple[OwnTuning, ...] = ()

    def instrument(self, instrument_id: str) -> Instrument:
        return _find(self.instruments, instrument_id, "guitar")

    def song(self, song_id: str) -> Song:
        return _find(self.songs, song_id, "song")

    def night(self, night_id: str) -> NightRecord:
        return _find(self.nights, night_id, "night")

    def with_instrument(self, instrument: Instrument) -> BookState:
        return replace(self, instruments=_put(self.instruments, instrument))

    def with_song(self, song: Song) -> BookState:
        return replace(self, songs=_put(self.songs, song))

    def with_night(self, night: NightRecord) -> BookState:
        return replace(self, nights=_put(self.nights, night))

    def with_kept(self, kept: KeptOrder) -> BookState:
        return replace(self, kept=_put(self.kept, kept))

    def with_tuning(self, own: OwnTuning) -> BookState:
        return replace(self, tunings=_put(self.tunings, own))

    def without_night(self, night_id: str) -> BookState:
        """The book without a night and the orders kept of it."""
        return replace(
            self, nights=tuple(n for n in self.nights if n.id != night_id),
            kept=tuple(k for k in self.kept if k.night != night_id),
        )  # fmt: skip

    def tuned(
        self, instrument_id: str, tuning: Tuning, at: str = "", certainty_cents: float | None = None
    ) -> BookState:
        """The book with a guitar standing in a tuning since an ISO time."""
        return self.with_instrument(self.instrument(instrument_id).tuned_to(tuning, at, certainty_cents))


def gig_of(state: BookState, night: NightRecord, checks: bool = True) -> Gig:
    """The planning problem of a night: its songs in order, with the ways that the guitars brought allow.

    With `checks`, songs that shake the tuning cost a check of the guitar after them (`with_checks`).
    """
    songs = []
    for slot in night.slots:
        song = state.song(slot.song)
        past = night.rules.now is not None and slot.song in night.rules.now.played  # with strings that have broken since
        ways = tuple(w for w in song.ways if (w.instrument in night.guitars if past else plays(night, w)))
        if not ways:
            raise UserError(
                "no guitar brought can play it", song.title, "a way on " + ", ".join(night.guitars)
            )
        songs.append(replace(song, ways=ways))
    instruments = tuple(i for i in state.instruments if i.id in night.guitars)
    gig = Gig(instruments, tuple(songs), without_missed(night.rules))
    return with_checks(gig) if checks else gig


def plays(night: NightRecord, way: Way) -> bool:
    """Whether a night's guitars allow a way: its guitar was brought, and no string that it uses is broken."""
    broken = night.rules.now.broken.get(way.instrument, ()) if night.rules.now is not None else ()
    return way.instrument in night.guitars and not any(way.uses(s) for s in broken)


def check_seconds(way: Way, instruments: dict[str, Instrument]) -> float:
    """What checking every string of the way's guitar takes."""
    guitar = instruments[way.instrument]
    return guitar.costs.check_s * (guitar.strings - len(guitar.setup.off))


def with_checks(gig: Gig) -> Gig:
    """The gig in which arm work and wide bends are followed by a check of the guitar, inside the talk where there is some.

    The check takes its seconds from the cover after the song; what the cover does not hold, or a way's guitar takes longer
    than the quickest of them, counts as the way's compromise, so that the plan's objective stays exact.
    """
    instruments = {i.id: i for i in gig.instruments}
    cover, songs = dict(gig.night.cover_after), []
    for song in gig.songs:
        if song.details.shakes:
            seconds = [check_seconds(w, instruments) for w in song.ways]
            talk = gig.night.cover(song.id)
            hidden = min(talk, min(seconds))
            cover[song.id] = talk - hidden
            ways = tuple(replace(w, compromise_s=w.compromise_s + s - hidden) for w, s in zip(song.ways, seconds, strict=True))
            song = replace(song, ways=ways)
        songs.append(song)
    return replace(gig, songs=tuple(songs), night=replace(gig.night, cover_after=cover))


def state_of_gig(gig: Gig, name: str = "Night") -> BookState:
    """A book holding one gig, its songs in the order given and each in its first way.

    Raises UserError when the sizes of the parts do not add up to the songs.
    """
    parts = gig.part_of_place()
    if len(parts) != len(gig.songs):
        sizes = " + ".join(str(p.songs) for p in gig.night.parts)
        raise UserError(
            f"parts of {sizes} songs", "set.parts", f"sizes that add up to {len(gig.songs)}, the number of songs"
        )
    played = gig.night.now.played if gig.night.now is not None else ()
    order = (*played, *(s.id for s in gig.songs if s.id not in played))
    slots = tuple(Slot(s, part, 0) for s, part in zip(order, parts, strict=True))
    used = {w.instrument for s in gig.songs for w in s.ways}
    guitars = tuple(i.id for i in gig.instruments if i.id in used)
    return BookState(gig.instruments, gig.songs, (NightRecord("night", name, guitars, slots, gig.night),))


def without_song(night: NightRecord, song: str) -> NightRecord:
    """The night with a song cut: its part grows shorter, and rules that name it go."""
    slot = next((s for s in night.slots if s.song == song), None)
    if slot is None:
        return night
    parts = tuple(Part(p.name, p.songs - 1) if k == slot.part else p for k, p in enumerate(night.rules.parts))
    rules = replace(without_rules_of(night.rules, song), parts=parts, curve=None)
    return replace(night, slots=tuple(s for s in night.slots if s.song != song), rules=rules)


def with_song_replaced(night: NightRecord, old: str, new: str) -> NightRecord:
    """The night with one song in another's place, in its first way; rules follow."""
    r = with_pairs(night.rules, lambda pair: (new if pair[0] == old else pair[0], new if pair[1] == old else pair[1]))
    rules = replace(
        r, pins=tuple(replace(p, song=new) if p.song == old else p for p in r.pins),
        cover_after={new if s == old else s: c for s, c in r.cover_after.items()},
        now=replace(r.now, played=tuple(new if s == old else s for s in r.now.played)) if r.now is not None else None,
    )  # fmt: skip
    slots = tuple(replace(s, song=new, way=0) if s.song == old else s for s in night.slots)
    return replace(night, slots=slots, rules=rules)


def with_song_added(night: NightRecord, song: str, way: int = 0) -> NightRecord:
    """The night with a song at the end of its last part."""
    last = len(night.rules.parts) - 1
    parts = tuple(Part(p.name, p.songs + 1) if k == last else p for k, p in enumerate(night.rules.parts))
    return replace(
        night, slots=(*night.slots, Slot(song, last, way)), rules=replace(night.rules, parts=parts, curve=None)
    )


class _Named(Protocol):
    @property
    def id(self) -> str: ...


T = TypeVar("T", bound=_Named)


def _find(rows: tuple[T, ...], wanted: str, kind: str) -> T:
    for row in rows:
        if row.id == wanted:
            return row
    raise UserError(f"no {kind} {wanted!r} in the book")


def _put(rows: tuple[T, ...], new: T) -> tuple[T, ...]:
    """The row replaced by its id, or added at the end."""
    if any(row.id == new.id for row in rows):
        return tuple(new if row.id == new.id else row for row in rows)
    return (*rows, new)
