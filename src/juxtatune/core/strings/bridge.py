"""How moving one string moves the others: the coupling of a bridge."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def coupling(strings: int, bridge: str) -> NDArray[np.float64]:
    """Matrix C (strings, strings): turning string j by x cents moves string i by C[i, j] · x cents.

    A fixed bridge gives a very little; common practice, no source. Another bridge takes its own matrix.
    """
    give = {"fixed": 0.002}.get(bridge, 0.002)
    matrix = np.full((strings, strings), -give)
    np.fill_diagonal(matrix, 1.0)
    return matrix
