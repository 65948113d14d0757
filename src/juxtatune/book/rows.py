"""Values to table rows and back."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from juxtatune.book.formats.extras import SetupRow, details_json, setup_json, setup_of, stored_details
from juxtatune.book.state import BookState, KeptOrder, NightRecord, OwnTuning
from juxtatune.core.music.tuning import parse_notes
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.repertoire.night import Night, Now, Part, Pin
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.strings.instrument import Costs, Instrument

COLUMNS = {
    "instrument": ("id", "position", "name", "strings", "bridge", "home", "tuning", "costs", "setup"),
    "song": ("id", "position", "title", "length_s", "energy", "ways", "details"),
    "night": ("id", "position", "name", "guitars", "slots", "rules"),
    "kept_order": ("id", "position", "night", "name", "slots"),
    "tuning": ("id", "position", "name", "notes"),
}
WHOLE, NUMBERS = ("position", "strings"), ("length_s", "energy")
Row = tuple[Any, ...]


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def entities(state: BookState) -> dict[str, tuple[Any, ...]]:
    """What each table holds, in order."""
    return {
        "instrument": state.instruments, "song": state.songs, "night": state.nights, "kept_order": state.kept,
        "tuning": state.tunings,
    }  # fmt: skip


def state_of(found: dict[str, tuple[Any, ...]]) -> BookState:
    """The state that the entities of all tables make."""
    return BookState(found["instrument"], found["song"], found["night"], found["kept_order"], found["tuning"])


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
    costs, setup = _json(asdict(i.costs)), _json(setup_json(i.setup))
    return (i.id, k, i.name, i.strings, i.bridge, str(i.home), str(i.tuning), costs, setup)


def _instrument(r: Row) -> Instrument:
    setup = setup_of(SetupRow.model_validate(json.loads(r[8])), r[3])
    return Instrument(r[0], r[2], r[3], r[4], parse_notes(r[5]), parse_notes(r[6]), Costs(**json.loads(r[7])), setup)


def _song_row(k: int, s: Song) -> Row:
    ways = [
        {"instrument": w.instrument, "tuning": str(w.tuning), "capo": w.capo,
         "strings_used": list(w.strings_used), "compromise_s": w.compromise_s, **({"refingered": True} if w.refingered else {})}
        for w in s.ways
    ]  # fmt: skip
    return (s.id, k, s.title, s.length_s, s.energy, _json(ways), _json(details_json(s.details)))


def _song(r: Row) -> Song:
    ways = tuple(
        Way(w["instrument"], parse_notes(w["tuning"]), w["capo"], tuple(w["strings_used"]), w["compromise_s"],
            w.get("refingered", False))
        for w in json.loads(r[5])
    )
    return Song(r[0], r[2], r[3], r[4], ways, stored_details(json.loads(r[6])))


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
        "broken": {i: list(s) for i, s in now.broken.items()},
    }  # fmt: skip


def _now(x: Any) -> Now | None:
    if x is None:
        return None
    tunings = {i: parse_notes(t) for i, t in x["tunings"].items()}
    broken = {i: tuple(s) for i, s in x.get("broken", {}).items()}
    return Now(tuple(x["played"]), x["in_hand"], tunings, x["capos"], broken)


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


def _tuning_row(k: int, t: OwnTuning) -> Row:
    return (t.id, k, t.name, str(t.tuning))


def _tuning(r: Row) -> OwnTuning:
    return OwnTuning(r[0], r[2], parse_notes(r[3]))


WRITERS: dict[str, Callable[[int, Any], Row]] = {
    "instrument": _instrument_row, "song": _song_row, "night": _night_row, "kept_order": _kept_row,
    "tuning": _tuning_row,
}  # fmt: skip
READERS: dict[str, Callable[[Row], Any]] = {
    "instrument": _instrument, "song": _song, "night": _night, "kept_order": _kept, "tuning": _tuning,
}  # fmt: skip
