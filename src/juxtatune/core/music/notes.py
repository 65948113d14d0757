"""Notes in scientific pitch notation: letter, accidental, octave, and a shift in cents.

A4 is note 69 of the MIDI standard (MIDI 1.0 Detailed Specification); pitches are floats on that
scale, one unit a tempered semitone, so the shift in cents is its fractional part.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from juxtatune.core.errors import UserError

STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
SHARPS = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
FLATS = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
_ALTER = {"": 0, "♮": 0, "#": 1, "♯": 1, "b": -1, "♭": -1, "##": 2, "♯♯": 2, "x": 2, "bb": -2, "♭♭": -2}
_PATTERN = re.compile(
    r"([A-Ga-g])(##|♯♯|bb|♭♭|#|♯|b|♭|x|♮)?([-−]?\d{1,2})(?:([+\-−])(\d+(?:\.\d+)?|\.\d+)\s*[c¢]?)?"
)
_ALLOWED = (
    "a letter A to G, then # or b, an octave from -1 to 9 and perhaps a shift in cents: E2, F#3, Bb1, E2+30"
)


@dataclass(frozen=True)
class Note:
    """A spelled note. `alter` counts semitones (+1 sharp, -1 flat); `shift` is in cents."""

    letter: str
    alter: int
    octave: int
    shift: float = 0.0

    @property
    def pitch(self) -> float:
        """Place on the MIDI scale in semitones, A4 = 69, the shift included."""
        return 12 * (self.octave + 1) + STEPS[self.letter] + self.alter + self.shift / 100

    @property
    def is_flat(self) -> bool:
        return self.alter < 0

    @property
    def is_sharp(self) -> bool:
        return self.alter > 0

    def __str__(self) -> str:
        accidental = "#" * self.alter if self.alter > 0 else "b" * -self.alter
        shift = f"{self.shift:+.10g}" if self.shift else ""
        return f"{self.letter}{accidental}{self.octave}{shift}"

    def letter_name(self) -> str:
        """The note without its octave and shift: `F#`."""
        return self.letter + ("#" * self.alter if self.alter > 0 else "b" * -self.alter)


def parse_note(text: str) -> Note:
    """Reads one note. Raises UserError for anything but scientific pitch notation."""
    match = _PATTERN.fullmatch(text.strip())
    if match is None:
        raise UserError(f"{text!r} is not a note", allowed=_ALLOWED)
    letter, accidental, octave, sign, cents = match.groups()
    octave_number = int(octave.replace("−", "-"))
    if not -1 <= octave_number <= 9:
        raise UserError(f"{text!r} has octave {octave_number}", allowed="octaves -1 to 9")
    shift = float(cents) * (1 if sign == "+" else -1) if cents else 0.0
    if abs(shift) > 1200:
        raise UserError(f"{text!r} is shifted by {shift:g} cents", allowed="shifts from -1200 to +1200 cents")
    return Note(letter.upper(), _ALTER[accidental or ""], octave_number, shift)


def spell(pitch: float, flats: bool = False, keep_shift: bool = True) -> Note:
    """The nearest tempered note to a pitch, with what is left over as its shift in cents."""
    nearest = int(pitch // 1 + (1 if pitch % 1 >= 0.5 else 0))
    shift = round((pitch - nearest) * 100, 6) if keep_shift else 0.0
    return spell_semitone(nearest, flats, shift)


def spell_semitone(semitone: int, flats: bool = False, shift: float = 0.0) -> Note:
    """A whole semitone of the MIDI scale as a note, sharps unless flats are asked for."""
    name = (FLATS if flats else SHARPS)[semitone % 12]
    alter = {"#": 1, "b": -1}.get(name[1:], 0)
    return Note(name[0], alter, semitone // 12 - 1, shift)


def pretty(text: str) -> str:
    """A note name for the eye: # and b as ♯ and ♭, a true minus sign."""
    spelled = re.sub(
        r"([A-G])(#+|b+)",
        lambda m: m.group(1) + m.group(2).replace("#", "♯").replace("b", "♭"),
        text,
    )
    return re.sub(r"-(?=\d)", "−", spelled)
