"""Sound held against single frequencies: what a transform would give between its bins."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.source import Samples

F = NDArray[np.floating]


@lru_cache(maxsize=64)
def hann(size: int) -> Samples:
    """A Hann window (size,) without its zero ends, scaled so that a sine's amplitude comes out. Not to be written to."""
    window = np.hanning(size + 2)[1:-1]
    window /= window.sum() / 2
    window.flags.writeable = False
    return window


def project(frames: F, window: F, hz: F, rate: float) -> NDArray[np.complex128]:
    """Each frame (M, size) against each frequency (P,): (M, P), its phase that of the frame's middle.

    The window (size,) must be symmetric: what lies alike on both sides of the middle is added up first. Single
    precision of whole turns taken off is exact to 1e-6 rad, far below what any reading is sure of.
    """
    size = frames.shape[1]
    half = size // 2
    late, early = frames[:, size - half :].astype(np.float32), frames[:, :half][:, ::-1].astype(np.float32)
    turns = np.outer(np.arange(half) + (0.5 if size % 2 == 0 else 1.0), hz / rate)
    turns -= np.rint(turns)
    angle = (2 * np.pi * turns).astype(np.float32)
    weight = window[size - half :].astype(np.float32)[:, None]
    real = ((late + early) @ (np.cos(angle) * weight)).astype(float)
    if size % 2:
        real += window[half] * frames[:, half : half + 1]
    return np.asarray(real - 1j * ((late - early) @ (np.sin(angle) * weight)))
