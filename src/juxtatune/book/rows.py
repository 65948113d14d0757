"""Values to table rows and back."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from juxtatune.book.state import BookState, NightRecord
from juxtatune.core.music.tuning import parse_notes
from juxtatune.core.planning.plan import Slot
from juxtatune.core.repertoire.night import Night, Part, Pin
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.strings.instrument import Costs, Instrument

COLUMNS = {
    "instrument": ("id", "position", "name", "strings", "bridge", "home", "tuning", "costs"),
    "song": ("id", "position", "title", "length_s", "energy", "ways"),
    "night": ("id", "position", "name", "guitars", "slots", "rules"),
}
Row = tuple[Any, ...]


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def rows_of(state: BookState) -> dict[str, dict[str, Row]]:
    """Every table as rows by id."""
    return {
        "instrument": {i.id: _instrument_row(k, i) for k, i in enumerate(state.instruments)},
        "song": {s.id: _song_row(k, s) for k, s in enumerate(state.songs)},
        "night": {n.id: _night_row(k, n) for k, n in enumerate(state.nights)},
    }


def state_of(tables: dict[str, list[Row]]) -> BookState:
    """A book's state from its rows, in order of position."""
    return BookState(
        tuple(_instrument(r) for r in tables["instrument"]),
        tuple(_song(r) for r in tables["song"]),
        tuple(_night(r) for r in tables["night"]),
    )


def _instrument_row(k: int, i: Instrument) -> Row:
    return (i.id, k, i.name, i.strings, i.bridge, str(i.home), str(i.tuning), _json(asdict(i.costs)))


def _instrument(r: Row) -> Instrument:
    return Instrument(r[0], r[2], r[3], r[4], parse_notes(r[5]), parse_notes(r[6]), Costs(**json.loads(r[7])))


def _song_row(k: int, s: Song) -> Row:
    ways = [
        {"instrument": w.instrument, "tuning": str(w.tuning), "capo": w.capo,
         "strings_used": list(w.strings_used), "compromise_s": w.compromise_s}
        for w in s.ways
    ]  # fmt: skip
    return (s.id, k, s.title, s.length_s, s.energy, _json(ways))


def _song(r: Row) -> Song:
    ways = tuple(
        Way(w["instrument"], parse_notes(w["tuning"]), w["capo"], tuple(w["strings_used"]), w["compromise_s"])
        for w in json.loads(r[5])
    )
    return Song(r[0], r[2], r[3], r[4], ways)


def _night_row(k: int, n: NightRecord) -> Row:
    rules = {
        "parts": [[p.name, p.songs] for p in n.rules.parts], "tech": n.rules.tech, "cover_s": n.rules.cover_s,
        "cover_after": dict(n.rules.cover_after), "pins": [[p.song, p.part, p.place] for p in n.rules.pins],
        "before": n.rules.before, "adjacent": n.rules.adjacent, "apart": n.rules.apart,
        "max_dead_s": n.rules.max_dead_s, "curve": n.rules.curve, "curve_weight_s": n.rules.curve_weight_s,
    }  # fmt: skip
    slots = [[s.song, s.part, s.way] for s in n.slots]
    return (n.id, k, n.name, _json(list(n.guitars)), _json(slots), _json(rules))


def _night(r: Row) -> NightRecord:
    x = json.loads(r[5])

    def pairs(key: str) -> tuple[tuple[str, str], ...]:
        return tuple((a, b) for a, b in x[key])

    rules = Night(
        parts=tuple(Part(name, songs) for name, songs in x["parts"]), tech=x["tech"], cover_s=x["cover_s"],
        cover_after=x["cover_after"], pins=tuple(Pin(*p) for p in x["pins"]), before=pairs("before"),
        adjacent=pairs("adjacent"), apart=pairs("apart"), max_dead_s=x["max_dead_s"],
        curve=tuple(x["curve"]) if x["curve"] is not None else None, curve_weight_s=x["curve_weight_s"],
    )  # fmt: skip
    slots = tuple(Slot(*s) for s in json.loads(r[4]))
    return NightRecord(r[0], r[2], tuple(json.loads(r[3])), slots, rules)
