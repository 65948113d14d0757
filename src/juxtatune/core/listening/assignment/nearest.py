"""Assigns a pitch to the nearest string of a tuning, and to the nearest note."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.listening.types import Targets
from juxtatune.core.music.notes import Note, spell
from juxtatune.core.music.tuning import SAME


@dataclass(frozen=True)
class Place:
    """The string of a pitch and the probability that it is right; `also` names a string in unison with it."""

    string: int | None
    also: tuple[int, ...]
    certainty: float
    problem: str | None = None


def nearest_note(pitch: float, targets: Targets) -> Note:
    flats = targets.tuning.flats if targets.tuning is not None else False
    return spell(pitch, flats, keep_shift=False)


def place_pitch(pitch: float, targets: Targets) -> Place:
    """The string with the nearest target, or whose way from the old tuning contains the pitch."""
    tuning = targets.tuning
    if tuning is None:
        return Place(None, (), 1.0)
    within = [s for s in tuning.strings if targets.span(s)[0] <= pitch <= targets.span(s)[1]]
    if not within:
        return Place(None, (), 1.0, "no string of the tuning is within reach of this pitch")
    costs = {s: _distance(pitch, s, targets) for s in within}
    best = min(within, key=lambda s: (costs[s], s))
    unison = tuple(
        s
        for s in within
        if s != best and abs(tuning.pitch(s) - tuning.pitch(best)) <= SAME and costs[s] == costs[best]
    )
    rivals = [costs[s] for s in within if s != best and s not in unison]
    margin = min(rivals) - costs[best] if rivals else 12.0
    return Place(best, unison, 0.5 + 0.5 * min(1.0, margin / 1.0))


def _distance(pitch: float, string: int, targets: Targets) -> float:
    """Semitones from the string's target, or from its way to it."""
    assert targets.tuning is not None
    target = targets.tuning.pitch(string)
    if targets.source is None:
        return abs(pitch - target)
    start = targets.source.pitch(string)
    if min(start, target) - 0.3 <= pitch <= max(start, target) + 0.3:
        # on its way; at either end is likelier than between
        return min(abs(pitch - start), abs(pitch - target)) * 0.25
    return min(abs(pitch - start), abs(pitch - target))
