"""Families of tunings: shapes that are moved as a whole and keep their name. Common practice, no source."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from juxtatune.core.music.tuning import Tuning, parse_notes


@dataclass(frozen=True)
class Family:
    """`notes` at the home pitch. Moved by `low` to `high` half steps it is called by `pattern` with the letter of its root
    string; further off, or with no pattern, by its name and how far it lies from home."""

    name: str
    notes: str
    root: int
    pattern: str = ""
    low: int = 0
    high: int = 0

    @cached_property
    def tuning(self) -> Tuning:
        return parse_notes(self.notes)

    @property
    def root_pitch(self) -> int:
        return round(self.tuning.pitch(self.root))

    def moved_to(self, pitch_class: int, flats: bool) -> Tuning | None:
        """The family with its root on a letter, or None where it is not called so."""
        for n in range(self.low, self.high + 1):
            if (self.root_pitch + n) % 12 == pitch_class:
                return self.tuning.moved(n, flats)
        return None


WIDE = (-7, 4)  # of standard and dropped tunings, from the home of their lowest string
OPEN = (-1, 3)

FAMILIES = (
    Family("standard", "E2 A2 D3 G3 B3 E4", 6, "{} standard", *WIDE),
    Family("drop D", "D2 A2 D3 G3 B3 E4", 6, "drop {}", *WIDE),
    Family("double drop D", "D2 A2 D3 G3 B3 D4", 6, "double drop {}", *WIDE),
    Family("open D", "D2 A2 D3 F#3 A3 D4", 6, "open {}", *OPEN),
    Family("open G", "D2 G2 D3 G3 B3 D4", 5, "open {}", *OPEN),
    Family("open C", "C2 G2 C3 G3 C4 E4", 6, "open {}"),
    Family("open D minor", "D2 A2 D3 F3 A3 D4", 6, "open {} minor", *OPEN),
    Family("open G minor", "D2 G2 D3 G3 Bb3 D4", 5, "open {} minor", *OPEN),
    Family("open C minor", "C2 G2 C3 G3 C4 Eb4", 6, "open {} minor"),
    Family("DADGAD", "D2 A2 D3 G3 A3 D4", 6),
    Family("all fourths", "E2 A2 D3 G3 C4 F4", 6),
    Family("doubled low G", "G2 G2 D3 G3 B3 E4", 6),
    Family("seven-string standard", "B1 E2 A2 D3 G3 B3 E4", 7, "seven-string {} standard", *WIDE),
    Family("seven-string drop A", "A1 E2 A2 D3 G3 B3 E4", 7, "seven-string drop {}", *WIDE),
    Family("eight-string standard", "F#1 B1 E2 A2 D3 G3 B3 E4", 8),
    Family("eight-string drop E", "E1 B1 E2 A2 D3 G3 B3 E4", 8),
    Family("twelve-string standard", "E3 E2 A3 A2 D4 D3 G4 G3 B3 B3 E4 E4", 11),
    Family("bass", "E1 A1 D2 G2", 4),
    Family("bass drop D", "D1 A1 D2 G2", 4),
    Family("five-string bass", "B0 E1 A1 D2 G2", 5),
    Family("standard without the 6th", "A2 D3 G3 B3 E4", 5),
    Family("open G without the 6th", "G2 D3 G3 B3 D4", 5),
)  # fmt: skip


def family(name: str) -> Family:
    return next(f for f in FAMILIES if f.name == name)
