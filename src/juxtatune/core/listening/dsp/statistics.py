"""Moving statistics, medians of short arrays, and the law of mixtures.

The moving ones stand in for SciPy's, which take half a second to import; the compiled ones for numpy's, which take seconds
to compile.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

F = NDArray[np.floating]


def windows(values: F, width: int) -> F:
    """Every stretch of `width` (odd) values centred on each value: (k,) -> (k, width)."""
    half = width // 2
    padded = np.concatenate([np.repeat(values[:1], half), values, np.repeat(values[-1:], half)])
    return np.lib.stride_tricks.sliding_window_view(padded, width)


def moving_max(values: F, width: int) -> F:
    return np.asarray(windows(values, width).max(axis=1))


def moving_min(values: F, width: int) -> F:
    return np.asarray(windows(values, width).min(axis=1))


def moving_mean(values: F, width: int) -> F:
    return np.asarray(windows(values, width).mean(axis=1))


def moving_median(values: F, width: int) -> F:
    return np.asarray(np.partition(windows(values, width), width // 2, axis=1)[:, width // 2])


def frames(values: F, size: int, step: int) -> F:
    """Stretches of `size` values, one every `step`: (k,) -> ((k - size) // step + 1, size), without a copy.

    The same as NumPy's sliding windows, whose checks take longer than a block of live sound allows.
    """
    count = max(0, (len(values) - size) // step + 1)
    by = values.strides[0]
    return np.lib.stride_tricks.as_strided(values, (count, size), (by * step, by), writeable=False)


def medians(rows: F) -> F:
    """The median of each row: for short ones in a tenth of numpy's time."""
    ordered, count = np.sort(rows, axis=-1), rows.shape[-1]
    return np.asarray((ordered[..., (count - 1) // 2] + ordered[..., count // 2]) / 2)


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


def mixture_sigma(share, first, second, apart):
    """1σ of a value that is the second's with probability `share` (0 to 1) and else the first's, `apart` from it.

    Variance of a mixture: (1 - s) σ1² + s σ2² + s (1 - s) Δ². Compiled code calls it too.
    """
    return np.sqrt((1 - share) * first**2 + share * second**2 + share * (1 - share) * apart**2)
