"""The reported pitch of a real string, whose partials agree on no f0: between first partial and period.

Of an ideal string all partials give one f1, and that is read. Those of a real one lie cents off any line, each by itself:
what follows the first partial and what follows the period, as autocorrelation and ears do, then part by cents. Guitars
that are tuned by either should be in tune with each other, so the reading lies midway.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.estimate import F0Estimate
from juxtatune.core.listening.f0.glide_biexp import CENTS

F = NDArray[np.floating]
HIGHEST = 8  # partials that a period is heard by
LEAST_DECAY = 0.3  # 1/s
MIDWAY = 0.5
MOST = 4.0  # cents: further off it is another's


def period_offset(f1: float, numbers: NDArray[np.int64], hz: F, amplitude: F, decay: F) -> float:
    """How far (cents) the pitch lies above f1 (Hz), of partials (P,) with `numbers`, `hz`, `amplitude` and `decay` (1/s).

    The period is where the autocorrelation Σ w cos(2π f T) peaks, w being the energy (Wiener–Khinchin): to second order
    the mean of f/n weighted by w n².
    """
    energy = amplitude**2 / np.maximum(decay, LEAST_DECAY)
    low = (numbers <= HIGHEST) & (energy > 0)
    if not low.any():
        return 0.0
    n, weight = numbers[low], energy[low] * numbers[low] ** 2
    above = CENTS * float(np.average(np.log(hz[low] / (n * f1)), weights=weight))
    return MIDWAY * float(np.clip(above, -MOST, MOST))


def own_pitch_cents(fit: F0Estimate) -> float:
    """Cents of the reported pitch above f1; 0 where the partials agree."""
    # squared: what clips has a little scatter of its own too
    return fit.intrinsic_scatter**2 * period_offset(fit.f1, fit.numbers, fit.hz, fit.amplitude, fit.decay)
