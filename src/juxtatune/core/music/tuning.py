"""Tunings: the notes of the open strings, listed from the highest string number to the first."""

from __future__ import annotations

import itertools
import re
import statistics
from collections.abc import Iterable
from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import Note, parse_note, spell

FEWEST, MOST = 4, 12
SAME = 1e-6  # semitones: pitches nearer than this are one pitch


@dataclass(frozen=True)
class Tuning:
    """Open strings from the highest number to 1; one spelling, sharps or flats, within a tuning."""

    notes: tuple[Note, ...]

    def __post_init__(self) -> None:
        if not FEWEST <= len(self.notes) <= MOST:
            raise UserError(f"a tuning of {len(self.notes)} strings", allowed=f"{FEWEST} to {MOST} strings")

    def __len__(self) -> int:
        return len(self.notes)

    def __str__(self) -> str:
        return " ".join(self.names())

    @property
    def pitches(self) -> tuple[float, ...]:
        return tuple(note.pitch for note in self.notes)

    @property
    def flats(self) -> bool:
        """True when this tuning is spelled with flats."""
        return any(note.is_flat for note in self.notes)

    @property
    def intervals(self) -> tuple[float, ...]:
        """Semitones from each string to its neighbour, whole numbers where they are."""
        p = self.pitches
        steps = (round(b - a, 6) for a, b in itertools.pairwise(p))
        return tuple(int(s) if s == int(s) else s for s in steps)

    def names(self) -> list[str]:
        return [str(note) for note in self.notes]

    def index(self, string: int) -> int:
        """Position in the list of a string number."""
        if not 1 <= string <= len(self.notes):
            raise UserError(f"string {string}", allowed=f"1 to {len(self.notes)}")
        return len(self.notes) - string

    def note(self, string: int) -> Note:
        return self.notes[self.index(string)]

    def pitch(self, string: int) -> float:
        return self.note(string).pitch

    @property
    def strings(self) -> range:
        """String numbers in list order: 6, 5, … 1."""
        return range(len(self.notes), 0, -1)

    def moved(self, semitones: float, flats: bool | None = None) -> Tuning:
        """Every string moved by the same interval, respelled."""
        use_flats = self.flats if flats is None else flats
        return tuning_of_pitches((p + semitones for p in self.pitches), use_flats)

    def respelled(self, flats: bool) -> Tuning:
        return tuning_of_pitches(self.pitches, flats)


def same_pitches(a: Tuning, b: Tuning) -> bool:
    """True when both tunings sound alike, however they are spelled."""
    return len(a) == len(b) and all(abs(x - y) <= SAME for x, y in zip(a.pitches, b.pitches, strict=True))


def common_shift(tuning: Tuning) -> float:
    """How far the strings lie off tempered notes, in cents from -50 to +50: the middle one of them."""
    return statistics.median(spell(round(p, 8)).shift for p in tuning.pitches)


def shifted_to(tuning: Tuning, cents: float) -> Tuning:
    """The tuning moved, by half a step at most, to lie so many cents off tempered notes."""
    return tuning.moved((cents - common_shift(tuning)) / 100)


def tuning_of_pitches(pitches: Iterable[float], flats: bool = False) -> Tuning:
    return Tuning(tuple(spell(round(p, 8), flats) for p in pitches))


def parse_notes(text: str) -> Tuning:
    """Reads a list of notes with spaces or commas between."""
    parts = [part for part in re.split(r"[\s,]+", text.strip()) if part]
    return Tuning(tuple(parse_note(part) for part in parts))
