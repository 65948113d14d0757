"""Mains hum tracked and removed: its harmonics are multiples of one slowly drifting phase, at steady levels.

Lines of hum are what is steady in the quietest moments at multiples of about 50 or 60 Hz. Their common phase is
followed from second to second, each counting for less while a string lies upon it; so also a string tuned to the very
frequency of the hum keeps all of its own sound.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.statistics import frames
from juxtatune.core.listening.source import Samples, Signal

F = NDArray[np.floating]
MAINS_HZ = (50.0, 60.0)


class HumParameters(NamedTuple):
    """Mains hum."""

    max_mains_error: float = 0.006  # of its frequency, that the mains may be off by
    max_harmonic: int = 16
    frame_s: float = 1.0
    hop_s: float = 0.5
    min_frames: int = 4
    max_frames: int = 60  # moments in which hum is looked for
    quiet_quantile: float = 0.3  # of all moments
    max_level_ratio: float = 1.35  # by which a line's size may change among the quietest moments
    min_snr: float = 4.0  # times the size of what lies beside
    min_lines: int = 2
    max_own_level_ratio: float = 1.4  # times its quiet size: more is a string
    moment_s: float = 0.12
    min_power_ratio: float = 1e-10  # quieter moments are gaps in the sound
    min_present_power_ratio: float = 0.1
    block_frames: int = 40  # moments for which a line keeps one size


HUM = HumParameters()


@dataclass(frozen=True)
class Hum:
    """Frequency of the mains in Hz, the harmonics (P,) heard, and their sizes (P,)."""

    base: float
    numbers: NDArray[np.int64]
    quiet: F


def without_hum(signal: Signal) -> Signal:
    """The sound without mains hum; the very same where none is found or the sound is shorter than 2.5 s."""
    hum = find_hum(signal)
    return signal if hum is None else taken_out(hum, signal)


def find_hum(signal: Signal, least: int = HUM.min_frames) -> Hum | None:
    """The hum in a sound of `least` half seconds and a half; None where there is none."""
    x, rate = signal
    starts, _, window = _moments(signal)
    if len(starts) < least:
        return None
    starts = starts[:: max(1, len(starts) // HUM.max_frames)]
    parts = frames(np.ascontiguousarray(x), len(window), 1)[starts]
    spectrum = np.quantile(np.abs(np.fft.rfft(parts * window)), HUM.quiet_quantile, axis=0)
    for mains in MAINS_HZ:
        if _suspected(spectrum, mains):
            hum = _lines(x, starts, window, mains, rate)
            if len(hum.numbers) >= HUM.min_lines and hum.numbers[0] <= 3 and _always(signal, hum):
                return hum
    return None


def taken_out(hum: Hum, signal: Signal) -> Signal:
    """The sound without a hum that is known, followed through it."""
    x, rate = signal
    starts, t, window = _moments(signal)
    if len(starts) == 0:
        return signal
    expected = hum.numbers * hum.base
    z = project(x, starts, window, expected, rate) * np.exp(-2j * np.pi * t[:, None] * expected)
    phase = _followed(z, hum.numbers, hum.quiet)
    hummed = _rebuilt(len(x), rate, t, hum, phase, _sizes(z, hum.numbers, phase, hum.quiet))
    return Signal(x - hummed, rate)


def _moments(signal: Signal) -> tuple[NDArray[np.int64], F, F]:
    """Where stretches of a second begin (M,), their middles (M,) in s, and the window (size,)."""
    x, rate = signal
    size, hop = int(HUM.frame_s * rate), int(HUM.hop_s * rate)
    starts = np.arange(0, len(x) - size + 1, hop)
    return starts, (starts + (size - 1) / 2) / rate, hann(size)


def _suspected(spectrum: F, mains: float) -> bool:
    """A quick look at the quiet moments' sizes by Hz: does something stand near the low harmonics?"""
    found = 0
    for n in range(1, 6):
        reach = 1 + int(np.ceil(HUM.max_mains_error * n * mains))
        at = round(n * mains)
        if at + reach + 4 < len(spectrum):
            peak = spectrum[at - reach : at + reach + 1].max()
            found += peak > HUM.min_snr / 2 * max(spectrum[at - reach - 4], spectrum[at + reach + 4])
    return found >= HUM.min_lines


