"""Pitch drift that lasts as long as the note: such a note has a pitch only on average.

A string sinks as its energy does, and to where that ends its partials lead together. Where they do not agree or it sinks
more slowly, two strands of one string beat, a recording's sample begins to loop, a neck gives or a hand turns: the end
of such a course is nobody's pitch, and the reading is what long windows and players hear, the mean of what is left after
the attack.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from juxtatune.core.listening.f0.estimate import F0Estimate, fit_pluck
from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.source import Samples

FROM_S, TO_S, LEAST_S = 0.25, 1.75, 0.75  # after the onset: what the mean is taken of
# of what lies between the mean and the end, where the mean counts and where the end does
UNCERTAIN, UNCERTAIN_END = 0.15, 0.07
DISAGREE = 0.25  # from where partials do not tell of one tension
LOUD = 0.05  # of the loudest partial's power, that holds a string's energy
# times its energy's: from there a glide is no tension's, and that much further surely none
SLOWER, BEYOND = 1.2, 0.4
LEAST_DECAY = 0.1  # 1/s
TURNED = 10.0  # cents: a string that moves so far is being turned, and where it ends counts


def with_slow_drift(fit: F0Estimate, lasts: float) -> float:
    """Probability-like weight (0 to 1) that the pitch of a note of `lasts` seconds drifts all along."""
    return fit.drift_probability if min(lasts, TO_S) - FROM_S >= LEAST_S else 0.0


def _no_tension(fit: F0Estimate) -> float:
    """How far (0 to 1) the glide cannot be string tension, which falls, and as the energy does."""
    if fit.glide[:, 0].sum() < 0:
        return 1.0
    loud = fit.amplitude**2 >= LOUD * fit.amplitude.max() ** 2
    held = 1 / (2 * max(float(fit.decay[loud].min()), LEAST_DECAY))
    falls = float(np.average(fit.glide[:, 1], weights=np.abs(fit.glide[:, 0]) + 1e-12))
    slower = (falls / held - SLOWER) / BEYOND
    return float(np.clip(max(slower, fit.excess_scatter / DISAGREE), 0.0, 1.0))


def at_mean(x: Samples, rate: float, fit: F0Estimate, slow: float, onset: float, until: float) -> F0Estimate:
    """The estimate of a note from `onset` to `until` (s) mixed with its mean pitch, by the weight `slow`."""
    mean = fit_pluck(x, rate, onset + FROM_S, min(until, onset + TO_S), fit.f1, fit.inharmonicity, glide=False)
    if mean is None:
        return fit
    above = slow * CENTS * float(np.log(mean.f1 / fit.f1))
    turned = abs(above) > TURNED
    share = 0.0 if turned else _no_tension(fit)
    moved = share * above
    sigma = float(np.hypot(fit.sigma_cents, UNCERTAIN_END * above if turned else UNCERTAIN * moved))
    f1 = fit.f1 * float(np.exp(moved / CENTS))
    return replace(fit, f1=f1, sigma_cents=sigma, extrapolation_sigma=(1 - share) * fit.extrapolation_sigma)
