"""A log as JSON, format 1: what is read of it for learning."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from juxtatune.book.formats.gig import Id, Seconds, first_error
from juxtatune.book.formats.json_text import parsed, text_of
from juxtatune.core.errors import UserError
from juxtatune.core.logbook.events import Log, ReadingEvent, RetuneEvent, TimedEvent

MOST_BYTES, MOST_EVENTS = 100_000_000, 500_000
ALLOWED = "a log, format 1: format, version, events"
Steps = Annotated[float, Field(strict=True, ge=-36, le=36, allow_inf_nan=False)]
Cents = Annotated[float, Field(strict=True, ge=-2400, le=2400, allow_inf_nan=False)]
String = Annotated[int, Field(strict=True, ge=1, le=12)]


class _Row(BaseModel):
    model_config = ConfigDict(extra="ignore")


class MoveRow(_Row):
    string: String
    semitones: Steps


class RetuneRow(_Row):
    instrument: Id
    seconds: Seconds
    changes: Annotated[list[MoveRow], Field(max_length=12)]
    passes: Annotated[float, Field(strict=True, ge=0, le=100, allow_inf_nan=False)] | None = None
    checked: Annotated[int, Field(strict=True, ge=0, le=1000)] | None = None
    bridge: Literal["fixed", "dive-only", "floating"] | None = None
    strings: Annotated[int, Field(strict=True, ge=4, le=12)] | None = None


class SwapRow(_Row):
    to: Id
    seconds: Seconds


class CapoRow(_Row):
    instrument: Id
    seconds: Seconds


class ReadingRow(_Row):
    instrument: Id
    string: String
    cents: Cents
    after: Literal["retune", "song"] | None = None
    direction: Literal["up", "down"] | None = None
    arm_work: Annotated[bool, Field(strict=True)] | None = None


class StringsRow(_Row):
    instrument: Id


KINDS: dict[str, type[_Row]] = {
    "retune": RetuneRow, "swap": SwapRow, "capo": CapoRow, "reading": ReadingRow, "new_strings": StringsRow,
}  # fmt: skip


def read_log(path: Path) -> tuple[Log, list[str]]:
    """The log and warnings of what was passed over. Raises UserError naming the file and the event."""
    text = text_of(path, MOST_BYTES, ALLOWED)
    try:
        return parse_log(text)
    except UserError as error:
        raise error.at(str(path)) from None


def parse_log(text: str) -> tuple[Log, list[str]]:
    data = parsed(text, ALLOWED)
    if not isinstance(data, dict) or data.get("format") != "juxtatune-log":
        raise UserError("this is no log", "format", "'juxtatune-log'")
    if data.get("version") != 1 or isinstance(data.get("version"), bool):
        raise UserError("another version", "version", "1")
    events = data.get("events")
    if not isinstance(events, list) or len(events) > MOST_EVENTS:
        raise UserError("no list of events", "events", f"a list of at most {MOST_EVENTS}")
    return _log(events)


def _log(events: list[Any]) -> tuple[Log, list[str]]:
    found: dict[str, list[Any]] = {"retune": [], "timed": [], "reading": []}
    names: dict[str, None] = {}
    unknown: dict[str, int] = {}
    for k, event in enumerate(events):
        kind = event.get("kind") if isinstance(event, dict) else None
        if not isinstance(kind, str):
            raise UserError("an event without a kind", f"events[{k}]", "an object with a kind")
        model = KINDS.get(kind)
        if model is None:
            unknown[kind[:40]] = unknown.get(kind[:40], 0) + 1
            continue
        try:
            row = model.model_validate(event)
        except ValidationError as error:
            raise first_error(error, event).at(f"events[{k}]") from None
        names[row.to if isinstance(row, SwapRow) else row.instrument] = None  # type: ignore[attr-defined]
        _take(row, found)
    warnings = [f"{n} events of an unknown kind {kind!r} are passed over" for kind, n in unknown.items()]
    return Log(tuple(found["retune"]), tuple(found["timed"]), tuple(found["reading"]), tuple(names)), warnings


def _take(row: _Row, found: dict[str, list[Any]]) -> None:
    if isinstance(row, RetuneRow):
        bridge, strings = row.bridge or "fixed", row.strings or 6
        passes = row.passes if row.passes is not None else 1.0
        moves = tuple((m.string, m.semitones) for m in row.changes)
        checked = row.checked if row.checked is not None else strings
        found["retune"].append(RetuneEvent(row.instrument, moves, passes, checked, row.seconds, bridge, strings))
    elif isinstance(row, SwapRow):
        found["timed"].append(TimedEvent("swap", row.to, row.seconds))
    elif isinstance(row, CapoRow):
        found["timed"].append(TimedEvent("capo", row.instrument, row.seconds))
    elif isinstance(row, ReadingRow):
        found["reading"].append(
            ReadingEvent(row.instrument, row.string, row.cents, row.after or "", row.direction, bool(row.arm_work))
        )
