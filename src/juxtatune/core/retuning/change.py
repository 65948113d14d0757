"""One retune, string by string: which move, which way and how far, in which order, and what to hear them against."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import Note
from juxtatune.core.music.tuning import SAME, Tuning
from juxtatune.core.retuning.references import HeardAgainst, best_order, reference_of


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
    """A whole retune; `strings` and `stay` run from the highest string number down, `order` as it is best done."""

    source: Tuning
    target: Tuning
    strings: tuple[StringChange, ...]
    stay: tuple[int, ...]
    order: tuple[int, ...] = ()


def change(source: Tuning, target: Tuning) -> Change:
    """The difference of two tunings of as many strings. Raises UserError when the counts differ.

    References hold in the order given: one against a landed string is against one that comes before.
    """
    if len(source) != len(target):
        raise UserError(
            f"a tuning of {len(source)} strings to one of {len(target)}", allowed="two tunings with as many strings"
        )
    moving = tuple(s for s in target.strings if abs(target.pitch(s) - source.pitch(s)) > SAME)
    stay = frozenset(target.strings) - frozenset(moving)
    order = best_order(source, target, moving)
    references = {
        s: reference_of(source, target, s, stay, frozenset(order[:k])) for k, s in enumerate(order)
    }
    changes = tuple(
        StringChange(s, source.note(s), target.note(s), round(target.pitch(s) - source.pitch(s), 8), references[s])
        for s in moving
    )
    return Change(source, target, changes, tuple(s for s in target.strings if s in stay), order)
