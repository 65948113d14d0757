"""Values to table rows and back."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from juxtatune.book.state import BookState, KeptOrder, NightRecord
from juxtatune.core.music.tuning import parse_notes
from juxtatune.core.planning.plan import Slot
from juxtatune.core.repertoire.night import Night, Now, Part, Pin
from juxtatune.core.repertoire.song import Details, Section, Song, Way
from juxtatune.core.strings.instrument import Costs, Instrument

COLUMNS = {
    "instrument": ("id", "position", "name", "strings", "bridge", "home", "tuning", "costs"),
    "song": ("id", "position", "title", "length_s", "energy", "ways", "details"),
    "night": ("id", "position", "name", "guitars", "slots", "rules"),
    "kept_order": ("id", "position", "night", "name", "slots"),
}
WHOLE, NUMBERS = ("position", "strings"), ("length_s", "energy")
Row = tuple[Any, ...]


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def entities(state: BookState) -> dict[str, tuple[Any, ...]]:
    """What each table holds, in order."""
    return {"instrument": state.instruments, "song": state.songs, "night": state.nights, "kept_order": state.kept}


def row_of(table: str, position: int, entity: Any) -> Row:
    """One entity as a row of its table."""
    return WRITERS[table](position, entity)


def entity_of(table: str, row: Row) -> Any:
    """The entity that a row holds. Raises ValueError, or whatever else a damaged row leads to."""
    for column, value in zip(COLUMNS[table], row, strict=True):
        wanted = int if column in WHOLE else (int, float) if column in NUMBERS else str
        if not isinstance(value, wanted):
            raise ValueError(f"{column} is no {'number' if wanted is not str else 'text'}")
    return READERS[table](row)


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
    return (s.id, k, s.title, s.length_s, s.energy, _json(ways), _json(_details_json(s.details)))


def _details_json(d: Details) -> dict[str, Any]:
    """What differs from the defaults, so that most songs keep nothing."""
    row = {
        "key": d.key, "tempo": d.tempo, "cue": d.cue, "notes": d.notes, "matters": d.matters, "shakes": d.shakes,
        "down": d.down, "up": d.up, "passage": d.passage, "passage_capo": d.passage_capo,
        "passage_tuning": str(d.passage_tuning) if d.passage_tuning is not None else None,
        "sections": [[s.name, list(s.strings_used)] for s in d.sections],
    }  # fmt: skip
    plain = Details()
    return {k: v for k, v in row.items() if v and v != getattr(plain, k)}


def _details(text: str) -> Details:
    x = json.loads(text)
    tuning = x.pop("passage_tuning", None)
    sections = tuple(Section(name, tuple(used)) for name, used in x.pop("sections", ()))
    return Details(**x, passage_tuning=parse_notes(tuning) if tuning else None, sections=sections)


def _song(r: Row) -> Song:
    ways = tuple(
        Way(w["instrument"], parse_notes(w["tuning"]), w["capo"], tuple(w["strings_used"]), w["compromise_s"])
        for w in json.loads(r[5])
    )
    return Song(r[0], r[2], r[3], r[4], ways, _details(r[6]))


def _night_row(k: int, n: NightRecord) -> Row:
    rules = {
        "parts": [[p.name, p.songs] for p in n.rules.parts], "tech": n.rules.tech, "cover_s": n.rules.cover_s,
        "cover_after": dict(n.rules.cover_after), "pins": [[p.song, p.part, p.place] for p in n.rules.pins],
        "before": n.rules.before, "adjacent": n.rules.adjacent, "apart": n.rules.apart,
        "max_dead_s": n.rules.max_dead_s, "curve": n.rules.curve, "curve_weight_s": n.rules.curve_weight_s,
        "now": _now_json(n.rules.now),
    }  # fmt: skip
    return (n.id, k, n.name, _json(list(n.guitars)), _slots_json(n.slots), _json(rules))


def _slots_json(slots: tuple[Slot, ...]) -> str:
    return _json([[s.song, s.part, s.way] for s in slots])


def _slots(text: str) -> tuple[Slot, ...]:
    return tuple(Slot(*s) for s in json.loads(text))


def _now_json(now: Now | None) -> Any:
    if now is None:
        return None
    return {
        "played": list(now.played), "in_hand": now.in_hand,
        "tunings": {i: str(t) for i, t in now.tunings.items()}, "capos": dict(now.capos),
    }  # fmt: skip


def _now(x: Any) -> Now | None:
    if x is None:
        return None
    tunings = {i: parse_notes(t) for i, t in x["tunings"].items()}
    return Now(tuple(x["played"]), x["in_hand"], tunings, x["capos"])


def _night(r: Row) -> NightRecord:
    x = json.loads(r[5])

    def pairs(key: str) -> tuple[tuple[str, str], ...]:
        return tuple((a, b) for a, b in x[key])

    rules = Night(
        parts=tuple(Part(name, songs) for name, songs in x["parts"]), tech=x["tech"], cover_s=x["cover_s"],
        cover_after=x["cover_after"], pins=tuple(Pin(*p) for p in x["pins"]), before=pairs("before"),
        adjacent=pairs("adjacent"), apart=pairs("apart"), max_dead_s=x["max_dead_s"],
        curve=tuple(x["curve"]) if x["curve"] is not None else None, curve_weight_s=x["curve_weight_s"],
        now=_now(x.get("now")),
    )  # fmt: skip
    return NightRecord(r[0], r[2], tuple(json.loads(r[3])), _slots(r[4]), rules)


def _kept_row(k: int, o: KeptOrder) -> Row:
    return (o.id, k, o.night, o.name, _slots_json(o.slots))


def _kept(r: Row) -> KeptOrder:
    return KeptOrder(r[0], r[2], r[3], _slots(r[4]))


WRITERS: dict[str, Callable[[int, Any], Row]] = {
    "instrument": _instrument_row, "song": _song_row, "night": _night_row, "kept_order": _kept_row,
}  # fmt: skip
READERS: dict[str, Callable[[Row], Any]] = {
    "instrument": _instrument, "song": _song, "night": _night, "kept_order": _kept,
}  # fmt: skip
