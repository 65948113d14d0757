"""What strings, chords and keys are called: the schools of players, as preferences. Values only."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.tuning import Tuning

STRINGS = ("number", "standard letter", "sounding letter")


@dataclass(frozen=True)
class Calling:
    """`strings` is one of STRINGS; `written_first`: chords and keys as the hand thinks them stand before what sounds."""

    strings: str = "number"
    written_first: bool = False

    def string(self, number: int, sounding: Tuning) -> str:
        """A string of an instrument in a tuning, in a sentence: `6th`, `low E string`, `D2 string`."""
        if self.strings == "number":
            return ordinal(number)
        return f"{self._letter(number, sounding)} string"

    def head(self, number: int, sounding: Tuning) -> str:
        """At the head of a string's column, with the other names at hand: `6   D2`, `low E   6 · D2`, `D2   6`."""
        note = pretty(str(sounding.note(number)))
        if self.strings == "number":
            return f"{number}   {note}"
        if self.strings == "standard letter":
            return f"{self._letter(number, sounding)}   {number} · {note}"
        return f"{note}   {number}"

    def both(self, sounds: str, written: str) -> tuple[str, str]:
        """Two names of a chord or key, the one that stands first before the other, each saying which it is."""
        pair = (f"sounds {sounds}", f"written {written}")
        return (pair[1], pair[0]) if self.written_first else pair

    def _letter(self, number: int, sounding: Tuning) -> str:
        """Letters that stand twice are told by low and high, more often by their octaves."""
        tuning = standard_for(len(sounding)) if self.strings == "standard letter" else sounding
        letters = {s: tuning.note(s).letter_name() for s in tuning.strings}
        alike = [s for s in tuning.strings if letters[s] == letters[number]]
        if len(alike) == 1:
            return pretty(letters[number])
        if len(alike) == 2 and tuning.pitch(alike[0]) != tuning.pitch(alike[1]):
            low = min(alike, key=tuning.pitch)
            return pretty(f"{'low' if number == low else 'high'} {letters[number]}")
        note = str(tuning.note(number))
        twice = sum(str(tuning.note(s)) == note for s in alike) > 1
        return pretty(note) + (f" ({ordinal(number)})" if twice else "")


def ordinal(string: int) -> str:
    return {1: "1st", 2: "2nd", 3: "3rd"}.get(string, f"{string}th")
