"""Text that a player types into a field, as values, with errors that say what is allowed."""

from __future__ import annotations

import math
import re

from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import parse_tuning
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import pretty
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


def tuning(text: str, strings: int) -> Tuning:
    """A tuning by name or notes for so many strings."""
    value = parse_tuning(text.replace("♯", "#").replace("♭", "b"))
    if len(value) != strings:
        raise UserError(f"{len(value)} notes", allowed=f"{strings} notes")
    return value


def show_tuning(value: Tuning) -> str:
    return pretty(name_tuning(value).name)


def show_notes(value: Tuning) -> str:
    return pretty(str(value))


def used_strings(text: str, strings: int) -> tuple[int, ...]:
    """String numbers from `6 5 4`; `all` or nothing for all."""
    if text.strip().lower() in ("", "all"):
        return ()
    return tuple(dict.fromkeys(whole(part, 1, strings) for part in re.split(r"[\s,]+", text.strip())))


def show_used(used: tuple[int, ...]) -> str:
    return " ".join(str(s) for s in used) if used else "all"
