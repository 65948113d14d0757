"""The pitch of a string whose partials agree on none lies between its first partial and its period."""

from __future__ import annotations

import numpy as np
from scipy.optimize import minimize_scalar

from juxtatune.core.listening.note.reported_pitch import period_offset

CENTS = 1200 / np.log(2)


def test_midway_is_half_way_to_the_peak_of_the_autocorrelation() -> None:
    # of partials of one size that is the sum of their cosines (Wiener–Khinchin)
    r = np.random.default_rng(5)
    numbers = np.arange(1, 7)
    for _ in range(20):
        f1 = r.uniform(40, 400)
        hz = numbers * f1 * np.exp(r.uniform(-4, 4, 6) / CENTS)
        period = minimize_scalar(
            lambda t, hz=hz: -np.cos(2 * np.pi * hz * t).sum(),
            bounds=(0.99 / f1, 1.01 / f1),
            method="bounded",
            options={"xatol": 1e-12},
        ).x
        heard = CENTS * np.log(1 / (period * f1))
        assert abs(period_offset(f1, numbers, hz, np.ones(6), np.ones(6)) - heard / 2) < 0.02
