"""The parts of a retune's price, for one string or for whole arrays; compiled code calls them too (docs/planning.md)."""

from __future__ import annotations

from typing import Any


def handling_s(base_s: Any, check_s: Any, strings: Any) -> Any:
    """Seconds that any retune of an instrument takes: taking it up, and checking every string."""
    return base_s + check_s * strings


def turning_s(string_s: Any, semitone_s: Any, passes: Any, semitones: Any) -> Any:
    """Seconds of moving one string by so many semitones (>= 0), in every pass."""
    return passes * (string_s + semitone_s * semitones)
