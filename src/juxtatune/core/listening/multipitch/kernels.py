"""Compiled kernel of the vote: how many partials agree on each offset of a string."""

from __future__ import annotations

import numba as nb
import numpy as np

WIDEST = 6.0  # widths from its middle, a vote is nothing


@nb.njit(cache=True, nogil=True)
def density(cents, width, weight, columns, partials, grid):
    """Votes on each offset of an even `grid` (G,) in cents: each partial gives its best sinusoid's vote.

    Sinusoid k lies at cents[k] with width width[k], counts weight[k] and may be partial columns[k] (from 0).
    """
    step = grid[1] - grid[0]
    best = np.zeros((partials, len(grid)))
    for k in range(len(cents)):
        middle, reach = (cents[k] - grid[0]) / step, WIDEST * width[k] / step
        for i in range(max(0, int(middle - reach)), min(len(grid), int(middle + reach) + 2)):
            away = (grid[i] - cents[k]) / width[k]
            best[columns[k], i] = max(best[columns[k], i], weight[k] * np.exp(-0.5 * away * away))
    total = np.zeros(len(grid))
    for p in range(partials):
        for i in range(len(grid)):
            total[i] += best[p, i]
    return total
