"""Decaying cosines, in a third of NumPy's time: making sounds is most of what tests and benchmarks wait for."""

from __future__ import annotations

import numba as nb
import numpy as np

BLOCK = 512
WHOLE = 1.5 * 2.0**52  # what is added to it has no fraction


@nb.njit(cache=True, nogil=True, error_model="numpy")
def cosine(t, hz, phase):
    """cos(2π hz t + phase) of times (N,) in s, as exact as hz t is: 1 - 2 sin² of half the angle, by Taylor's series."""
    out = np.empty(len(t))
    turns = phase / (2 * np.pi)
    for k in range(len(t)):
        r = hz * t[k] + turns
        y = np.pi * (r - ((r + WHOLE) - WHOLE))
        q = y * y
        s = 1 / 355687428096000 - q / 121645100408832000
        s = 1 / 6227020800 - q * (1 / 1307674368000 - q * s)
        s = 1 / 362880 - q * (1 / 39916800 - q * s)
        s = 1 - q * (1 / 6 - q * (1 / 120 - q * (1 / 5040 - q * s)))
        out[k] = 1 - 2 * q * s * s
    return out


def decaying(count, rate, time):
    """exp(-t / time) of `count` samples: (count,)."""
    blocks = np.exp(-np.arange(-(-count // BLOCK)) * (BLOCK / rate / time))
    return (blocks[:, None] * np.exp(-np.arange(BLOCK) / rate / time)).ravel()[:count]
