"""An adaptive staircase: how small a difference in pitch is told.

Two right answers in a row make it harder, one wrong easier: it settles where 70.7 % are right (Levitt, "Transformed up-down
methods in psychoacoustics", J. Acoust. Soc. Am. 49, 1971). The threshold is the geometric mean of the last reversals. Trained
listeners tell about 3 to 5 cents of a tone near 440 Hz (Wier, Jesteadt and Green 1977: 1 to 2 Hz; from memory).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

START, LEAST, MOST = 40.0, 0.5, 100.0  # cents
FIRST, LATER = 2.0, 1.41  # by what a step multiplies, until the second reversal and after it
REVERSALS, COUNTED = 8, 6  # that end it, and of these the last that count


@dataclass(frozen=True)
class Staircase:
    """`cents` is the difference to be played next."""

    cents: float = START
    right: int = 0  # in a row
    way: int = 0  # of the last change: −1 harder, +1 easier
    turned: tuple[float, ...] = ()  # cents at which it turned
    asked: int = 0

    @property
    def done(self) -> bool:
        return len(self.turned) >= REVERSALS

    @property
    def threshold(self) -> float | None:
        """Cents told in 70.7 % of cases; None before it has turned often enough."""
        last = self.turned[-COUNTED:]
        return math.exp(sum(map(math.log, last)) / len(last)) if len(last) == COUNTED else None


def answered(s: Staircase, correct: bool) -> Staircase:
    """The staircase after an answer."""
    s = replace(s, asked=s.asked + 1)
    if correct and s.right == 0:
        return replace(s, right=1)
    way = -1 if correct else 1
    turned = (*s.turned, s.cents) if s.way and way != s.way else s.turned
    step = FIRST if len(turned) < 2 else LATER
    cents = s.cents / step if correct else s.cents * step
    return replace(s, cents=min(MOST, max(LEAST, cents)), right=0, way=way, turned=turned)
