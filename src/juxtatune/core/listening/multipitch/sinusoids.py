"""All damped sinusoids of a strum, also those a fraction of a hertz apart (`matrix_pencil`)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.peaks import clear_tops, power_spectrum
from juxtatune.core.listening.multipitch import matrix_pencil
from juxtatune.core.listening.source import Signal

F = NDArray[np.float64]
Rows = NDArray[np.bool_]


class SinusoidsParameters(NamedTuple):
    """Bands of the matrix pencil."""

    top_hz: float = 3600.0
    band_spacing_hz: float = 5.0  # from one band to the next


SINUSOIDS = SinusoidsParameters()


@dataclass(frozen=True)
class Sinusoids:
    """Hz, level in dB over the weakest that counts, 1σ in Hz, band. All (k,), rising in Hz.

    `z` (M, bands) are the bands about `centres` they were found in, `noise` the power of noise in one.
    """

    hz: F
    level: F
    sigma: F
    band: NDArray[np.int64]
    parts: tuple[matrix_pencil.DampedSinusoid, ...]
    z: NDArray[np.complex128]
    centres: F
    noise: float


def sinusoids(signal: Signal, within: list[tuple[float, float]] | None = None) -> Sinusoids | None:
    """Every damped sinusoid of a stretch of sound (N,) at `rate` Hz that stands above the noise; None when there is none.

    `within` are the stretches (Hz) that are asked for; all are when it is None.
    """
    if not matrix_pencil.long_enough(signal):
        return None
    centres = _bands(signal)
    if within is not None:
        low, high = np.array(within).T[:, :, None]
        centres = centres[
            ((centres > low - matrix_pencil.PENCIL.reach_hz) & (centres < high + matrix_pencil.PENCIL.reach_hz)).any(axis=0)
        ]
    if len(centres) == 0:
        return None
    z = matrix_pencil.bands(signal, centres)
    # values half a window apart say nearly all there is of noise
    quiet = matrix_pencil.bands(signal, np.arange(30.0, SINUSOIDS.top_hz, 23.0), matrix_pencil.PENCIL.window_s / 2)
    noise = float(np.quantile(np.median(np.abs(quiet) ** 2, axis=0), 0.1)) / np.log(2)
    least = 3e-4 * float(np.max(np.abs(z)))
    edges = np.concatenate([[0.0], (centres[1:] + centres[:-1]) / 2, [np.inf]])
    rows = [
        (c, k)
        for k, found in enumerate(matrix_pencil.damped_sinusoids(z, matrix_pencil.PENCIL.step_s, centres, noise))
        for c in found
        if edges[k] <= c.hz < edges[k + 1] and c.amplitude > least
    ]
    if not rows:
        return None
    rows.sort(key=lambda row: row[0].hz)
    hz, amplitude, sigma = (
        np.array(v) for v in zip(*((c.hz, c.amplitude, c.sigma) for c, _ in rows), strict=True)
    )
    return Sinusoids(
        hz, 20 * np.log10(amplitude / least), sigma, np.array([k for _, k in rows]), tuple(c for c, _ in rows), z,
        centres, noise,
    )  # fmt: skip


def _bands(signal: Signal) -> F:
    """Centres (Hz) of the bands with energy above the noise."""
    x, rate = signal
    size = 1 << int(np.ceil(np.log2(len(x) * 2)))
    power = power_spectrum(x, size)
    step = rate / size
    at, _ = clear_tops(power, int(180 / step) | 1, 1, int(SINUSOIDS.top_hz / step), 12)
    strong = at[power[at] > power.max() * 3e-7]
    apart, taken = int(SINUSOIDS.band_spacing_hz / step), np.zeros(len(power), bool)
    chosen = []
    for k in strong[np.argsort(-power[strong], kind="stable")]:
        if not taken[k]:
            chosen.append(k)
            taken[max(0, k - apart) : k + apart + 1] = True
    return np.sort(np.array(chosen, float)) * step
