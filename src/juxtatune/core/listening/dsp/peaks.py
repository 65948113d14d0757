"""Spectral peaks, the noise floor, and which peaks after an onset were not there before it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numba as nb
import numpy as np
from numpy.fft import rfft
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann
from juxtatune.core.listening.dsp.statistics import order
from juxtatune.core.listening.source import Samples

RANGE_DB = 45.0  # peaks further below the strongest do not count
LOWEST_HZ, HIGHEST_HZ = 24.0, 5000.0
NOTHING = np.zeros(0)
F = NDArray[np.float64]
HIGHER = 0.06  # in weight, what a peak an octave higher says less of where the fundamental is
_jit = nb.njit(cache=True, nogil=True, error_model="numpy")


@dataclass(frozen=True)
class Peaks:
    """Frequencies in Hz, rising; weight 0 to 1 (how far a peak stands out and how new it is); level in dB."""

    hz: F
    weight: F
    level_db: F
    resolution: float  # Hz between bins of the unpadded spectrum

    @cached_property
    def powers(self) -> F:
        """Power of every peak."""
        return np.asarray(10 ** (self.level_db / 10))

    def heard(self) -> Peaks:
        """The peaks that have any weight."""
        keep = self.weight > 0
        return Peaks(self.hz[keep], self.weight[keep], self.level_db[keep], self.resolution)

    def __len__(self) -> int:
        return len(self.hz)


def power_spectrum(x: Samples, size: int, bins: int | None = None) -> F:
    """Hann-windowed power, scaled so that a sine of amplitude 1 peaks near 1: the first `bins`, or all size // 2 + 1."""
    return np.asarray(_squares(rfft(x * hann(len(x)), size)[:bins].view(float)))


@_jit
def _squares(pairs: F) -> F:
    """Power of real and imaginary parts in turn (2 k,): (k,)."""
    out = np.empty(len(pairs) // 2)
    for k in range(len(out)):
        real, imaginary = pairs[2 * k], pairs[2 * k + 1]
        out[k] = real * real + imaginary * imaginary
    return out


def noise_floor(power: F, width: int, at: NDArray[np.int64]) -> F:
    """Level between the peaks, at bins `at`: a low quantile of stretches of `width` bins, scaled to the mean of noise."""
    count = max(1, len(power) // width)
    if count < 3:
        return np.full(len(at), np.quantile(power, 0.3) / 0.357)
    place = int(0.3 * width)
    # for exponentially distributed noise power the 30th percentile is 0.357 of the mean
    low = np.partition(power[: count * width].reshape(count, width), place, axis=1)[:, place] / 0.357
    return np.interp(at, (np.arange(count) + 0.5) * width, low)


def clear_tops(power: F, width: int, low: int, high: int, above: float) -> tuple[NDArray[np.int64], F]:
    """Bins from `low` to below `high` that are larger than those beside them and than `above` times the floor, and
    the floor there."""
    some = power[low - 1 : min(high, len(power) - 2) + 1]
    rises = some[1:] > some[:-1]
    at = np.flatnonzero(rises[:-1] & ~rises[1:]) + low
    floor = noise_floor(power, width, at)
    clear = power[at] > above * floor
    return at[clear], floor[clear]


def new_peaks(after: Samples, before: Samples | None, rate: float, keep: int = 40) -> Peaks:
    """Peaks of `after`, weighted by what they rise above `before` (same length or shorter) and the floor."""
    size = 1 << int(np.ceil(np.log2(len(after) * 2)))
    step = rate / size
    width = max(9, int(150 / step) | 1)
    # whole stretches, one beyond the highest peak
    bins = (int(HIGHEST_HZ / step) // width + 3) * width
    power = power_spectrum(after, size, bins)
    old = NOTHING if before is None or len(before) < 64 else power_spectrum(before, size, bins)
    low, high = int(LOWEST_HZ / step), int(HIGHEST_HZ / step)
    at, weight, level = _weighed(power, old, *clear_tops(power, width, low, high, 10.0), keep)
    return Peaks(at * step, weight, level, rate / len(after))


@_jit
def _weighed(power: F, old: F, at: NDArray[np.int64], floor: F, keep: int) -> tuple[F, F, F]:
    """Peaks between bins, their weights and levels (dB): the heaviest, the low ones rather, at most `keep`."""
    level, weight, rank, loudest = np.empty(len(at)), np.empty(len(at)), np.empty(len(at)), -np.inf
    for j, k in enumerate(at):
        beside = max(old[k - 1], old[k], old[k + 1]) if len(old) > 0 else 0.0
        level[j] = 10 * np.log10(power[k] + 1e-30)
        weight[j] = 10 * np.log10((power[k] + 1e-30) / (3.0 * floor[j] + 1.5 * beside + 1e-30))
        loudest = max(loudest, level[j])
    count = 0
    for j in range(len(at)):
        weight[j] = min(max(min(weight[j], RANGE_DB + level[j] - loudest), 0.0), RANGE_DB) / RANGE_DB
        # of a bright low string a hundred partials stand out, and the first few say the most
        rank[j] = HIGHER * np.log2(at[j]) - weight[j] if weight[j] > 0 else np.inf
        count += weight[j] > 0
    chosen = np.zeros(len(at), np.bool_)
    for j in order(rank)[: min(count, keep)]:
        chosen[j] = True
    where = np.flatnonzero(chosen)
    return between_bins(power, at[where]), weight[where], level[where]


@_jit
def between_bins(power: F, at: NDArray[np.int64]) -> F:
    """Peak places between bins by a parabola through the log power."""
    out = at.astype(np.float64)
    for j, k in enumerate(at):
        a, b, c = np.log(power[k - 1] + 1e-30), np.log(power[k] + 1e-30), np.log(power[k + 1] + 1e-30)
        curve = a - 2 * b + c
        if abs(curve) > 1e-12:
            out[j] += min(max(0.5 * (a - c) / curve, -0.5), 0.5)
    return out
