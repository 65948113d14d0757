"""Shapes on a fretboard: a fret a string, what they sound, and what the hand thinks it plays."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.music.families import FAMILIES
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import Note, spell
from juxtatune.core.music.tuning import Tuning

HIGHEST_FRET = 36
Shape = tuple[int | None, ...]


@dataclass(frozen=True)
class Played:
    """One string of a shape: its number, its fret counted from the capo, what it sounds and what is written."""

    string: int
    fret: int
    sounds: Note
    written: Note


def parse_shape(text: str, strings: int) -> Shape:
    """`x 5 7 7 6 5`: a fret a string, highest number first, x not played. Raises UserError."""
    parts = text.replace(",", " ").split()
    if len(parts) == 1 and len(parts[0]) == strings > 1:
        parts = list(parts[0])  # 577655
    if len(parts) != strings:
        raise UserError(f"{text[:60]!r} has {len(parts)} entries", "SHAPE", f"{strings}, one a string")
    frets = tuple(_fret(part) for part in parts)
    if all(f is None for f in frets):
        raise UserError("nothing is played", "SHAPE", "at least one fret")
    return frets


def _fret(text: str) -> int | None:
    if text in ("x", "X"):
        return None
    if not text.isascii() or not text.isdigit() or len(text) > 3 or int(text) > HIGHEST_FRET:
        raise UserError(f"{text[:20]!r} is not a fret", "SHAPE", f"0 to {HIGHEST_FRET}, or x for a string not played")
    return int(text)


def check_capo(capo: int) -> int:
    if not 0 <= capo <= 24:
        raise UserError(f"capo {capo}", "--capo", "0 to 24")
    return capo


def written_tuning(tuning: Tuning) -> tuple[Tuning, int]:
    """The tuning as the hand thinks it, at the home pitch of its family, and sounding less written in half steps."""
    found = name_tuning(tuning)
    home = next((f.tuning for f in FAMILIES if f.name == found.shape), None)
    return (home, found.moved) if home is not None else (tuning, 0)


def play(tuning: Tuning, shape: Shape, capo: int = 0) -> list[Played]:
    """What each played string sounds, lowest string first; the capo is not written."""
    home, _ = written_tuning(tuning)
    out = []
    for string, fret in zip(tuning.strings, shape, strict=True):
        if fret is not None:
            sounds = spell(round(tuning.pitch(string)) + capo + fret, tuning.flats)
            written = spell(round(home.pitch(string)) + fret, home.flats)
            out.append(Played(string, fret, sounds, written))
    return out
