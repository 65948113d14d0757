"""Sorting and medians of short arrays, compiled: numpy's take seconds to compile."""

from __future__ import annotations

import numba as nb
import numpy as np

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")


@_jit
def order(values):
    """Where the values (K,) stand as they rise; of equal ones the first comes first."""
    at = np.arange(len(values))
    for k in range(1, len(values)):
        one, j = at[k], k
        while j > 0 and values[at[j - 1]] > values[one]:
            at[j] = at[j - 1]
            j -= 1
        at[j] = one
    return at


@_jit
def rising(values):
    """The values (K,) as they rise."""
    at, out = order(values), np.empty(len(values))
    for k in range(len(values)):
        out[k] = values[at[k]]
    return out


@_jit
def median(values):
    """The median of values (K,), at least one."""
    sorted_, middle = rising(values), len(values) // 2
    return sorted_[middle] if len(values) % 2 else 0.5 * (sorted_[middle - 1] + sorted_[middle])


@_jit
def copy(values, out):
    """Writes the values (K,) into `out`: an assignment to a slice takes longer to compile."""
    for k in range(len(values)):
        out[k] = values[k]
