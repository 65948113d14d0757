"""Spectral peaks that are new: what sounds after a moment and did not sound before it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.fft import rfft

from juxtatune.core.listening.project import hann
from juxtatune.core.listening.source import Samples

RANGE_DB = 45.0  # peaks further below the strongest do not count
LOWEST_HZ, HIGHEST_HZ = 24.0, 5000.0


@dataclass(frozen=True)
class Peaks:
    """Frequencies in Hz, rising; weight 0 to 1 (how far a peak stands out and how new it is); level in dB."""

    hz: NDArray[np.float64]
    weight: NDArray[np.float64]
    level_db: NDArray[np.float64]
    resolution: float  # Hz between bins of the unpadded spectrum

    @cached_property
    def powers(self) -> NDArray[np.float64]:
        """Power of every peak."""
        return np.asarray(10 ** (self.level_db / 10))

    def heard(self) -> Peaks:
        """The peaks that have any weight."""
        keep = self.weight > 0
        return Peaks(self.hz[keep], self.weight[keep], self.level_db[keep], self.resolution)

    def __len__(self) -> int:
        return len(self.hz)


def power_spectrum(x: Samples, size: int, bins: int | None = None) -> NDArray[np.float64]:
    """Hann-windowed power, scaled so that a sine of amplitude 1 peaks near 1: the first `bins`, or all size // 2 + 1."""
    z = rfft((x * hann(len(x))).astype(np.float32), size)[:bins]
    return np.asarray(z.real.astype(float) ** 2 + z.imag.astype(float) ** 2)


def noise_floor(power: NDArray[np.float64], width: int, at: NDArray[np.int64]) -> NDArray[np.float64]:
    """Level between the peaks, at bins `at`: a low quantile of stretches of `width` bins, scaled to the mean of noise."""
    count = max(1, len(power) // width)
    if count < 3:
        return np.full(len(at), np.quantile(power, 0.3) / 0.357)
    cut = np.partition(power[: count * width].reshape(count, width), int(0.3 * width), axis=1)
    # for exponentially distributed noise power the 30th percentile is 0.357 of the mean
    low = cut[:, int(0.3 * width)] / 0.357
    centres = (np.arange(count) + 0.5) * width
    return np.interp(at, centres, low)


def clear_tops(
    power: NDArray[np.float64], width: int, low: int, high: int, above: float
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Bins from `low` to below `high` that are larger than those beside them and than `above` times the floor, and
    the floor there."""
    high = min(high, len(power) - 2)
    middle = power[low:high]
    at = np.flatnonzero((middle > power[low - 1 : high - 1]) & (middle >= power[low + 1 : high + 1])) + low
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
    at, floor = clear_tops(power, width, int(LOWEST_HZ / step), int(HIGHEST_HZ / step), 10)
    reference = 3.0 * floor
    if before is not None and len(before) >= 64:
        old = power_spectrum(before, size, bins)
        reference = reference + 1.5 * np.maximum(np.maximum(old[at - 1], old[at]), old[at + 1])
    if len(at) == 0:
        empty = np.zeros(0)
        return Peaks(empty, empty, empty, rate / len(after))
    level = 10 * np.log10(power[at] + 1e-30)
    fresh = 10 * np.log10((power[at] + 1e-30) / (reference + 1e-30))
    weight = np.clip(np.minimum(fresh, RANGE_DB + level - level.max()), 0, RANGE_DB) / RANGE_DB
    chosen = np.flatnonzero(weight > 0)
    if len(chosen) > keep:
        chosen = np.sort(chosen[np.argsort(-weight[chosen], kind="stable")[:keep]])
    hz = between_bins(power, at[chosen]) * step
    return Peaks(hz, weight[chosen], level[chosen], rate / len(after))


def between_bins(power: NDArray[np.float64], at: NDArray[np.int64]) -> NDArray[np.float64]:
    """Peak places between bins by a parabola through the log power."""
    a, b, c = (np.log(power[at + k] + 1e-30) for k in (-1, 0, 1))
    curve = a - 2 * b + c
    shift = np.where(np.abs(curve) > 1e-12, 0.5 * (a - c) / np.where(curve == 0, 1, curve), 0.0)
    return at + np.clip(shift, -0.5, 0.5)
