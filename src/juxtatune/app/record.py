"""A record that a song is played along with: how far it lies from the player's A4."""

from __future__ import annotations

import math
from dataclasses import dataclass

from juxtatune.core.listening.reference.offset import Offset
from juxtatune.core.music.pitch import Reference

MOST = 49  # cents: half a step up and half a step down are one
ROUGHLY = 0.5  # confidence below which the tones of a record hardly agree


@dataclass(frozen=True)
class RecordPitch:
    """What was heard of a record, by the name of its file."""

    name: str
    offset: Offset
    fits: tuple[str, ...] = ()  # tunings that fit what is played, the best first

    def shift(self, reference: Reference) -> int:
        """Whole cents (-49 to 49) from the player's A4 to the record's, half steps left out."""
        cents = self.offset.cents - 1200 * math.log2(reference.a4 / 440.0) - reference.offset_cents
        cents -= 100 * math.ceil((cents - 50) / 100)
        return max(-MOST, min(MOST, round(cents)))

    def words(self, reference: Reference, tuned: bool) -> str:
        """`A4 at 447.6 Hz, 30 ¢ above yours · take.wav`; `tuned` where the song is tuned to it."""
        shift = self.shift(reference)
        where = f"{abs(shift)} ¢ {'above' if shift > 0 else 'below'} yours" if shift else "as yours"
        done = ": every way is tuned to it" if tuned else ""
        doubt = ", though its tones hardly agree" if self.offset.confidence < ROUGHLY else ""
        fits = f", played as in {' or '.join(self.fits)}" if self.fits else ""
        return f"A4 at {self.offset.a4:.1f} Hz, {where}{doubt}{done}{fits} · {self.name}"


def shift_words(cents: float) -> str:
    """`30 ¢ up`, `to A4`."""
    return f"{abs(cents):g} ¢ {'up' if cents > 0 else 'down'}" if cents else "to A4"
