"""Onset candidates by spectral flux, deliberately liberal: later stages reject the false ones.

A spectral flux (Bello et al. 2005) against a moving noise floor: the rise of each bin over the loudest of
some frames before, in dB, with steady noise and ringing strings compressed away.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.fft import rfft
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann
from juxtatune.core.listening.dsp.statistics import frames, moving_max, moving_mean, moving_median, moving_min
from juxtatune.core.listening.onset.kernels import AROUND, LAG, rises
from juxtatune.core.listening.source import Samples, Signal


class FluxParameters(NamedTuple):
    """Spectral flux and its peaks."""

    hop_s: float = 0.0105
    window_s: float = 0.085
    chunk_s: float = 20.0
    portion_frames: int = 128
    floor_every_frames: int = 50
    lead_s: float = 0.015  # from the top of the rise to the onset, as measured on plucks of known onset


FLUX = FluxParameters()


F32 = NDArray[np.float32]


def frame_size(rate: float) -> int:
    return 1 << int(np.ceil(np.log2(FLUX.window_s * rate)))


def flux(signal: Signal) -> tuple[NDArray[np.float64], float, int]:
    """Spectral flux in dB per bin, one value a hop; with the hop in s and the frame size in samples."""
    x, rate = signal
    size, hop = frame_size(rate), max(1, round(FLUX.hop_s * rate))
    window = hann(size).astype(np.float32)
    padded = np.concatenate([np.zeros(size // 2), x, np.zeros(size)]).astype(np.float32)
    count = len(x) // hop + 1
    rows = frames(padded, size, hop)[:count]
    low, high = int(50 / rate * size), int(min(4500, 0.46 * rate) / rate * size)
    per_chunk = int(FLUX.chunk_s / (hop / rate))
    out = []
    carry: F32 | None = None
    for begin in range(0, len(rows), per_chunk):
        some = rows[begin : begin + per_chunk]
        # in portions that stay in the processor's cache
        magnitude = np.concatenate([
            np.abs(rfft(some[k : k + FLUX.portion_frames] * window, axis=1)[:, low:high])
            for k in range(0, len(some), FLUX.portion_frames)
        ])  # fmt: skip
        out.append(_rise(magnitude, carry))
        carry = magnitude[-2 * LAG :]
    return np.concatenate(out) if out else np.zeros(0), hop / rate, size


def _floor(magnitude: F32) -> F32:
    """Noise floor of each bin."""
    quarter = (len(magnitude) - 1) // 4
    floor = np.partition(magnitude.T.copy(), quarter, axis=1)[:, quarter]
    floor = moving_median(floor, 31) * np.float32(1.6)
    return np.asarray(np.maximum(floor, 2e-4 * magnitude.max()) + 3e-10)


def _rise(magnitude: F32, carry: F32 | None) -> NDArray[np.float64]:
    floor = _floor(magnitude)
    lead = carry if carry is not None else np.zeros((0, magnitude.shape[1]), np.float32)
    return _rise_over(np.concatenate([lead, magnitude]), floor)[len(lead) :]


def _rise_over(magnitude: F32, floor: F32) -> NDArray[np.float64]:
    return np.asarray(rises(np.log(magnitude + 2 * floor)))


def onsets(signal: Signal) -> list[float]:
    """Candidate onset times in s, at least 60 ms apart."""
    rise, hop, _ = flux(signal)
    return pick_peaks(rise, hop)


def pick_peaks(rise: NDArray[np.float64], hop: float) -> list[float]:
    """Times (s) of flux peaks that stand out, at least 60 ms apart; `hop` in s."""
    if len(rise) < 3:
        return []
    smooth = moving_mean(rise, 3)
    typical = float(np.median(smooth))
    spread = float(np.median(np.abs(smooth - typical))) / 0.6745
    threshold = max(0.12, typical + 5 * spread)
    around = moving_max(smooth, 2 * int(0.045 / hop) + 1)
    valley = moving_min(smooth, 2 * int(0.12 / hop) + 1)
    tops = np.flatnonzero((smooth == around) & (smooth > threshold) & (smooth > 1.25 * valley))
    times: list[float] = []
    for k in tops:
        # the rise is steepest while the frame's end passes over the onset
        t = max(0.0, k * hop + FLUX.lead_s)
        if times and t - times[-1] < 0.06:
            continue
        times.append(t)
    return times


class RollingFlux:
    """The same flux over a stream: each frame is transformed once, the last seconds are kept."""

    def __init__(self, rate: float, keep_s: float) -> None:
        self.size, step = frame_size(rate), max(1, round(FLUX.hop_s * rate))
        self.rate, self.step, self.hop = rate, step, step / rate
        self._keep = int(keep_s / self.hop)
        self._window = hann(self.size).astype(np.float32)
        self._band = slice(int(50 / rate * self.size), int(min(4500, 0.46 * rate) / rate * self.size))
        self._waiting = np.zeros(self.size // 2, np.float32)
        self._magnitude = np.zeros((0, self._band.stop - self._band.start), np.float32)
        self._rise = np.zeros(0)
        self._floor: F32 | None = None
        self._first = self._total = 0

    def feed(self, x: Samples) -> None:
        """Takes in more sound at the working rate."""
        waiting = np.concatenate([self._waiting, x.astype(np.float32)])
        count = max(0, (len(waiting) - self.size) // self.step + 1)
        self._waiting = waiting[count * self.step :]
        if count == 0:
            return
        fresh = np.abs(rfft(frames(waiting, self.size, self.step) * self._window, axis=1)[:, self._band])
        lead = self._magnitude[-(LAG + AROUND) :]
        self._magnitude = np.concatenate([self._magnitude, fresh])[-self._keep :]
        if self._floor is None or self._total // FLUX.floor_every_frames != (self._total + count) // FLUX.floor_every_frames:
            self._floor = _floor(self._magnitude)
        rise = _rise_over(np.concatenate([lead, fresh]), self._floor)[len(lead) :]
        self._rise = np.concatenate([self._rise, rise])[-self._keep :]
        self._total += count
        self._first = self._total - len(self._rise)

    def onsets(self) -> list[float]:
        """Candidate onsets of the last seconds, in s since the first sample."""
        return [self._first * self.hop + t for t in pick_peaks(self._rise, self.hop)]
