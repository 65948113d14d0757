"""identify: what tuning is this?"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from juxtatune.cli.out import answer, num, say
from juxtatune.cli.sounds import load
from juxtatune.core.errors import UserError
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import pretty


def identify(path: Path, strum: bool, playing: bool, strings: int | None, as_json: bool) -> None:
    from juxtatune.core.listening.identify import identify_playing, identify_plucks, identify_strum

    if strum and playing:
        raise UserError("--strum and --playing", "options", "one of them")
    if strings is not None and not 4 <= strings <= 12:
        raise UserError(f"{strings} strings", "--strings", "4 to 12")
    sound = load(path)
    work = identify_strum if strum else identify_playing if playing else identify_plucks
    found = work(sound.clearest(), sound.rate, strings)
    tuning: dict[str, Any] | None = None
    if found.tuning is not None:
        tuning = {
            "name": name_tuning(found.tuning).name, "notes": found.tuning.names(), "offset_cents": num(found.offset_cents),
        }  # fmt: skip
    row: dict[str, Any] = {
        "tuning": tuning, "confidence": num(found.confidence),
        "strings": [
            {"string": s.string, "note": str(s.note), "hz": num(s.hz), "cents": num(s.cents)} for s in found.strings
        ] if found.tuning is not None else [],
        "lowest": {"note": str(found.lowest[0]), "hz": num(found.lowest[1])} if found.lowest else None,
        "candidates": [{"name": c.name, "confidence": num(c.confidence)} for c in found.candidates],
    }  # fmt: skip
    if found.tuning is None:
        row["offset_cents"] = num(found.offset_cents)
        row["problem"] = found.problem
    if as_json:
        answer(row)
    elif tuning is None:
        say(f"cannot be told: {found.problem}")
    else:
        say(pretty(f"{tuning['name']}, {tuning['offset_cents']:+.1f} ¢ ({' '.join(tuning['notes'])})"))
