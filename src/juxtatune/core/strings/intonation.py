"""Where the saddle belongs: the note at the 12th fret against the harmonic there, and how far the saddle is to move.

A string of length L with its saddle moved back by x has half of it, L/2, in front of the 12th fret and L/2 + x behind. Fretted,
it falls by 1200 log2(1 + 2x/L) cents; open (and with it the harmonic) by 1200 log2(1 + x/L), which tuning takes back. What
stays is 1200/ln 2 * x/L to first order: x = error * L / 1731 (from the law of strings, Mersenne).
"""

from __future__ import annotations

import math

CENTS_A_SHARE = 1200 / math.log(2)


def saddle_mm(error_cents: float, scale_mm: float) -> float:
    """How far the saddle is to move back (above 0) or forward where the fretted note lies so far above the harmonic."""
    return error_cents * scale_mm / CENTS_A_SHARE
