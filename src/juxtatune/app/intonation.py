"""Setting the intonation: each string open, its harmonic at the 12th fret, and fretted there; which way the saddle goes."""

from __future__ import annotations

from dataclasses import dataclass, replace

from juxtatune.core.listening.live.listener import BlockResult
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.instrument import Instrument
from juxtatune.core.strings.intonation import saddle_mm

STEPS = ("open", "harmonic", "fretted")
ASKED = {
    "open": "play it open", "harmonic": "play its harmonic at the 12th fret", "fretted": "play it fretted at the 12th, lightly",
}  # fmt: skip
RIGHT = 1.0  # cents within which a string is well set; common practice, no source
SUREST = 2.0  # cents: readings less certain are not taken


@dataclass(frozen=True)
class Measured:
    """Cents of one string against its note and the octave of it; None where not played yet."""

    string: int
    open: float | None = None
    harmonic: float | None = None
    fretted: float | None = None
    before: float | None = None  # the error of the round before

    @property
    def error(self) -> float | None:
        """Cents by which the fretted note lies above the harmonic."""
        return None if self.harmonic is None or self.fretted is None else self.fretted - self.harmonic


class IntonationRun:
    """Follows the strings of one guitar in the tuning that it stands in. Main thread only."""

    def __init__(self, guitar: Instrument, reference: Reference) -> None:
        self.guitar, self.reference = guitar, reference
        self.rows = tuple(Measured(s) for s in guitar.tuning.strings if s not in guitar.setup.off)
        self.at, self.step = 0, STEPS[0]

    @property
    def string(self) -> int:
        return self.rows[self.at].string

    @property
    def targets(self) -> Targets:
        """The note that is asked for stands in its string's place."""
        tuning = self.guitar.tuning
        up = 0 if self.step == "open" else 1
        k = tuning.index(self.string)
        note = replace(tuning.notes[k], octave=tuning.notes[k].octave + up)
        return Targets(Tuning((*tuning.notes[:k], note, *tuning.notes[k + 1 :])), reference=self.reference)

    def hear(self, heard: BlockResult) -> bool:
        """Takes settled readings of the string in hand; whether one was taken."""
        for reading in heard.settled:
            if reading.string == self.string and reading.cents is not None and (reading.sigma_cents or 0.0) <= SUREST:
                self._take(reading.cents)
                return True
        return False

    def _take(self, cents: float) -> None:
        row = replace(self.rows[self.at], **{self.step: cents})  # type: ignore[arg-type]
        self.rows = (*self.rows[: self.at], row, *self.rows[self.at + 1 :])
        k = STEPS.index(self.step)
        if k + 1 < len(STEPS):
            self.step = STEPS[k + 1]
        elif self.at + 1 < len(self.rows):
            self.go(1)

    def go(self, by: int) -> None:
        """To the next or last string, at its beginning."""
        self.at, self.step = (self.at + by) % len(self.rows), STEPS[0]

    def again(self) -> None:
        """A new round for this string, its error kept to be compared with."""
        row = self.rows[self.at]
        error = row.error if row.error is not None else row.before
        self.rows = (*self.rows[: self.at], Measured(row.string, before=error), *self.rows[self.at + 1 :])
        self.step = STEPS[0]

    def advice(self, row: Measured) -> str:
        """`saddle back about 1.2 mm`, `well set`; nothing before all three were heard."""
        if row.error is None:
            return ""
        if abs(row.error) <= RIGHT:
            return "well set"
        scale = self.guitar.setup.scales(self.guitar.strings)[self.guitar.tuning.index(row.string)]
        move = saddle_mm(row.error, scale)
        return f"saddle {'back' if move > 0 else 'forward'} about {abs(move):.1f} mm"
