"""Hertz, cents and pitches on the MIDI scale, with the reference as an argument.

ISO 16:1975 sets A4 = 440 Hz; every function takes another A4 and a shift in cents all the same.
Formula: f = a4 · 2^((p − 69)/12), equal temperament (MIDI 1.0 Detailed Specification).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from juxtatune.core.errors import UserError

A4_PITCH = 69.0


@dataclass(frozen=True)
class Reference:
    """What notes are measured against: A4 in hertz (300 to 600) and a shift in cents (±600)."""

    a4: float = 440.0
    offset_cents: float = 0.0

    def __post_init__(self) -> None:
        if not (math.isfinite(self.a4) and 300 <= self.a4 <= 600):
            raise UserError(f"A4 reference {self.a4!r}", allowed="300 to 600 Hz")
        if not (math.isfinite(self.offset_cents) and abs(self.offset_cents) <= 600):
            raise UserError(f"offset {self.offset_cents!r}", allowed="-600 to +600 cents")

    def hz(self, pitch: float) -> float:
        """Frequency in Hz of a pitch on the MIDI scale."""
        return self.a4 * math.exp2((pitch - A4_PITCH) / 12 + self.offset_cents / 1200)

    def pitch(self, hz: float) -> float:
        """Pitch on the MIDI scale of a frequency in Hz (above 0)."""
        return A4_PITCH + 12 * math.log2(hz / self.a4) - self.offset_cents / 100


ISO_16 = Reference()


def cents_between(hz: float, target_hz: float) -> float:
    """Interval from the target to a frequency in cents: positive is sharp."""
    return 1200 * math.log2(hz / target_hz)
