"""The mixture law: how the standard errors of two estimates combine when either may be the right one."""

from __future__ import annotations

import numpy as np


def mixture_sigma(share, first, second, apart):  # type: ignore[no-untyped-def]
    """1σ of a value that is the second's with probability `share` (0 to 1) and else the first's, `apart` from it.

    Variance of a mixture: (1 - s) σ1² + s σ2² + s (1 - s) Δ². Compiled code calls it too.
    """
    return np.sqrt((1 - share) * first**2 + share * second**2 + share * (1 - share) * apart**2)
