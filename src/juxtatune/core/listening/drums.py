"""What of a sound is a drum's: it has a tone, but few partials where a string has them, and no clear pitch.

The limits are measured in `benchmarks/` on sampled kits and on heads modelled with the modes of a circular
membrane (Rossing 2000), against short, distorted and noisy notes of sampled guitars.
"""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.measure import LOST, TOO_SHORT
from juxtatune.core.listening.pluck import Reading

NO_STRING_CENTS, NO_STRING_WEIGHT = 4.0, 1.5  # at least so vague (1σ), with partials of at most this weight
STRING_CENTS, MORE_WEIGHT = 1.5, 1.2  # a string may be vaguer than that if its partials weigh more
MOST_DOUBTFUL = 0.5  # of the readings


def without_drums(heard: list[Reading]) -> list[Reading]:
    """The readings but for those of drums: none, where most are doubtful and so there are only drums."""
    rest = [r for r in heard if not _is_drum(r)]
    only_drums = not rest or np.mean([_doubtful(r) for r in rest]) > MOST_DOUBTFUL
    return [] if only_drums else rest


def _is_drum(r: Reading) -> bool:
    vague = r.sigma_cents is not None and r.sigma_cents >= NO_STRING_CENTS
    return vague and r.partials_weight < NO_STRING_WEIGHT


def _doubtful(r: Reading) -> bool:
    if r.sigma_cents is None:
        return r.problem in (LOST, TOO_SHORT)
    return r.partials_weight < MORE_WEIGHT * np.log(max(r.sigma_cents, 1e-9) / STRING_CENTS)
