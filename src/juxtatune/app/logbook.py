"""The log in words and figures: what happened, and what it teaches. Values in, values out."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from juxtatune.app.tune import half_steps
from juxtatune.app.tuning_names import show_tuning
from juxtatune.book.log_query import LogRow
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.logbook.events import Log, ReadingEvent, RetuneEvent, TimedEvent
from juxtatune.core.logbook.learned import InstrumentLearned
from juxtatune.core.music.tuning import parse_notes
from juxtatune.core.strings.instrument import Instrument

HAPPENED = ("retune", "song", "taken", "unchecked", "cut", "called", "string_broken", "guitar_out", "guitar_back", "less_time",
            "rest", "new_strings", "calibration", "identified", "note", "strum")  # fmt: skip
TAUGHT = ("base_s", "string_s", "semitone_s", "check_s", "passes", "swap_s", "capo_s")


@dataclass(frozen=True)
class LogLine:
    """A row of the log as it is read."""

    number: int
    at: str
    guitar: str
    song: str
    words: str


def lines(rows: Iterable[LogRow], state: BookState) -> tuple[LogLine, ...]:
    notes: dict[int, list[str]] = {}
    rows = list(rows)
    for r in rows:
        if r.kind == "note" and isinstance(r.data.get("about"), int):
            notes.setdefault(r.data["about"], []).append(str(r.data.get("text", "")))
    return tuple(_line(r, state, notes.get(r.number, [])) for r in rows)


def _line(r: LogRow, state: BookState, notes: list[str]) -> LogLine:
    words = WORDS[r.kind](r.data, state) if r.kind in WORDS else r.kind.replace("_", " ")
    corrected = "".join(f" (noted: {n})" for n in notes)
    return LogLine(r.number, when(r.at), guitar_of(r.data, state), song_of(r.data, state), words + corrected)


def when(at: str) -> str:
    try:
        return datetime.fromisoformat(at).strftime("%Y-%m-%d %H:%M")
    except ValueError:
        return at


def guitar_of(data: dict[str, Any], state: BookState) -> str:
    found = next((i.name for i in state.instruments if i.id == data.get("instrument")), None)
    return found if found is not None else str(data.get("instrument") or "")


def song_of(data: dict[str, Any], state: BookState) -> str:
    found = next((s.title for s in state.songs if s.id == data.get("song")), None)
    return found if found is not None else str(data.get("song") or "")


def tuning_of(text: Any) -> str:
    try:
        return show_tuning(parse_notes(str(text)))
    except UserError:
        return str(text)


def _retune(d: dict[str, Any], _: BookState) -> str:
    moved = ", ".join(f"{m['string']}: {half_steps(m['semitones'])}" for m in d.get("moved", ()))
    seconds = f", {d['seconds']:.0f} s" if d.get("seconds") else ""
    passes = f", {d['passes']} passes" if d.get("passes", 1) > 1 else ""
    return f"retuned to {tuning_of(d.get('to'))}{seconds}{passes}" + (f" ({moved})" if moved else "")


def _strum(d: dict[str, Any], _: BookState) -> str:
    cents = [abs(c) for c in d.get("cents", {}).values()]
    return f"{len(cents)} strings read from a strum, worst {max(cents):.1f} ¢" if cents else "a strum was not told"


def _played(d: dict[str, Any], _: BookState) -> str:
    if "gap_s" not in d:
        return "played"
    return f"played; the gap before it took {d['gap_s']:.0f} s, {d['dead_s']:.0f} s dead air, planned {d['planned_dead_s']:.0f} s"


Words = Callable[[dict[str, Any], BookState], str]
WORDS: dict[str, Words] = {
    "retune": _retune, "strum": _strum, "song": _played,
    "taken": lambda d, _: f"string {d.get('string')} taken as it was",
    "unchecked": lambda d, _: f"played without its check, in {tuning_of(d.get('to'))}",
    "cut": lambda d, _: "cut", "called": lambda d, _: "called for, out of turn",
    "string_broken": lambda d, _: f"string {d.get('string')} broke", "guitar_out": lambda d, _: "out for the night",
    "guitar_back": lambda d, _: "back", "less_time": lambda d, _: f"{d.get('seconds', 0) / 60:.0f} minutes less",
    "rest": lambda d, _: "the singer rests", "new_strings": lambda d, _: "new strings",
    "calibration": lambda d, _: "its bridge was learned", "identified": lambda d, _: f"heard to be in {tuning_of(d.get('tuning'))}",
    "note": lambda d, _: str(d.get("text", "")), "pluck": lambda d, _: f"string {d.get('string')}: {d.get('cents', 0):+.1f} ¢",
}  # fmt: skip


# -- what it teaches
def events(rows: Sequence[LogRow], state: BookState) -> Log:
    """The log as the learner reads it, oldest first."""
    guitars = {i.id: i for i in state.instruments}
    retunes: list[RetuneEvent] = []
    timed: list[TimedEvent] = []
    readings: list[ReadingEvent] = []
    moved: dict[tuple[str, int], str] = {}  # which way each string last went
    for r in sorted(rows, key=lambda row: row.number):
        guitar, d = guitars.get(str(r.data.get("instrument"))), r.data
        if guitar is None:
            continue
        if r.kind == "retune" and d.get("moved"):
            changes = tuple((int(m["string"]), float(m["semitones"])) for m in d["moved"])
            moved |= {(guitar.id, s): "up" if by > 0 else "down" for s, by in changes}
            if d.get("seconds"):
                retunes.append(RetuneEvent(guitar.id, changes, float(d.get("passes", 1)), int(d.get("checked", guitar.strings)),
                                           float(d["seconds"]), guitar.bridge, guitar.strings))  # fmt: skip
        elif r.kind in ("swap", "capo") and d.get("seconds"):
            timed.append(TimedEvent(r.kind, guitar.id, float(d["seconds"])))
        elif r.kind == "strum":
            for string, cents in d.get("cents", {}).items():
                way = moved.get((guitar.id, int(string)))
                readings.append(ReadingEvent(guitar.id, int(string), float(cents), "song", way, bool(d.get("arm_work"))))
    named = tuple(dict.fromkeys([e.instrument for e in retunes] + [e.instrument for e in timed] + [e.instrument for e in readings]))
    return Log(tuple(retunes), tuple(timed), tuple(readings), named)


def taken(guitar: Instrument, found: InstrumentLearned) -> Instrument:
    """The guitar with the costs that its log teaches."""
    values = {name: round(found.costs[name].value, 2) for name in TAUGHT}
    return replace(guitar, costs=replace(guitar.costs, **values))
