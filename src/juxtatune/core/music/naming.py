"""Names for tunings, also ones never seen: a shape that is moved as a whole keeps its name, the rest are their notes.

Whatever is printed here reads back through `reading.parse_tuning` to the same pitches.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.families import FAMILIES, Family
from juxtatune.core.music.notes import spell
from juxtatune.core.music.tuning import Tuning, same_pitches


@dataclass(frozen=True)
class TuningName:
    """A name; the family that the tuning is a whole shift of, by how many half steps (up is positive), and its cents."""

    name: str
    shape: str | None
    moved: int
    shift_cents: float = 0.0


@lru_cache(maxsize=4096)
def name_tuning(tuning: Tuning) -> TuningName:
    """Names any tuning: from the catalogue, by its family, else by its notes."""
    shift = _common_shift(tuning)
    plain = tuning.moved(-shift / 100) if shift else tuning
    found = _family_of(plain)
    name = _catalogue_name(plain) or (_family_name(plain, *found) if found else None) or str(plain)
    if shift:
        name = f"{name}, {abs(shift):.10g} ¢ {'up' if shift > 0 else 'down'}"
    return TuningName(name, found[0].name if found else None, found[1] if found else 0, shift)


def half_steps_words(steps: int) -> str:
    """`a half step down`, `3 half steps up`."""
    count = "a half step" if abs(steps) == 1 else f"{abs(steps)} half steps"
    return f"{count} {'up' if steps > 0 else 'down'}"


def nearest_named(tuning: Tuning, most: int = 5) -> list[tuple[str, float]]:
    """Tunings of the catalogue with as many strings, nearest first: (name, half steps moved in all).

    The home of the tuning's own family is always among them.
    """
    own = name_tuning(tuning).shape
    rows = []
    for entry in CATALOGUE:
        if len(entry.tuning) == len(tuning):
            moved = sum(abs(a - b) for a, b in zip(entry.tuning.pitches, tuning.pitches, strict=True))
            if moved > 1e-6:
                rows.append((entry.name, round(moved, 6)))
    rows.sort(key=lambda r: r[1])
    return [*rows[:most], *(r for r in rows[most:] if r[0] == own)]


def _common_shift(tuning: Tuning) -> float:
    """Cents off tempered notes that all strings share, above -50 and to 50; else 0."""
    pitches = [round(p, 6) for p in tuning.pitches]
    shifts = {round(100 * (p - math.ceil(p - 0.5)), 4) for p in pitches}
    return shifts.pop() if len(shifts) == 1 else 0.0


def _catalogue_name(tuning: Tuning) -> str | None:
    for entry in CATALOGUE:
        if same_pitches(entry.tuning, tuning):
            matching = [a for a in (entry.name, *entry.aliases) if _spelled_alike(a, tuning)]
            return matching[0] if matching else entry.name
    return None


def _spelled_alike(label: str, tuning: Tuning) -> bool:
    wants_flat, wants_sharp = "b " in label or label.endswith("b"), "#" in label
    return (
        (wants_flat and tuning.flats) or (wants_sharp and not tuning.flats) or not (wants_flat or wants_sharp)
    )


def _family_of(tuning: Tuning) -> tuple[Family, int] | None:
    for f in FAMILIES:
        if tuning.intervals == f.tuning.intervals:
            return f, round(tuning.pitches[0] - f.tuning.pitches[0])
    return None


def _family_name(tuning: Tuning, f: Family, moved: int) -> str:
    if moved == 0:
        return f.name
    if abs(moved) > 12:
        return str(tuning)
    if f.pattern and f.low <= moved <= f.high:
        letter = spell(tuning.pitch(f.root), tuning.flats, keep_shift=False).letter_name()
        return f.pattern.format(letter)
    return f"{f.name}, {half_steps_words(moved)}"
