"""Text that a player types into a field, as values, with errors that say what is allowed."""

from __future__ import annotations

import math
import re
from dataclasses import replace

from juxtatune.app.tuning_names import own_names
from juxtatune.app.tuning_names import show_tuning as show_tuning
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning


def number(text: str, low: float = 0.0, high: float = 1e6) -> float:
    try:
        value = float(text.strip().replace(",", ".").replace("−", "-"))
    except ValueError:
        raise UserError(f"{text!r} is not a number", allowed=f"{low:g} to {high:g}") from None
    if not (math.isfinite(value) and low <= value <= high):
        raise UserError(f"{text!r} is out of range", allowed=f"{low:g} to {high:g}")
    return value


def whole(text: str, low: int, high: int) -> int:
    value = number(text, low, high)
    if value != int(value):
        raise UserError(f"{text!r} is not a whole number", allowed=f"{low} to {high}")
    return int(value)


def length(text: str) -> float:
    """Seconds from `3:35` or `215`."""
    match = re.fullmatch(r"\s*(\d+):([0-5]?\d)\s*", text)
    return int(match[1]) * 60.0 + int(match[2]) if match else number(text, 0, 36000)


def show_length(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def words(text: str) -> str:
    if not text.strip():
        raise UserError("the text is empty", allowed="at least one letter")
    return text.strip()


def tuning(text: str, strings: int | None, home: Tuning | None = None) -> Tuning:
    """A tuning as players write one, for so many strings; letters take the octaves nearest to the home tuning."""
    value = own_names.lookup(text) or parse_tuning(text, home)
    if strings is not None and len(value) != strings:
        raise UserError(f"{text.strip()[:40]!r} has {len(value)} notes", allowed=f"{strings} notes, one a string")
    return value


def show_notes(value: Tuning) -> str:
    """The notes, with cents that all of them share said once: `D2 A2 D3 +30`."""
    shifts = {note.shift for note in value.notes}
    if len(shifts) > 1 or shifts == {0.0}:
        return pretty(str(value))
    plain = " ".join(str(replace(note, shift=0.0)) for note in value.notes)
    return pretty(f"{plain} {shifts.pop():+g}")


def used_strings(text: str, strings: int) -> tuple[int, ...]:
    """String numbers: `6 5 4`, `654`, `6-4`; `all` or nothing for all."""
    plain = text.strip().lower().replace("–", "-")
    if plain in ("", "all"):
        return ()
    out: list[int] = []
    for part in re.split(r"[\s,+]+", plain):
        ends = re.fullmatch(r"(\d+)-(\d+)", part)
        if ends:
            first, last = whole(ends[1], 1, strings), whole(ends[2], 1, strings)
            out += range(first, last + (1 if last > first else -1), 1 if last > first else -1)
        elif part.isdigit() and len(part) > 1 and int(part) > strings:
            out += [whole(digit, 1, strings) for digit in part]  # 654: three strings in one word
        else:
            out.append(whole(part, 1, strings))
    used = tuple(dict.fromkeys(out))
    return () if len(used) == strings else used


def show_used(used: tuple[int, ...]) -> str:
    return " ".join(str(s) for s in used) if used else "all"