def _lines(x: Samples, starts: NDArray[np.int64], window: F, mains: float, rate: float) -> Hum:
    """The harmonics that are heard steadily."""
    n = np.arange(1, min(HUM.max_harmonic, int(0.45 * rate / mains)) + 1)
    base = _frequency(x, starts, window, n, mains, rate)
    beside = np.concatenate([n * base - 5.0, n * base + 5.0])
    size = np.abs(project(x, starts, window, np.concatenate([n * base, beside]), rate))
    low, high = np.quantile(size, [0.05, HUM.quiet_quantile], axis=0)
    around = np.maximum(*np.split(high[len(n) :], 2))
    heard = (high[: len(n)] > HUM.min_snr * around) & (high[: len(n)] < HUM.max_level_ratio * low[: len(n)])
    return Hum(base, n[heard], high[: len(n)][heard])


def _always(signal: Signal, hum: Hum) -> bool:
    """Whether its lines sound in the quietest moment too, as those of a string that rings for seconds do not."""
    x, rate = signal
    size = int(HUM.moment_s * rate)
    moments = frames(np.ascontiguousarray(x), size, size // 3)
    power = np.mean(moments**2, axis=1)
    # a gap in the sound is no moment
    quietest = moments[int(np.argmin(np.where(power > HUM.min_power_ratio * power.max(), power, np.inf)))]
    heard = np.abs(project(quietest, np.zeros(1, np.int64), hann(size), hum.numbers * hum.base, rate))[0]
    return bool(np.sum(heard**2) > HUM.min_present_power_ratio * np.sum(hum.quiet**2))


def _frequency(
    x: Samples, starts: NDArray[np.int64], window: F, n: NDArray[np.int64], mains: float, rate: float
) -> float:
    """Where the harmonics of the quietest moments are largest together, near a mains frequency."""
    tried = mains * (1 + np.linspace(-HUM.max_mains_error, HUM.max_mains_error, 25))
    z = np.abs(project(x, starts, window, np.outer(tried, n[:4]).ravel(), rate))
    quiet = np.quantile(z, HUM.quiet_quantile, axis=0).reshape(len(tried), -1)
    return float(tried[int(np.argmax(quiet.sum(axis=1)))])


def _followed(z: NDArray[np.complex128], numbers: NDArray[np.int64], quiet: F) -> F:
    """The phase (M,) of the fundamental beside that of its mean frequency; high harmonics are unwrapped about low ones."""
    trust = quiet * np.minimum(1.0, (quiet / (np.abs(z) + 1e-30)) ** 4)
    both = np.minimum(trust[1:], trust[:-1])
    turn = np.angle(z[1:] * np.conj(z[:-1]))
    top, bottom = np.zeros(len(z) - 1), np.full(len(z) - 1, 1e-30)
    for j, n in enumerate(numbers):
        expected = n * top / bottom
        step = expected + np.angle(np.exp(1j * (turn[:, j] - expected)))
        top += both[:, j] * n * step
        bottom += both[:, j] * n * n
    return np.concatenate([[0.0], np.cumsum(top / bottom)])


def _sizes(
    z: NDArray[np.complex128], numbers: NDArray[np.int64], phase: F, quiet: F
) -> NDArray[np.complex128]:
    """Amplitude and phase (M, P) of every harmonic where no string lies upon it, one for each stretch of time."""
    still = z * np.exp(-1j * phase[:, None] * numbers)
    alone = np.abs(still) < HUM.max_own_level_ratio * quiet
    out = np.empty_like(still)
    for rows in np.array_split(np.arange(len(z)), -(-len(z) // HUM.block_frames)):
        for j in range(len(numbers)):
            good = still[rows, j][alone[rows, j]]
            good = good if len(good) > 2 else still[:, j][alone[:, j]]
            out[rows, j] = np.median(good.real) + 1j * np.median(good.imag) if len(good) else 0.0
    return out


def _rebuilt(count: int, rate: float, t: F, hum: Hum, phase: F, sizes: NDArray[np.complex128]) -> Samples:
    """The hum (count,) by itself."""
    at = np.arange(count) / rate
    turn = np.exp(1j * (2 * np.pi * hum.base * at + np.interp(at, t, phase)))
    row = np.clip(np.searchsorted(t, at), 0, len(t) - 1)
    out, wave, power = np.zeros(count), np.ones(count, complex), 0
    for j, n in enumerate(hum.numbers):
        while power < n:
            wave, power = wave * turn, power + 1
        out += (sizes[row, j] * wave).real
    return out
