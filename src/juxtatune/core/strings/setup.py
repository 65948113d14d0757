"""How a guitar is set up and kept: scale, strings, what its bridge and necks allow, who tunes it, and how it was last read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from juxtatune.core.strings.tension import Gauge

RETUNERS = ("me", "me or a technician", "nobody in the set")
USUAL_SCALE_MM = 648.0
USUAL_RANGE = (-7, 3)  # half steps down and up from home before a string rattles or may break; common practice, no source


@dataclass(frozen=True)
class Setup:
    """Lists run from the highest string number to 1; an empty one is not known.

    `strings_since` is an ISO date. `off` holds the numbers of strings taken off. `ranges` gives, for every string, the half
    steps that it goes down and up from home. `channel` is the sound input's, from 1; 0 takes the clearest. `read_at` is the
    ISO time at which the guitar's tuning was last read or said, `certainty_cents` one standard deviation of that reading;
    None where it was said and not heard. `taught` is what retunes and calibration taught about its bridge, as JSON.
    """

    scales_mm: tuple[float, ...] = ()
    gauges: tuple[Gauge, ...] = ()
    springs: int | None = None
    strings_since: str = ""
    off: tuple[int, ...] = ()
    ranges: tuple[tuple[int, int], ...] = ()
    retuner: str = "me"
    channel: int = 0
    read_at: str = ""
    certainty_cents: float | None = None
    taught: str = ""

    def scales(self, strings: int) -> tuple[float, ...]:
        """Scale lengths in mm of so many strings; the usual one where they are not known."""
        return self.scales_mm if len(self.scales_mm) == strings else (USUAL_SCALE_MM,) * strings

    def range_of(self, index: int) -> tuple[int, int]:
        """Half steps down and up of the string at an index in order."""
        return self.ranges[index] if index < len(self.ranges) else USUAL_RANGE


def out_of_range(setup: Setup, moves: Sequence[float]) -> list[int]:
    """Indices of the strings that a tuning moves further from home than they go; `moves` are half steps from home."""
    found = []
    for k, move in enumerate(moves):
        low, high = setup.range_of(k)
        if move < low - 0.5 or move > high + 0.5:
            found.append(k)
    return found
