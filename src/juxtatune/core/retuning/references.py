"""What to hear a string against while it is tuned by ear, and the order in which most strings have such a reference.

Best first: an octave or unison against an open string that stays; a fretted one; the same against a string that has landed;
the same against one not yet moved. A fifth or a fourth only where nothing else is, against an open string that stays: a
beatless one is 1.955 cents off the tempered interval (3:2). Common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from juxtatune.core.music.tuning import Tuning

HIGHEST_FRET = 12
AGREE = 0.005  # semitones: references agree with the tempered interval within half a cent
FIFTH_CENTS = 1200 * math.log2(3 / 2) - 700
NONE = 20  # what it costs an order to leave a string without an octave or unison


@dataclass(frozen=True)
class HeardAgainst:
    """A string, the fret to stop it at, and the interval from it to the target; whether it has landed, or is yet to move.

    `beat_free_cents`: how far a beatless fifth or fourth lies off the tempered one.
    """

    string: int
    fret: int
    interval: str
    landed: bool = False
    yet_to_move: bool = False
    beat_free_cents: float | None = None

    @property
    def rank(self) -> int:
        """0 is the best kind."""
        return 2 * (1 if self.landed else 2 if self.yet_to_move else 0) + (self.fret > 0)


def reference_of(
    source: Tuning, target: Tuning, string: int, stay: frozenset[int], landed: frozenset[int]
) -> HeardAgainst | None:
    """The best reference for a string once those of `landed` are at their new pitch; others stand where they were."""
    goal = target.pitch(string)
    yet = frozenset(target.strings) - stay - landed - {string}
    for strings, tuning, is_landed, is_yet in (
        (stay, target, False, False), (landed, target, True, False), (yet, source, False, True),
    ):  # fmt: skip
        found = _octave_or_unison(tuning, strings, goal, string)
        if found is not None:
            other, fret, interval = found
            return HeardAgainst(other, fret, interval, is_landed, is_yet)
    return _fifth_or_fourth(target, stay, goal, string)


def _octave_or_unison(tuning: Tuning, strings: frozenset[int], goal: float, string: int) -> tuple[int, int, str] | None:
    """(string, fret, interval) of the lowest fret, open first; a unison before an octave, a near string before a far one."""
    options = []
    for other in strings:
        for rank, (away, name) in enumerate(((0, "unison"), (12, "octave above"), (-12, "octave below"))):
            fret = goal - away - tuning.pitch(other)
            if -AGREE <= fret <= HIGHEST_FRET + AGREE and abs(fret - round(fret)) <= AGREE:
                options.append((round(fret), rank, abs(other - string), other, name))
    if not options:
        return None
    fret, _, _, other, name = min(options)
    return other, fret, name


def _fifth_or_fourth(target: Tuning, stay: frozenset[int], goal: float, string: int) -> HeardAgainst | None:
    options = []
    for other in stay:
        step = goal - target.pitch(other)
        for rank, (away, name, sign) in enumerate(((7, "fifth", 1), (5, "fourth", -1))):
            if abs(abs(step) - away) <= AGREE:
                side = 1 if step > 0 else -1
                word = f"{name} {'above' if step > 0 else 'below'}"
                options.append((rank, abs(other - string), other, word, round(sign * side * FIFTH_CENTS, 3)))
    if not options:
        return None
    _, _, other, word, cents = min(options)
    return HeardAgainst(other, 0, word, beat_free_cents=cents)


@lru_cache(maxsize=512)
def best_order(source: Tuning, target: Tuning, moving: tuple[int, ...]) -> tuple[int, ...]:
    """The order in which most strings have an octave or unison that leads back to one that stays or has not moved.

    All moved alike: the lowest first. All down and the lowest further: it comes last, against what has landed.
    """
    steps = [round(target.pitch(s) - source.pitch(s), 6) for s in moving]
    if len(set(steps)) <= 1:
        return moving
    whole = len(moving) == len(target)
    if whole and len(set(steps[1:])) == 1 and steps[0] < steps[1] < 0:
        return (*moving[1:], moving[0])
    return _by_subsets(source, target, moving)


@dataclass(frozen=True)
class _State:
    """Strings done so far in one order: how many have no reference, how good the others are, the order, those grounded."""

    without: int
    rank: int
    order: tuple[int, ...]
    grounded: frozenset[int]

    @property
    def key(self) -> tuple[int, int, tuple[int, ...]]:
        return self.without, self.rank, tuple(-s for s in self.order)


def _by_subsets(source: Tuning, target: Tuning, moving: tuple[int, ...]) -> tuple[int, ...]:
    """Dynamic programming over the sets of strings that have landed."""
    stay = frozenset(target.strings) - frozenset(moving)
    states = {frozenset[int](): _State(0, 0, (), stay)}
    for _ in moving:
        following: dict[frozenset[int], _State] = {}
        for landed, state in states.items():
            for string in moving:
                if string in landed:
                    continue
                new = _with(state, string, reference_of(source, target, string, stay, landed))
                both = landed | {string}
                known = following.get(both)
                if known is None or new.key < known.key:
                    following[both] = new
        states = following
    return next(iter(states.values())).order


def _with(state: _State, string: int, r: HeardAgainst | None) -> _State:
    good = r is not None and r.beat_free_cents is None and (not r.landed or r.string in state.grounded)
    grounded = state.grounded | {string} if good else state.grounded
    rank = state.rank + (r.rank if r is not None and good else NONE)
    return _State(state.without + (not good), rank, (*state.order, string), grounded)
