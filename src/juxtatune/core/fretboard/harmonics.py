"""Harmonics of open strings: where they sound, and how far their just ratios lie off tempered notes.

Partial n of a string sounds n times its frequency: 1200 log2(n) cents above it (Mersenne's laws).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from juxtatune.core.music.notes import Note, spell
from juxtatune.core.music.tuning import Tuning

# partial: the usual fret, and all the places on a neck of 24 frets where it alone is left
PLACES: dict[int, tuple[float, tuple[float, ...]]] = {
    2: (12, (12,)), 3: (7, (7, 19)), 4: (5, (5, 24)), 5: (9, (4, 9, 16)), 6: (3.2, (3.2,)), 7: (2.7, (2.7,)), 8: (2.3, (2.3,)),
}  # fmt: skip


@dataclass(frozen=True)
class Harmonic:
    """One harmonic: the note nearest to it, and how many cents it lies off that note."""

    partial: int
    fret: float
    frets: tuple[float, ...]
    note: Note
    cents: float


def harmonics(tuning: Tuning) -> list[tuple[int, Note, list[Harmonic]]]:
    """(string, open note, partials 2 to 8) of every string, highest number first."""
    return [(s, tuning.note(s), [_harmonic(tuning, s, n) for n in PLACES]) for s in tuning.strings]


def _harmonic(tuning: Tuning, string: int, partial: int) -> Harmonic:
    above = 12 * math.log2(partial)
    note = spell(round(tuning.pitch(string) + round(above), 8), tuning.flats)
    fret, frets = PLACES[partial]
    return Harmonic(partial, fret, frets, note, 100 * (above - round(above)))
