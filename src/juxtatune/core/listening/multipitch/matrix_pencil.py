"""Damped sinusoids closer together than a spectrum resolves: the matrix pencil method.

Hua and Sarkar, "Matrix pencil method for estimating parameters of exponentially damped/undamped sinusoids in
noise", IEEE Trans. ASSP 38 (1990). It is used on narrow bands: a band is turned down to zero, low-passed by
a window and read every few hundredths of a second, so that only what rings near its centre is left.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import project
from juxtatune.core.listening.source import Signal

F = NDArray[np.float64]
Z = NDArray[np.complex128]


class PencilParameters(NamedTuple):
    """Matrix pencil on narrow bands."""

    window_s: float = 0.2
    step_s: float = 0.02
    reach_hz: float = 8.0  # of a band: further out the window takes too much away
    max_order: int = 6  # components of one band
    min_values: int = 3 * (max_order + 2)
    min_singular_ratio: float = 3e-3  # size of the weakest singular value that counts, against the strongest
    max_decay_per_s: float = 14.0


PENCIL = PencilParameters()


@dataclass(frozen=True)
class DampedSinusoid:
    """One damped sinusoid: Hz, amplitude at the start, decay 1/s, 1σ of its frequency in Hz."""

    hz: float
    amplitude: float
    decay: float
    sigma: float
    pole: complex  # from one value of the band to the next
    size: complex  # at the band's first value


def bands(signal: Signal, centres: F, step: float = PENCIL.step_s) -> Z:
    """Each band demodulated to zero (M, bands), one value every `step` (s); needs WINDOW_S of sound."""
    x, rate = signal
    size, hop = int(PENCIL.window_s * rate), int(step * rate)
    starts = np.arange(0, len(x) - size + 1, hop)
    window = _window(size)
    t = starts / rate
    return project(x, starts, window, centres, rate) * np.exp(-2j * np.pi * centres[None, :] * t[:, None])


def long_enough(signal: Signal) -> bool:
    """Whether a band has enough values for any sinusoid to be estimated."""
    x, rate = signal
    return (len(x) - int(PENCIL.window_s * rate)) // int(PENCIL.step_s * rate) + 1 >= PENCIL.min_values


def response(off: F, rate: float) -> F:
    """Gain (0 to 1) of a band at this distance (Hz) from its centre."""
    size = int(PENCIL.window_s * rate)
    t = (np.arange(size) - (size - 1) / 2) / rate
    return np.asarray(np.cos(2 * np.pi * np.outer(off, t)) @ _window(size)) / 2


def _window(size: int) -> F:
    window = np.blackman(size + 2)[1:-1]
    return np.asarray(window / (window.sum() / 2))


def damped_sinusoids(z: Z, step: float, centres: F, noise: float) -> list[list[DampedSinusoid]]:
    """The damped sinusoids of each band (M, bands), strongest first; `noise` is the power of z from noise alone."""
    found: list[list[DampedSinusoid]] = [[] for _ in centres]
    if len(z) < PENCIL.min_values:
        return found
    poles = _poles(z, step, noise)
    for count in range(1, PENCIL.max_order + 1):
        # bands with as many poles are solved together
        alike = [k for k, some in enumerate(poles) if len(some) == count]
        if not alike:
            continue
        each = np.array([poles[k] for k in alike])
        powers = each[:, None, :] ** np.arange(len(z))[None, :, None]
        sizes = (np.linalg.pinv(powers) @ z[:, alike].T[:, :, None])[:, :, 0]
        left = np.mean(np.abs(z[:, alike].T - (powers @ sizes[:, :, None])[:, :, 0]) ** 2, axis=1)
        for k, some in zip(
            alike, _described(each, sizes, centres[alike], step, len(z), left + noise + 1e-18), strict=True
        ):
            found[k] = some
    return found


def _poles(z: Z, step: float, noise: float) -> list[Z]:
    """Signal poles of each band."""
    count, width = len(z), len(z) // 3
    hankel = np.lib.stride_tricks.sliding_window_view(z.T, width + 1, axis=1)
    # the squares of the singular values, and the vectors, rising
    square, turned = np.linalg.eigh(hankel.conj().transpose(0, 2, 1) @ hankel)
    size = np.sqrt(np.maximum(square, 0.0))
    least = np.maximum(PENCIL.min_singular_ratio * size[:, -1:], 1.5 * np.sqrt(noise * count))
    order = np.minimum(np.sum(size > least, axis=1), PENCIL.max_order)
    poles: list[Z] = [np.zeros(0, complex)] * z.shape[1]
    for many in range(1, PENCIL.max_order + 1):
        alike = np.flatnonzero(order == many)
        if len(alike) == 0:
            continue
        basis = turned[alike, :, -many:].conj()
        each = np.linalg.eigvals(_shift(basis))
        lasting = (np.abs(each) > np.exp(-PENCIL.max_decay_per_s * step)) & (np.abs(each) < np.exp(1.0 * step))
        for row, k in enumerate(alike):
            poles[k] = each[row][lasting[row]]
    return poles


def _shift(basis: Z) -> Z:
    """Shift operator of each orthonormal basis (K, M, P): the least-squares map from all rows but the last to all but the
    first, (K, P, P).

    By the inverse of I - r* r, where r is the last row (Sherman and Morrison 1950), in place of a pseudoinverse.
    """
    last = basis[:, -1:]
    turned = basis[:, :-1].conj().transpose(0, 2, 1) @ basis[:, 1:]
    left = np.maximum(1 - np.sum(np.abs(last) ** 2, axis=2, keepdims=True), 1e-12)
    return np.asarray(turned + last.conj().transpose(0, 2, 1) @ (last @ turned) / left)


def _described(poles: Z, sizes: Z, centres: F, step: float, count: int, left: F) -> list[list[DampedSinusoid]]:
    """The sinusoids (bands, P) of bands of `count` values, strongest first; `left` (bands,) is the residual power."""
    hz, decay = np.angle(poles) / (2 * np.pi * step), -np.log(np.abs(poles)) / step
    lasts = np.minimum(count * step, 1.5 / np.maximum(decay, 0.05))
    # Rife and Boorstyn (1974), for as long as the component lasts, with the window's overlap
    size = np.maximum(np.abs(sizes), 1e-15)
    sigma = np.sqrt(6 * left[:, None] / size**2 / np.maximum(lasts / PENCIL.window_s, 1.0)) / (2 * np.pi * lasts)
    columns = (np.abs(hz) <= PENCIL.reach_hz, centres[:, None] + hz, size, decay, sigma, poles, sizes)
    each = zip(*(column.tolist() for column in columns), strict=True)
    return [
        sorted((DampedSinusoid(*row[1:]) for row in zip(*band, strict=True) if row[0]), key=lambda c: -c.amplitude)
        for band in each
    ]


def without(z: Z, others: list[DampedSinusoid]) -> Z:
    """A band (M,) with some of its sinusoids subtracted."""
    steps = np.arange(len(z))
    return z - sum((c.size * c.pole**steps for c in others), np.zeros(len(z), complex))
