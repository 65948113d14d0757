"""Short-time Fourier coefficients at arbitrary frequencies, between the bins of a transform."""

from __future__ import annotations

from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.source import Samples

FINE = np.int64(32)  # samples
F = NDArray[np.floating]
Z = NDArray[np.complex128]
_jit = nb.njit(cache=True, nogil=True, error_model="numpy")


@lru_cache(maxsize=64)
def hann(size: int) -> Samples:
    """A Hann window (size,) without its zero ends, scaled so that a sine's amplitude comes out. Not to be written to."""
    window = np.hanning(size + 2)[1:-1]
    window /= window.sum() / 2
    window.flags.writeable = False
    return window


def project(x: Samples, starts: NDArray[np.int64], window: F, hz: F, rate: float) -> Z:
    """Projections of the frames of a sound (N,) that begin at samples `starts` (M,) on each frequency (P,): (M, P), phase
    referred to the middle of a frame.

    A frame is as long as the window (size,), which must be symmetric, so that both halves are folded first. Single precision
    is exact to 1e-6 rad, far below any reading's certainty. Raises IndexError where a frame reaches beyond the sound.
    """
    size = len(window)
    if len(starts) and (starts.min() < 0 or starts.max() + size > len(x)):
        raise IndexError(f"stretches of {size} samples reach beyond a sound of {len(x)}")
    late_half = window[size - size // 2 :].astype(np.float32)
    both, apart, middle, real, imaginary = _laid_out(
        np.ascontiguousarray(x, float),
        np.asarray(starts, np.int64),
        np.asarray(hz / rate, float),
        late_half,
        size,
    )
    out = np.empty((len(starts), len(hz)), complex)
    out.real = both @ real + (middle * window[size // 2])[:, None]
    out.imag = -(apart @ imaginary)
    return out


@_jit
def _laid_out(x, starts, per_sample, late_half, size):
    """The frames folded about their middles, and the cosines and sines they are multiplied with."""
    both, apart, middle = _folded(x, starts, size)
    real, imaginary = _turned(per_sample, late_half, 0.5 if size % 2 == 0 else 1.0)
    return both, apart, middle, real, imaginary


@_jit
def _folded(x, starts, size):
    """Sum and difference (M, half) of each frame's second half and its reversed first half, and the middle samples (M,)."""
    half = size // 2
    both, apart = np.empty((len(starts), half), np.float32), np.empty((len(starts), half), np.float32)
    middle = np.zeros(len(starts))
    for m in range(len(starts)):
        begin, end = starts[m], starts[m] + size
        late, early = x[end - half : end], x[begin : begin + half]
        added, taken = both[m], apart[m]
        for k in range(half):
            # unsigned, so that it is not asked whether it counts from the end
            a, b = np.float32(late[k]), np.float32(early[np.uint64(half - 1 - k)])
            added[k] = a + b
            taken[k] = a - b
        if size % 2:
            middle[m] = x[begin + half]
    return both, apart, middle


@_jit
def _turned(per_sample, weight, first):
    """Cosines and sines (half, P) of frequencies (turns per sample) from `first` samples on, weighted (half,).

    Every angle is the sum of a coarse one and a fine one, which are few.
    """
    half, count = len(weight), len(per_sample)
    real, imaginary = np.empty((half, count), np.float32), np.empty((half, count), np.float32)
    cosine, sine = _circle(per_sample, 0.0, 1.0, FINE)
    coarse, across = _circle(per_sample, first, float(FINE), (half + FINE - 1) // FINE)
    for begin in range(len(coarse)):
        c, s = coarse[begin], across[begin]
        for k in range(min(FINE, half - begin * FINE)):
            at = begin * FINE + k
            for p in range(count):
                real[at, p] = weight[at] * (c[p] * cosine[k, p] - s[p] * sine[k, p])
                imaginary[at, p] = weight[at] * (s[p] * cosine[k, p] + c[p] * sine[k, p])
    return real, imaginary


@_jit
def _circle(per_sample, first, step, many):
    """Cosines and sines (many, P) of so many turns per sample, each from the one before."""
    cosine = np.empty((many, len(per_sample)), np.float32)
    sine = np.empty((many, len(per_sample)), np.float32)
    for p in range(len(per_sample)):
        c, s = _turn(per_sample[p] * first)
        on, across = _turn(per_sample[p] * step)
        for k in range(many):
            cosine[k, p], sine[k, p] = c, s
            c, s = c * on - s * across, s * on + c * across
    return cosine, sine


@_jit
def _turn(turns):
    """Cosine and sine of so many turns."""
    angle = 2 * np.pi * (turns - np.rint(turns))
    return np.cos(angle), np.sin(angle)
