"""One retune, string by string: which move, which way, how far, and what to hear them against."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import Note
from juxtatune.core.music.tuning import SAME, Tuning

HIGHEST_FRET = 12
AGREE = 0.005  # semitones: references agree with the tempered interval within half a cent
_OPEN_INTERVALS = ((0, "unison"), (12, "octave"), (7, "fifth"), (5, "fourth"))


@dataclass(frozen=True)
class HeardAgainst:
    """What to hear a target against: a string, the fret to stop it at, the interval to the target."""

    string: int
    fret: int
    interval: str
    landed: bool


@dataclass(frozen=True)
class StringChange:
    """One string's move in semitones, up positive."""

    string: int
    source: Note
    target: Note
    semitones: float
    reference: HeardAgainst | None

    @property
    def direction(self) -> str:
        return "up" if self.semitones > 0 else "down"


@dataclass(frozen=True)
class Change:
    """A whole retune; `strings` and `stay` run from the highest string number down."""

    source: Tuning
    target: Tuning
    strings: tuple[StringChange, ...]
    stay: tuple[int, ...]


def change(source: Tuning, target: Tuning) -> Change:
    """The difference of two tunings of as many strings. Raises UserError when the counts differ.

    Strings land in list order, so a reference against a landed string is one listed before.
    """
    if len(source) != len(target):
        raise UserError(
            f"a tuning of {len(source)} strings to one of {len(target)}",
            allowed="two tunings with as many strings",
        )
    moving = [s for s in target.strings if abs(target.pitch(s) - source.pitch(s)) > SAME]
    stay = [s for s in target.strings if s not in moving]
    landed: list[int] = []
    changes = []
    for string in moving:
        reference = find_reference(target, string, stay, landed)
        semitones = round(target.pitch(string) - source.pitch(string), 8)
        changes.append(StringChange(string, source.note(string), target.note(string), semitones, reference))
        landed.append(string)
    return Change(source, target, tuple(changes), tuple(stay))


def find_reference(target: Tuning, string: int, stay: list[int], landed: list[int]) -> HeardAgainst | None:
    """The best string to hear a target against, or None."""
    for strings, is_landed in ((stay, False), (landed, True)):
        found = _open_reference(target, string, strings, is_landed) or _fretted(
            target, string, strings, is_landed
        )
        if found is not None:
            return found
    return None


def _open_reference(target: Tuning, string: int, among: list[int], landed: bool) -> HeardAgainst | None:
    for semitones, name in _OPEN_INTERVALS:
        for other in sorted(among, key=lambda s: (abs(s - string), s)):
            step = target.pitch(string) - target.pitch(other)
            if abs(abs(step) - semitones) <= AGREE:
                side = "" if semitones == 0 else " above" if step > 0 else " below"
                return HeardAgainst(other, 0, name + side, landed)
    return None


def _fretted(target: Tuning, string: int, among: list[int], landed: bool) -> HeardAgainst | None:
    options = []
    for other in among:
        step = target.pitch(string) - target.pitch(other)
        if 1 - AGREE <= step <= HIGHEST_FRET + AGREE and abs(step - round(step)) <= AGREE:
            options.append((round(step), other))
    if not options:
        return None
    fret, other = min(options)
    return HeardAgainst(other, fret, "unison", landed)
