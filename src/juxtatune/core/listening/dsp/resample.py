"""Preparing sound: a working rate, levels, and the channel to listen to."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.statistics import frames
from juxtatune.core.listening.source import Samples, Signal

LOWEST_RATE = 12000.0
BLOCK = 32
PORTION = 1 << 16


def decimation(rate: float) -> int:
    """Whole factor that brings a rate down to at least 12 kHz, so that the working rate stays exact."""
    return max(1, int(rate // LOWEST_RATE))


def _low_pass(factor: int) -> Samples:
    """Kaiser-windowed sinc for decimation by a factor: 0.1 dB to 80 % of the new band, -70 dB beyond it."""
    half = 16 * factor
    k = np.arange(-half, half + 1)
    taps = np.sinc(0.9 * k / factor) * np.kaiser(2 * half + 1, 7.0)
    return taps / taps.sum()


class Decimator:
    """Brings sound that comes in blocks to its working rate, low-passed first; keeps the filter's memory.

    The output lags the input by `delay` seconds.
    """

    def __init__(self, rate: float) -> None:
        self.factor = decimation(rate)
        self.rate = rate / self.factor
        self.taps = _low_pass(self.factor) if self.factor > 1 else np.ones(1)
        self.delay = (len(self.taps) - 1) / 2 / rate
        self.kept: Samples = np.zeros(len(self.taps) - 1)
        # BLOCK outputs at once are one product with this band matrix, far quicker than a dot product each
        self.band = np.zeros(((BLOCK - 1) * self.factor + len(self.taps), BLOCK), np.float32)
        for k in range(BLOCK):
            self.band[k * self.factor : k * self.factor + len(self.taps), k] = self.taps

    def feed(self, samples: Samples) -> Samples:
        if self.factor == 1:
            return np.asarray(samples, float)
        joined = np.concatenate([self.kept, samples])
        windows = len(joined) - len(self.taps) + 1
        if windows <= 0:
            self.kept = joined
            return np.zeros(0)
        count = -(-windows // self.factor)
        out = self._convolve(joined, count)
        self.kept = joined[count * self.factor :]
        return out

    def _convolve(self, joined: Samples, count: int) -> Samples:
        width, step = len(self.band), BLOCK * self.factor
        blocks = -(-count // BLOCK)
        padded = np.concatenate([joined, np.zeros(max(0, (blocks - 1) * step + width - len(joined)))])
        views = frames(padded, width, step)[:blocks]
        return (views.astype(np.float32) @ self.band).ravel()[:count].astype(float)


def to_working_rate(samples: Samples, rate: float) -> Signal:
    """The whole sound at its working rate, without delay. Shapes (k,) -> (about k / factor,)."""
    decimator = Decimator(rate)
    if decimator.factor == 1:
        return Signal(np.asarray(samples, float), float(rate))
    half = (len(decimator.taps) - 1) // 2
    decimator.kept = np.zeros(half)
    # in portions that stay in the processor's cache
    parts = [decimator.feed(samples[k : k + PORTION]) for k in range(0, len(samples), PORTION)]
    return Signal(np.concatenate([*parts, decimator.feed(np.zeros(half))]), decimator.rate)


def level_db(samples: Samples) -> float:
    """Root-mean-square level in dB against full scale; -120 for silence."""
    if len(samples) == 0:
        return -120.0
    power = float(np.mean(np.square(samples)))
    return 10 * np.log10(max(power, 1e-12))


def clearest_channel(samples: NDArray[np.floating], rate: float) -> int:
    """Index of the channel with the most tonal energy over its own noise floor; shape (k, channels).

    Summing channels could cancel a string (opposite polarity), so one channel is chosen.
    """
    if samples.shape[1] == 1:
        return 0
    scores = [_tonal_energy(samples[:, c], rate) for c in range(samples.shape[1])]
    return int(np.argmax(scores))


def _tonal_energy(x: Samples, rate: float) -> float:
    """How far spectral peaks stand out, in the louder moments of a sound."""
    if not np.any(x):
        return -np.inf
    size = int(2 ** np.ceil(np.log2(0.12 * rate)))
    if len(x) < size:
        return level_db(x)
    starts = np.linspace(0, len(x) - size, min(200, max(1, 2 * len(x) // size))).astype(int)
    window = np.hanning(size)
    spectra = np.abs(np.fft.rfft(np.stack([x[s : s + size] for s in starts]) * window, axis=1)) ** 2
    top = spectra[:, : int(5000 / rate * size)]
    floor = np.median(top, axis=1) + 1e-20
    crest = 10 * np.log10(np.sort(top, axis=1)[:, -8:].mean(axis=1) / floor + 1e-20)
    loud = 10 * np.log10(top.sum(axis=1) + 1e-20)
    keep = loud >= np.quantile(loud, 0.5)
    # a dead channel's own noise has no crest; between two live ones the cleaner wins
    return float(np.mean(crest[keep]))
