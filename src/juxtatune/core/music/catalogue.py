"""Tunings with names that always work. Common practice, no source."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache, cached_property

from juxtatune.core.errors import UserError
from juxtatune.core.music.tuning import Tuning, parse_notes


@dataclass(frozen=True)
class Entry:
    """One tuning of the catalogue; an alias may ask for the other spelling."""

    name: str
    notes: str
    aliases: tuple[str, ...] = ()

    @cached_property
    def tuning(self) -> Tuning:
        return parse_notes(self.notes)


CATALOGUE = (
    Entry("standard", "E2 A2 D3 G3 B3 E4", ("E standard",)),
    Entry("half step down", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4", ("Eb standard", "D# standard")),
    Entry("whole step down", "D2 G2 C3 F3 A3 D4", ("D standard",)),
    Entry("B standard", "B1 E2 A2 D3 F#3 B3"),
    Entry("drop D", "D2 A2 D3 G3 B3 E4"),
    Entry("drop C#", "C#2 G#2 C#3 F#3 A#3 D#4", ("drop Db",)),
    Entry("drop C", "C2 G2 C3 F3 A3 D4"),
    Entry("drop B", "B1 F#2 B2 E3 G#3 C#4"),
    Entry("drop A", "A1 E2 A2 D3 F#3 B3"),
    Entry("double drop D", "D2 A2 D3 G3 B3 D4"),
    Entry("open D", "D2 A2 D3 F#3 A3 D4"),
    Entry("open E", "E2 B2 E3 G#3 B3 E4"),
    Entry("open G", "D2 G2 D3 G3 B3 D4"),
    Entry("open A", "E2 A2 E3 A3 C#4 E4"),
    Entry("open C", "C2 G2 C3 G3 C4 E4"),
    Entry("open C minor", "C2 G2 C3 G3 C4 Eb4"),
    Entry("open D minor", "D2 A2 D3 F3 A3 D4"),
    Entry("DADGAD", "D2 A2 D3 G3 A3 D4", ("D A D G A D",)),
    Entry("all fourths", "E2 A2 D3 G3 C4 F4"),
    Entry("doubled low G", "G2 G2 D3 G3 B3 E4"),
    Entry("seven-string standard", "B1 E2 A2 D3 G3 B3 E4"),
    Entry("seven-string drop A", "A1 E2 A2 D3 G3 B3 E4"),
    Entry("bass", "E1 A1 D2 G2"),
    Entry("five-string bass", "B0 E1 A1 D2 G2"),
)

_STANDARD = {
    4: "E1 A1 D2 G2",
    5: "B0 E1 A1 D2 G2",
    6: "E2 A2 D3 G3 B3 E4",
    7: "B1 E2 A2 D3 G3 B3 E4",
    8: "F#1 B1 E2 A2 D3 G3 B3 E4",
    9: "C#1 F#1 B1 E2 A2 D3 G3 B3 E4",
    10: "G#0 C#1 F#1 B1 E2 A2 D3 G3 B3 E4",
    11: "D#0 G#0 C#1 F#1 B1 E2 A2 D3 G3 B3 E4",
    12: "E3 E2 A3 A2 D4 D3 G4 G3 B3 B3 E4 E4",
}


def _key(name: str) -> str:
    plain = name.strip().lower().replace("♯", "#").replace("♭", "b")
    return re.sub(r"[\s_-]+", " ", plain)


@cache
def _by_name() -> dict[str, Tuning]:
    table: dict[str, Tuning] = {}
    for entry in CATALOGUE:
        table[_key(entry.name)] = entry.tuning
        for alias in entry.aliases:
            flats = re.search(r"[A-G]b", alias) is not None
            sharps = "#" in alias
            table[_key(alias)] = entry.tuning.respelled(flats) if flats or sharps else entry.tuning
    return table


def standard_for(strings: int) -> Tuning:
    """Standard tuning of an instrument with 4 to 12 strings."""
    if strings not in _STANDARD:
        raise UserError(f"{strings} strings", allowed="4 to 12 strings")
    return parse_notes(_STANDARD[strings])


def lookup(name: str) -> Tuning | None:
    """The catalogue's tuning of that name in any case, or None."""
    return _by_name().get(_key(name))
