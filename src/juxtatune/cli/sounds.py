"""measure and reference: what a sound file holds."""

from __future__ import annotations

from pathlib import Path
from statistics import median
from typing import Any

from juxtatune.cli.out import answer, num, say, warn
from juxtatune.core.errors import CannotTell, UserError
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning
from juxtatune.devices.sound_file import Sound, read_sound


def targets_of(tuning: str | None, source: str | None, a4: float, offset: float) -> Targets:
    """What to listen for, from the options of a command."""
    goal = parse_tuning(tuning) if tuning is not None else None
    start = parse_tuning(source) if source is not None else None
    if start is not None and goal is None:
        raise UserError("--from without --tuning", "--from", "both together")
    if start is not None and goal is not None and len(start) != len(goal):
        raise UserError(
            f"{len(start)} strings to come from, {len(goal)} to go to", "--from", "as many strings"
        )
    return Targets(goal, start, Reference(a4, offset))


def load(path: Path) -> Sound:
    sound = read_sound(path)
    if sound.warning:
        warn(sound.warning)
    return sound


def pluck_row(r: Reading) -> dict[str, Any]:
    """One pluck as the command line shows it."""
    row: dict[str, Any] = {
        "start_s": num(r.start),
        "end_s": num(r.end),
        "string": r.string,
        "target": str(r.target) if r.target is not None else None,
        "target_hz": num(r.target_hz),
        "hz": num(r.f1),
        "note": str(r.note) if r.note is not None else None,
        "cents": num(r.cents),
        "uncertainty_cents": num(r.sigma_cents),
        "attack_cents": num(r.attack_cents),
        "confidence": num(r.confidence),
    }
    if r.also:
        row["also"] = list(r.also)
    if r.problem:
        row["problem"] = r.problem
    return row


def measure(path: Path, targets: Targets, strum: bool, as_json: bool) -> None:
    from juxtatune.core.listening.pipeline import analyse
    from juxtatune.core.listening.strum.read import read_strum

    if strum and targets.tuning is None:
        raise UserError("--strum without --tuning", "--strum", "the tuning that is strummed")
    sound = load(path)
    channel = sound.clearest()
    readings = [] if strum else analyse(channel, sound.rate, targets)
    result: dict[str, Any] = {
        "file": str(path),
        "sample_rate": sound.rate,
        "a4": num(targets.reference.a4),
        "offset_cents": num(targets.reference.offset_cents),
        "plucks": [pluck_row(r) for r in readings],
        "strings": _strum_rows(read_strum(channel, sound.rate, targets), targets)
        if strum
        else _string_rows(readings, targets),
    }
    if as_json:
        answer(result)
    else:
        _show(result)


def _string_rows(readings: list[Reading], targets: Targets) -> list[dict[str, Any]]:
    if targets.tuning is None:
        return []
    rows = []
    for string in targets.tuning.strings:
        cents = [r.cents for r in readings if r.string == string and r.cents is not None]
        rows.append({
            "string": string, "target": str(targets.tuning.note(string)),
            "cents": num(median(cents)) if cents else None, "plucks": len(cents),
        })  # fmt: skip
    return rows


def _strum_rows(readings: list[Any], targets: Targets) -> list[dict[str, Any]]:
    assert targets.tuning is not None
    rows = []
    for r in readings:
        row = {
            "string": r.string, "target": str(targets.tuning.note(r.string)), "cents": num(r.cents),
            "confidence": num(r.confidence), "uncertainty_cents": num(r.sigma_cents),
            "plucks": 0 if r.cents is None else 1,
        }  # fmt: skip
        if r.also:
            row["also"] = list(r.also)
        if r.problem:
            row["problem"] = r.problem
        rows.append(row)
    return rows


def _show(result: dict[str, Any]) -> None:
    for p in result["plucks"]:
        say(pluck_line(p))
    for s in result["strings"]:
        cents = "not heard" if s["cents"] is None else f"{s['cents']:+.2f} ¢"
        say(f"string {s['string']}  {s['target']}  {cents}")
    if not result["plucks"] and not result["strings"]:
        say("no string is heard")


def pluck_line(p: dict[str, Any]) -> str:
    if p["hz"] is None:
        return f"{p['start_s']:8.3f} s  cannot be read: {p['problem']}"
    where = f"string {p['string']} ({p['target']})" if p["string"] is not None else p["note"]
    return (
        f"{p['start_s']:8.3f} s  {where}  {p['hz']:.3f} Hz  {p['cents']:+.2f} ¢ ±{p['uncertainty_cents']:.2f}"
    )


def reference(path: Path, as_json: bool) -> None:
    from juxtatune.core.listening.reference.offset import reference_offset

    sound = load(path)
    found = reference_offset(sound.clearest(), sound.rate)
    if isinstance(found, CannotTell):
        result = {"offset_cents": None, "a4": None, "confidence": 0.0, "problem": found.reason}
    else:
        result = {"offset_cents": num(found.cents), "a4": num(found.a4), "confidence": num(found.confidence)}
    if as_json:
        answer(result)
    elif result["offset_cents"] is None:
        say(str(result["problem"]))
    else:
        say(f"{result['offset_cents']:+.2f} ¢ from A4 = 440 (A4 = {result['a4']:.2f} Hz)")
