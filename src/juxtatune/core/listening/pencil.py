"""Damped sinusoids closer together than a spectrum can part: the matrix pencil method.

Hua and Sarkar, "Matrix pencil method for estimating parameters of exponentially damped/undamped sinusoids in
noise", IEEE Trans. ASSP 38 (1990). It is used on narrow bands: a band is turned down to zero, low-passed by
a window and read every few hundredths of a second, so that only what rings near its centre is left.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.project import project
from juxtatune.core.listening.source import Samples

F = NDArray[np.float64]
WINDOW_S = 0.2
STEP_S = 0.02
REACH_HZ = 8.0  # of a band: further out the window takes too much away
MOST = 6  # components of one band
LEAST = 3e-3  # size of the weakest singular value that counts, against the strongest
FASTEST_DECAY = 14.0  # 1/s


@dataclass(frozen=True)
class Component:
    """One damped sinusoid: Hz, amplitude at the start, decay 1/s, 1σ of its frequency in Hz."""

    hz: float
    amplitude: float
    decay: float
    sigma: float
    pole: complex  # from one value of the band to the next
    size: complex  # at the band's first value


def bands(x: Samples, rate: float, centres: F) -> NDArray[np.complex128]:
    """Each band turned down to zero (M, bands), one value every STEP_S; needs WINDOW_S of sound."""
    size, hop = int(WINDOW_S * rate), int(STEP_S * rate)
    starts = np.arange(0, len(x) - size + 1, hop)
    window = np.blackman(size + 2)[1:-1]
    window /= window.sum() / 2
    frames = np.lib.stride_tricks.sliding_window_view(x, size)[starts]
    t = starts / rate
    return project(frames, window, centres, rate) * np.exp(-2j * np.pi * centres[None, :] * t[:, None])


def components(z: NDArray[np.complex128], step: float, centre: float, noise: float) -> list[Component]:
    """The damped sinusoids of one band (M,), strongest first; `noise` is the power of z from noise alone."""
    count = len(z)
    width = count // 3
    if width < MOST + 2:
        return []
    hankel = np.lib.stride_tricks.sliding_window_view(z, width + 1)
    _, size, turned = np.linalg.svd(hankel, full_matrices=False)
    least = max(LEAST * size[0], 1.5 * np.sqrt(noise * count))
    order = int(np.clip(np.sum(size > least), 0, MOST))
    if order == 0:
        return []
    basis = turned[:order].T
    poles = np.linalg.eigvals(np.linalg.lstsq(basis[:-1], basis[1:], rcond=None)[0])
    poles = poles[(np.abs(poles) > np.exp(-FASTEST_DECAY * step)) & (np.abs(poles) < np.exp(1.0 * step))]
    if len(poles) == 0:
        return []
    powers = poles[None, :] ** np.arange(count)[:, None]
    sizes, *_ = np.linalg.lstsq(powers, z, rcond=None)
    left = float(np.mean(np.abs(z - powers @ sizes) ** 2)) + noise + 1e-18
    found = []
    for pole, complex_size in zip(poles, sizes, strict=True):
        size_of = abs(complex_size)
        hz = float(np.angle(pole) / (2 * np.pi * step))
        if abs(hz) > REACH_HZ:
            continue
        decay = float(-np.log(np.abs(pole)) / step)
        lasts = min(count * step, 1.5 / max(decay, 0.05))
        # Rife and Boorstyn (1974), for as long as the component lasts, with the window's overlap
        sigma = np.sqrt(6 * left / (size_of**2) / max(lasts / WINDOW_S, 1.0)) / (2 * np.pi * lasts)
        found.append(
            Component(centre + hz, float(size_of), decay, float(sigma), complex(pole), complex(complex_size))
        )
    return sorted(found, key=lambda c: -c.amplitude)


def without(z: NDArray[np.complex128], others: list[Component]) -> NDArray[np.complex128]:
    """What is left of a band (M,) when some of its components are taken away."""
    steps = np.arange(len(z))
    return z - sum((c.size * c.pole**steps for c in others), np.zeros(len(z), complex))
