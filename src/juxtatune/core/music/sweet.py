"""Open tunings sweetened: the third of a major chord towards its just ratio, by the player's share.

A just major third is 5:4, 13.686 cents below the tempered one (Helmholtz 1863).
"""

from __future__ import annotations

import math
from dataclasses import replace

from juxtatune.core.music.notes import Note
from juxtatune.core.music.tuning import Tuning

THIRD_CENTS = 1200 * math.log2(5 / 4) - 400
MAJOR = {0, 4, 7}


def third_of(tuning: Tuning) -> int | None:
    """The pitch class (0 to 11) of the third where the open strings are one major chord and nothing else; else None."""
    classes = {_class(n) for n in tuning.notes}
    for root in classes:
        if {(c - root) % 12 for c in classes} == MAJOR:
            return (root + 4) % 12
    return None


def sweetened(tuning: Tuning, share: float) -> Tuning:
    """The tuning with its thirds by a share (0 to 1) of the way to 5:4; any but an open major chord as it is."""
    third = third_of(tuning) if share else None
    if third is None:
        return tuning
    by = round(share * THIRD_CENTS, 2)
    return Tuning(tuple(replace(n, shift=n.shift + by) if _class(n) == third else n for n in tuning.notes))


def _class(note: Note) -> int:
    return round(note.pitch - note.shift / 100) % 12
