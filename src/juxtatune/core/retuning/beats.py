"""How fast two strings beat against each other: the difference of the partials that meet in their interval.

Of frequencies f and g in the ratio m : n, partial n of f meets partial m of g, and they beat |n f - m g| times a second
(Helmholtz 1863). Stretch of partials is left out.
"""

from __future__ import annotations

import math

from juxtatune.core.strings.string import usual_string

# of each interval from the reference to the string: which partial of the string meets which of the reference
MEETING = {
    "unison": (1, 1), "octave above": (1, 2), "octave below": (2, 1), "fifth above": (2, 3), "fifth below": (3, 2),
    "fourth above": (3, 4), "fourth below": (4, 3),
}  # fmt: skip
FASTEST = 12.0  # beats a second that can still be counted as beats; common practice, no source


def beats(interval: str, string_hz: float, reference_hz: float) -> float | None:
    """Beats a second of a string against a reference, above 0 where the string is too high; None for no such interval."""
    if interval not in MEETING:
        return None
    own, other = MEETING[interval]
    return own * string_hz - other * reference_hz


def meeting_hz(interval: str, reference_hz: float) -> float:
    """The partial of the reference at which it beats with the string, as usual strings stretch partials (Fletcher 1964)."""
    _, partial = MEETING[interval]
    stretch = usual_string(reference_hz).inharmonicity(reference_hz)
    return partial * reference_hz * math.sqrt((1 + stretch * partial**2) / (1 + stretch))
