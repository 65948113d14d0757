"""Gig JSON, format 1: reading with errors that name the place, and writing plans back out."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from juxtatune.book.formats.extras import DetailsRow, SetupRow, details_of, setup_of
from juxtatune.book.formats.json_text import parsed, text_of
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning, parse_notes
from juxtatune.core.repertoire.night import Gig, Night, Now, Part, Pin
from juxtatune.core.repertoire.song import Details, Song, Way
from juxtatune.core.strings.instrument import Costs, Instrument, default_costs

FORMAT, VERSION = "juxtatune-gig", 1
Bridge = Literal["fixed", "dive-only", "floating"]


def _whole(value: Any) -> Any:
    """Whole numbers may be written 3.0; true and false are no numbers."""
    if isinstance(value, float) and value.is_integer():
        return int(value)
    return value


MOST_NUMBER = 1e6  # seconds, weights, counts
MOST_SONGS, MOST_INSTRUMENTS, MOST_PARTS, MOST_WAYS = 2000, 200, 200, 200
MOST_BYTES = 20_000_000  # of a gig file
ALLOWED = "gig JSON, format 1"
Seconds = Annotated[float, Field(strict=True, ge=0, le=MOST_NUMBER, allow_inf_nan=False)]
Count = Annotated[int, BeforeValidator(_whole), Field(strict=True, ge=0, le=int(MOST_NUMBER))]
Place = Annotated[int, BeforeValidator(_whole), Field(strict=True, ge=-int(MOST_NUMBER), le=int(MOST_NUMBER))]
Text = Annotated[str, Field(strict=True)]
Id = Annotated[str, Field(strict=True, min_length=1)]
Notes = Text | list[Text]


class _Row(BaseModel):
    model_config = ConfigDict(extra="ignore")


class CostsRow(_Row):
    base_s: Seconds | None = None
    string_s: Seconds | None = None
    semitone_s: Seconds | None = None
    check_s: Seconds | None = None
    passes: Seconds | None = None
    swap_s: Seconds | None = None
    capo_s: Seconds | None = None


class InstrumentRow(SetupRow):
    id: Id
    name: Text | None = None
    strings: Annotated[int, BeforeValidator(_whole), Field(strict=True, ge=4, le=12)] | None = None
    bridge: Bridge | None = None
    home: Notes | None = None
    tuning: Notes | None = None
    costs: CostsRow | None = None


class WayRow(_Row):
    instrument: Id
    tuning: Notes
    capo: Count | None = None
    strings_used: list[Count] | None = None
    compromise_s: Seconds | None = None
    refingered: Annotated[bool, Field(strict=True)] | None = None


class SongRow(_Row):
    id: Id
    title: Text | None = None
    length_s: Seconds
    energy: Seconds | None = None
    ways: Annotated[list[WayRow], Field(min_length=1, max_length=MOST_WAYS)]
    details: DetailsRow | None = None


class PartRow(_Row):
    name: Text | None = None
    songs: Count


class PinRow(_Row):
    song: Id
    part: Count
    place: Place


class NowRow(_Row):
    played: list[Id] | None = None
    in_hand: Id | None = None
    tunings: dict[str, Notes] | None = None
    capos: dict[str, Count] | None = None


class SetRow(_Row):
    parts: Annotated[list[PartRow], Field(min_length=1, max_length=MOST_PARTS)] | None = None
    tech: Annotated[bool, Field(strict=True)] | None = None
    cover_s: Seconds | None = None
    cover_after: dict[str, Seconds] | None = None
    pins: list[PinRow] | None = None
    before: list[Annotated[list[Id], Field(min_length=2, max_length=2)]] | None = None
    adjacent: list[Annotated[list[Id], Field(min_length=2, max_length=2)]] | None = None
    apart: list[Annotated[list[Id], Field(min_length=2, max_length=2)]] | None = None
    max_dead_s: Seconds | None = None
    curve: list[Seconds] | None = None
    curve_weight_s: Seconds | None = None
    now: NowRow | None = None


class GigRow(_Row):
    format: Literal["juxtatune-gig"]
    version: Annotated[int, Field(strict=True, ge=1, le=1)]
    instruments: Annotated[list[InstrumentRow], Field(min_length=1, max_length=MOST_INSTRUMENTS)]
    songs: Annotated[list[SongRow], Field(min_length=1, max_length=MOST_SONGS)]
    set: SetRow | None = None


def read_gig(path: Path) -> Gig:
    """Reads and checks a gig file. Raises UserError naming the file and the place in it."""
    text = text_of(path, MOST_BYTES, ALLOWED)
    try:
        return parse_gig(text)
    except UserError as error:
        raise error.at(str(path)) from None


def parse_gig(text: str) -> Gig:
    """The gig in a JSON text. Raises UserError naming the key."""
    data = parsed(text, ALLOWED)
    if not isinstance(data, dict):
        raise UserError(
            f"the top of the file is a {_kind(data)}",
            allowed="an object with format, version, instruments, songs",
        )
    try:
        row = GigRow.model_validate(data)
    except ValidationError as error:
        raise first_error(error, data) from None
    return _Builder(row).gig()


def _kind(value: Any) -> str:
    names = {dict: "object", list: "list", str: "string", bool: "true/false", int: "number", float: "number"}
    return names.get(type(value), "null")


def _place(loc: tuple[int | str, ...]) -> str:
    text = ""
    for part in loc:
        if isinstance(part, int):
            text += f"[{part}]"
        elif part not in ("str", "list[constrained-str]") and not part.startswith(
            ("list[", "function-", "constrained")
        ):
            text += f".{part}" if text else str(part)
    return text


def first_error(error: ValidationError, data: Any) -> UserError:
    first = error.errors()[0]
    where = _place(first["loc"])
    if first["type"] == "missing":
        return UserError("required key is missing", where, "a value")
    found = first.get("input")
    shown = _shown(found)
    message = first["msg"].removeprefix("Input should be ")
    return UserError(f"found {shown[:60]}", where, message)


def _shown(found: Any) -> str:
    """The beginning of a value as JSON; of a large one only its kind."""
    if isinstance(found, dict | list):
        return f"a {_kind(found)} of {len(found)}"
    if isinstance(found, int) and abs(found) > 1e15:
        return "a number of very many digits"
    return json.dumps(found, ensure_ascii=False, default=str)


class _Builder:
    """Cross-checks ids, places and string counts while making values."""

    def __init__(self, row: GigRow) -> None:
        self.row = row
        self.set = row.set or SetRow()

    def gig(self) -> Gig:
        instruments = tuple(self._instrument(k, r) for k, r in enumerate(self.row.instruments))
        self.instruments = {i.id: i for i in instruments}
        _unique([i.id for i in instruments], "instruments")
        songs = tuple(self._song(k, r) for k, r in enumerate(self.row.songs))
        _unique([s.id for s in songs], "songs")
        self.ids = {s.id for s in songs}
        return Gig(instruments, songs, self._night(len(songs)))

    def _instrument(self, k: int, r: InstrumentRow) -> Instrument:
        where = f"instruments[{k}]"
        if r.strings is None and r.tuning is None:
            raise UserError("neither strings nor tuning is given", where, "at least one of them")
        tuning = tuning_of(r.tuning, f"{where}.tuning") if r.tuning is not None else None
        strings = r.strings if r.strings is not None else len(tuning) if tuning else 0
        home = tuning_of(r.home, f"{where}.home") if r.home is not None else standard_for(strings)
        bridge = r.bridge or "fixed"
        entered = r.costs.model_dump(exclude_none=True) if r.costs else {}
        costs = Costs(**{**_as_dict(default_costs(bridge)), **entered})
        try:
            return Instrument(
                r.id, r.name or r.id, strings, bridge, home, tuning or standard_for(strings), costs,
                setup_of(r, strings),
            )  # fmt: skip
        except UserError as error:
            raise UserError(error.what, f"{where}.{error.where}", error.allowed) from None

    def _song(self, k: int, r: SongRow) -> Song:
        ways = tuple(self._way(f"songs[{k}].ways[{w}]", way) for w, way in enumerate(r.ways))
        try:
            details = details_of(r.details, ways[0].tuning) if r.details is not None else Details()
        except UserError as error:
            raise UserError(error.what, f"songs[{k}].details.passage", error.allowed) from None
        return Song(r.id, r.title or r.id, r.length_s, r.energy or 0.0, ways, details)

    def _way(self, where: str, r: WayRow) -> Way:
        instrument = self.instruments.get(r.instrument)
        if instrument is None:
            raise UserError(
                f"unknown instrument {r.instrument!r}", f"{where}.instrument", _list(self.instruments)
            )
        tuning = tuning_of(r.tuning, f"{where}.tuning", instrument.home)
        if len(tuning) != instrument.strings:
            raise UserError(
                f"{len(tuning)} notes for {r.instrument}", f"{where}.tuning", f"{instrument.strings} notes"
            )
        used = tuple(dict.fromkeys(r.strings_used or ()))
        for string in used:
            if not 1 <= string <= instrument.strings:
                raise UserError(f"string {string}", f"{where}.strings_used", f"1 to {instrument.strings}")
        return Way(r.instrument, tuning, r.capo or 0, used, r.compromise_s or 0.0, bool(r.refingered))

    def _night(self, count: int) -> Night:
        s = self.set
        parts = tuple(Part(p.name or f"Part {k + 1}", p.songs) for k, p in enumerate(s.parts or ()))
        self.parts = parts or (Part("Set", count),)
        for song in s.cover_after or {}:
            self._known(song, f"set.cover_after.{song}")
        if s.curve is not None and len(s.curve) != count:
            raise UserError(f"{len(s.curve)} values", "set.curve", f"{count}, one for each song")
        return Night(
            parts=self.parts,
            tech=bool(s.tech),
            cover_s=s.cover_s or 0.0,
            cover_after=s.cover_after or {},
            pins=tuple(self._pin(k, p) for k, p in enumerate(s.pins or ())),
            before=self._pairs("before", s.before),
            adjacent=self._pairs("adjacent", s.adjacent),
            apart=self._pairs("apart", s.apart),
            max_dead_s=s.max_dead_s,
            curve=tuple(s.curve) if s.curve is not None else None,
            curve_weight_s=s.curve_weight_s or 0.0,
            now=self._now(s.now) if s.now is not None else None,
        )

    def _known(self, song: str, where: str) -> None:
        if song not in self.ids:
            raise UserError(f"unknown song {song!r}", where, "an id that stands under songs")

    def _pin(self, k: int, p: PinRow) -> Pin:
        self._known(p.song, f"set.pins[{k}].song")
        if p.part >= len(self.parts):
            raise UserError(f"part {p.part}", f"set.pins[{k}].part", f"0 to {len(self.parts) - 1}")
        size = self.parts[p.part].songs
        if not -size <= p.place < size:
            raise UserError(f"place {p.place}", f"set.pins[{k}].place", f"{-size} to {size - 1}")
        return Pin(p.song, p.part, p.place)

    def _pairs(self, key: str, pairs: list[list[str]] | None) -> tuple[tuple[str, str], ...]:
        for k, pair in enumerate(pairs or ()):
            for song in pair:
                self._known(song, f"set.{key}[{k}]")
        return tuple((a, b) for a, b in pairs or ())

    def _now(self, r: NowRow) -> Now:
        played = tuple(r.played or ())
        for k, song in enumerate(played):
            self._known(song, f"set.now.played[{k}]")
        _unique(list(played), "set.now.played")
        tunings = {}
        for i, notes in (r.tunings or {}).items():
            instrument = self._has_instrument(i, f"set.now.tunings.{i}")
            tuning = tuning_of(notes, f"set.now.tunings.{i}", instrument.home)
            if len(tuning) != instrument.strings:
                raise UserError(f"{len(tuning)} notes", f"set.now.tunings.{i}", f"{instrument.strings} notes")
            tunings[i] = tuning
        for i in r.capos or {}:
            self._has_instrument(i, f"set.now.capos.{i}")
        if r.in_hand is not None:
            self._has_instrument(r.in_hand, "set.now.in_hand")
        return Now(played, r.in_hand, tunings, r.capos or {})

    def _has_instrument(self, i: str, where: str) -> Instrument:
        if i not in self.instruments:
            raise UserError(f"unknown instrument {i!r}", where, _list(self.instruments))
        return self.instruments[i]


def _list(names: dict[str, Instrument]) -> str:
    return "one of " + ", ".join(names)


def _as_dict(costs: Costs) -> dict[str, float]:
    return {k: getattr(costs, k) for k in costs.__dataclass_fields__}


def _unique(ids: list[str], where: str) -> None:
    seen: set[str] = set()
    for k, value in enumerate(ids):
        if value in seen:
            raise UserError(f"{value!r} stands twice", f"{where}[{k}]", "each id once")
        seen.add(value)


def tuning_of(value: str | list[str], where: str, home: Tuning | None = None) -> Tuning:
    """A tuning in any of the ways that players write one; a list may hold letters without octaves."""
    try:
        if isinstance(value, str):
            return parse_tuning(value, home)
        if any(any(c.isdigit() for c in note) for note in value):
            return parse_notes(" ".join(value))
        return parse_tuning(" ".join(value), home)
    except UserError as error:
        raise UserError(error.what, where, error.allowed) from None

