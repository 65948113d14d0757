"""A pitch that sinks for as long as the note lasts: it has no settled pitch, only one that it has on average.

The glide of an attack is over within a second, and what it sinks to is the string's pitch. Where the best glide is
slower, two strands of one string beat, a recording's sample begins to loop or a neck gives: the end of such a course
is nobody's pitch, and the reading is what long windows and players hear, the mean of what is left after the attack.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from juxtatune.core.listening.glides import CENTS
from juxtatune.core.listening.partials import Fit, fit_pluck
from juxtatune.core.listening.source import Samples

FROM_S, TO_S, LEAST_S = 0.25, 1.75, 0.75  # after the onset: what the mean is taken of
# of what lies between the mean and the end, where the mean counts and where the end does
UNCERTAIN, UNCERTAIN_END = 0.15, 0.07
TURNED = 10.0  # cents: a string that moves so far is being turned, and where it ends counts


def drifting(fit: Fit, lasts: float) -> float:
    """How far a note of `lasts` seconds drifts rather than settles: 0 to 1."""
    return fit.slow if min(lasts, TO_S) - FROM_S >= LEAST_S else 0.0


def at_mean(x: Samples, rate: float, fit: Fit, share: float, onset: float, until: float) -> Fit:
    """The fit of a note that sounds from `onset` to `until` (s), with the given share of its mean pitch."""
    mean = fit_pluck(x, rate, onset + FROM_S, min(until, onset + TO_S), fit.f1, fit.stretch, glide=False)
    if mean is None:
        return fit
    above = share * CENTS * float(np.log(mean.f1 / fit.f1))
    turned = abs(above) > TURNED
    sigma = float(np.hypot(fit.sigma_cents, (UNCERTAIN_END if turned else UNCERTAIN) * above))
    return replace(fit, f1=fit.f1 * (1.0 if turned else float(np.exp(above / CENTS))), sigma_cents=sigma)
