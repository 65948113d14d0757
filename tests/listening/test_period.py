"""The pitch of a string whose partials agree on none lies between its first partial and its period."""

from __future__ import annotations

import numpy as np
from benchmarks import sampled
from scipy.optimize import minimize_scalar

from juxtatune.core.listening.analyse import analyse
from juxtatune.core.listening.period import midway
from juxtatune.core.listening.pluck import Targets

RATE = 48000
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
        assert abs(midway(f1, numbers, hz, np.ones(6), np.ones(6)) - heard / 2) < 0.02


def real_string(r: np.random.Generator, f1: float) -> np.ndarray:
    """Two seconds of partials that lie some cents off any line, as those of sampled guitars do."""
    t = np.arange(2 * RATE) / RATE
    x = 1e-5 * r.normal(0, 1, len(t))
    for n in range(1, 15):
        hz = n * f1 * np.sqrt(1 + 6e-5 * n * n) * np.exp(r.normal(0, 2.5) / CENTS)
        level = r.uniform(0.3, 1) / n
        x += level * np.exp(-t * (0.6 + 0.15 * n)) * np.sin(2 * np.pi * hz * t + r.uniform(0, 6))
    return 0.2 * np.concatenate([np.zeros(RATE // 4), x, np.zeros(RATE // 4)])


def test_where_partials_disagree_the_reading_is_near_what_general_methods_agree_on() -> None:
    r = np.random.default_rng(11)
    ours, first = [], []
    for f1 in r.uniform(80, 330, 12):
        x = real_string(r, f1)
        methods = sampled.long_window(x[RATE // 4 :], RATE, f1)
        agreed = np.median(list(methods.values()))
        (reading,) = analyse(x, RATE, Targets())
        ours.append(abs(CENTS * np.log(reading.f1 / agreed)))
        first.append(abs(CENTS * np.log(methods["first partial"] / agreed)))
    assert np.median(ours) < min(0.9, 0.5 * np.median(first))
