"""Heterodyning: each partial is demodulated at its expected frequency, with an estimate of its noise."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.statistics import medians
from juxtatune.core.listening.partials.kernels import turned_down
from juxtatune.core.listening.source import Signal

F = NDArray[np.floating]
USUAL_INHARMONICITY = 4e-5  # inharmonicity coefficient B where nothing is known of it
MOST_PARTIALS = 14
MOST_FRAMES = 120


def partial_hz(f1: float, inharmonicity: float, n: NDArray) -> F:
    return n * f1 * np.sqrt((1 + inharmonicity * n * n) / (1 + inharmonicity))


@dataclass(frozen=True)
class Heterodyned:
    """Partials `n` (P,) demodulated at their expected frequencies `hz` (P,), with the power of noise in each."""

    t: F  # (M,) frame centres, s
    z: NDArray[np.complex128]  # (P, M) with the expected phase advance removed
    noise: F  # (P,) power of z from noise alone
    n: NDArray[np.int64]
    hz: F
    overlap: float  # frames for each independent one


def heterodyne(
    signal: Signal,
    start: float,
    end: float,
    f1: float,
    inharmonicity: float,
    most: int = MOST_FRAMES,
    partials: int = MOST_PARTIALS,
) -> Heterodyned | None:
    """The demodulated partials of a string at f1 (Hz) from `start` to `end` (s); None when that is too short."""
    x, rate = signal
    size = int(rate * max(4.0 / f1, 0.02))
    first = int(np.ceil((start + 0.004) * rate))
    last = min(int(end * rate), len(x))
    while last - first < size * 1.6 and size > 2.2 * rate / f1:
        size = int(size * 0.8)
    if last - first < size * 1.2:
        return None
    hop = max(size // 3, (last - first - size) // most + 1)
    starts = np.arange(first, last - size + 1, hop)
    if len(starts) < 4:
        starts = np.unique(np.linspace(first, last - size, 4).astype(int))
    top = int(min(partials, 0.46 * rate / f1, 5200 / f1 if f1 < 2600 else 1))
    n = np.arange(1, max(top, 1) + 1)
    hz = partial_hz(f1, inharmonicity, n)
    t = (starts + (size - 1) / 2) / rate
    # noise is heard half-way between the partials, where none sounds
    every = np.concatenate([hz, hz - 0.5 * f1, hz[-1:] + 0.5 * f1])
    both = project(x, starts, hann(size), every, rate)
    z = turned_down(both, t, hz)
    return Heterodyned(t, z, _noise(both[:, len(hz) :]), n, hz, max(1.0, size / hop / 2.0))


def _noise(between: NDArray[np.complex128]) -> F:
    """Noise power of each partial (P,) from the bands on both sides (M, P + 1): the smaller is the floor."""
    power = medians(np.abs(between.T) ** 2) / np.log(2)
    return np.asarray(np.minimum(power[:-1], power[1:]) + 1e-16)


CENTS = 1200 / np.log(2)


def partial_paths(d: Heterodyned) -> F:
    """Deviation (cents) of every partial from its expected frequency, between consecutive frames (P, M - 1)."""
    turns = np.angle(d.z[:, 1:] * np.conj(d.z[:, :-1])) / (2 * np.pi)
    return np.asarray(CENTS * turns / np.diff(d.t) / d.hz[:, None])


def common_path(d: Heterodyned, cents: F) -> tuple[F, F]:
    """The common deviation of partials at `cents` (P, M - 1), and their spread (M - 1,)."""
    power = np.minimum(np.abs(d.z[:, 1:]), np.abs(d.z[:, :-1])) ** 2
    heard = np.maximum(power - d.noise[:, None], 0) * d.hz[:, None] ** 2 + 1e-30
    middle = _middle(cents, heard)
    return middle, _middle(np.abs(cents - middle), heard)


def _middle(values: F, weights: F) -> F:
    """Weighted median of each column: (P, M) -> (M,)."""
    order = np.argsort(values, axis=0)
    below = np.cumsum(np.take_along_axis(weights, order, axis=0), axis=0)
    row = np.argmax(below >= 0.5 * below[-1], axis=0)
    return np.asarray(np.take_along_axis(values, order, axis=0)[row, np.arange(values.shape[1])])
