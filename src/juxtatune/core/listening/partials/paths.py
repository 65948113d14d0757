"""Frequency tracks of single partials, and of all of them together."""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.partials.demodulate import F, Heterodyned

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
