"""Notes cut short: the end of the glide is shrunk towards a prior as far as the data leave it open.

A string sounds a few cents sharp of where it settles while it is heard for a third of a second (common practice, no
source; measured on the synthetic and sampled strings of `benchmarks/`). Real guitars' partials have not met by then, and
a glide fitted to them alone may end anywhere.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from juxtatune.core.listening.f0.estimate import F0Estimate
from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.types import cut_short

# cents by which the mean of a short note lies above its end, and how notes differ in it
ABOVE, SPREAD = 1.5, 3.0
SHORT_S, LONG_S = 0.6, 1.0  # from the one to the other it is left to the glide


def shrink_to_prior(fit: F0Estimate, onset: float, until: float) -> F0Estimate:
    """The estimate of a note from `onset` to `until` (s), shrunk towards a usual glide end where its partials scatter by
    themselves."""
    lasts = until - onset
    sigma = fit.sigma_cents * cut_short(lasts, fit.intrinsic_scatter)
    own = sigma**2 - fit.sigma_cents**2
    usual = own / (own + SPREAD**2) * float(np.clip((LONG_S - lasts) / (LONG_S - SHORT_S), 0, 1))
    moved = usual * (fit.mean_glide_cents(onset, until) - ABOVE)
    return replace(
        fit, f1=fit.f1 * float(np.exp(moved / CENTS)), sigma_cents=float(np.sqrt(1 - usual)) * sigma
    )
