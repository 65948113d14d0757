"""Compiled kernel: how far each frame rises above the frames before it."""

from __future__ import annotations

import numba as nb
import numpy as np

LAG, AROUND = 6, 2  # frames between what is compared, and on either side of the earlier one
STEADY_DB, MOST_DB = 3.0, 25.0  # what does not count as a rise, and what counts as much as any
DB = 20 / np.log(10)


@nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "nsz", "contract"})
def rises(logs):
    """Mean rise in dB of log magnitudes (M, bins) in every frame (M,) over the loudest of the frames a lag before; 0 for the
    first ones."""
    out, loudest = np.zeros(len(logs)), np.empty(logs.shape[1], logs.dtype)
    for i in range(LAG, len(logs)):
        middle = i - LAG
        for k in range(len(loudest)):
            loudest[k] = logs[middle, k]
        for j in range(max(0, middle - AROUND), middle + AROUND + 1):
            row = logs[j]
            for k in range(len(row)):
                loudest[k] = max(loudest[k], row[k])
        total, row = 0.0, logs[i]
        for k in range(len(row)):
            total += min(max((row[k] - loudest[k]) * DB - STEADY_DB, 0.0), MOST_DB)
        out[i] = total / logs.shape[1]
    return out
