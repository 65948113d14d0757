"""Compiled kernels for events: how far partials depart from what the frames before predict.

Projections are (K, 4, P), of P partials near `hz` (P,) at K moments: a size before a moment, a short step before it, at
it, and some samples ahead.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.dsp.statistics import median

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
SHARP, ALIKE = 0.005, 0.0035  # of a pitch: nine cents, and how much partials that glide differ in it
RANG = 0.05  # power before by power after


@_jit
def exact(near, first, second, step):
    """Frequency of partials (turns per sample) from their phase advance over `step` samples, unwrapped near `near`."""
    out = np.empty(len(near))
    for p in range(len(near)):
        turns = near[p] * step
        turned = np.angle(second[p] * np.conj(first[p])) / (2 * np.pi) - turns
        out[p] = near[p] + (turned - np.rint(turned)) / step
    return out


@_jit
def before(z, hz, step):
    """Extrapolates partials back from a moment later (K, P), and flags the rows that were sharp (K,): at an attack all are,
    and alike. A short `step` (samples) avoids ambiguity; `hz` in turns per sample."""
    near, were = np.empty((len(z), len(hz))), np.zeros(len(z), np.bool_)
    off = np.empty(len(hz))
    for k in range(len(z)):
        moved = exact(hz, z[k, 1], z[k, 2], step)
        for p in range(len(hz)):
            moved[p] = moved[p] / hz[p] - 1
        sharp = median(moved)
        for p in range(len(hz)):
            off[p] = abs(moved[p] - sharp)
        were[k] = abs(sharp) > SHARP and median(off) < ALIKE and power(z[k, 2]) > RANG * power(z[k, 3])
        for p in range(len(hz)):
            near[k, p] = hz[p] * (1 + (sharp if were[k] else 0.0))
    return near, were


@_jit
def jumps(z, near, size, ahead):
    """Relative prediction error of the partials at each moment (K,): the lesser of the median over partials and the mean by
    energy, and the total by power."""
    less, more, rise = np.empty(len(z)), np.empty(len(z)), np.empty(len(z))
    share = np.empty(near.shape[1])
    for k in range(len(z)):
        second, third = z[k, 2], z[k, 3]
        turns = exact(near[k], z[k, 0], second, size)
        square = whole = 0.0
        for p in range(len(share)):
            angle = 2 * np.pi * turns[p] * ahead
            off = abs(third[p] - second[p] * (np.cos(angle) + 1j * np.sin(angle)))
            most = max(abs(third[p]), abs(second[p])) + 1e-15
            share[p] = off / most
            square += off**2
            whole += most**2
        middle, mean = median(share), np.sqrt(square / whole)
        less[k], more[k] = min(middle, mean), max(middle, mean)
        rise[k] = power(third) / (power(second) + 1e-30)
    return less, more, rise


@_jit
def power(z):
    """Total power of partials (P,)."""
    total = 0.0
    for p in range(len(z)):
        total += z[p].real ** 2 + z[p].imag ** 2
    return total
