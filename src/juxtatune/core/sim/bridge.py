"""The bridge of the simulated guitar: a truth of its own, which no method of the product knows.

Elastic strings pull on a neck that gives and on a bridge that is held by its body, rests on it, or turns against springs whose
arms change as it turns. Common practice, no source: the figures are drawn from the range of what is sold.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from juxtatune.core.music.pitch import ISO_16
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.string import STEEL_MODULUS
from juxtatune.core.strings.tension import Gauge, usual_gauge

F = NDArray[np.float64]
REACH_M = 0.008  # that a bridge can give either way
LEAST_N = 0.5  # a string that hangs slack
RESTS = 1.25  # springs over strings, where a dive-only bridge lies on the body


class Bridge:
    """How far every string lies from a tuning (cents) as one of them is turned. List order; changes as it is turned."""

    def __init__(self, tuning: Tuning, kind: str, rng: np.random.Generator, scales_mm: Sequence[float] = (),
                 gauges: Sequence[Gauge] = (), off: Sequence[int] = ()) -> None:  # fmt: skip
        """`off` are places in the list whose strings are not on the guitar: they pull on nothing, and stay at 0 cents."""
        count = len(tuning)
        self._count, self._on = count, [at for at in range(count) if at not in off]
        self._kind = kind
        self._scale = np.asarray(scales_mm or (648.0,) * count)[self._on] / 1000
        hz = np.array([ISO_16.hz(tuning.pitches[at]) for at in self._on])
        given = [gauges[at] for at in self._on] if gauges else []
        strings = given or [usual_gauge(f, s) for f, s in zip(hz, self._scale, strict=True)]
        core = np.array([g.mm * (rng.uniform(0.34, 0.42) if g.wound else 1.0) / 1000 for g in strings])
        self._stiff = STEEL_MODULUS * math.pi * core**2 / 4 / self._scale
        self._mass = np.array([g.unit_weight * rng.uniform(0.95, 1.05) for g in strings])
        self._neck = rng.uniform(1.2e6, 4e6)
        self._springs, self._arm = rng.uniform(8e4, 2e5), rng.uniform(0.02, 0.035)
        self._at_zero = self._mass * (2 * self._scale * hz) ** 2
        self._preload = float(self._at_zero.sum()) * (RESTS if kind == "dive-only" else 1.0)
        self._way = 0.0
        self._taken_up = self._at_zero / self._stiff + self._at_zero.sum() / self._neck
        self._settle()

    @property
    def cents(self) -> F:
        """Of every string against the tuning it was made in, in which the bridge is level."""
        found: F = np.zeros(self._count)
        found[self._on] = self._cents()
        return found

    def _cents(self) -> F:
        found: F = 600 * np.log2(self._tensions(self._way) / self._at_zero)
        return found

    def turn(self, string: int, to: float) -> None:
        """Brings one string (its place in the list) to so many cents; the others go where bridge and neck let them."""
        if string not in self._on:
            return
        at = self._on.index(string)

        def miss(up: float) -> float:
            self._taken_up[at] = up
            self._settle()
            return float(self._cents()[at]) - to

        middle, span = float(self._taken_up[at]), 2e-4
        while miss(middle - span) * miss(middle + span) > 0 and span < 0.05:
            span *= 2
        if miss(middle - span) * miss(middle + span) <= 0:
            self._taken_up[at] = brentq(miss, middle - span, middle + span, xtol=1e-9)
        else:
            self._taken_up[at] = middle
        self._settle()

    def stand_at(self, cents: F) -> None:
        """All strings at these cents, the bridge where that puts it."""
        for _ in range(40):
            away = cents[self._on] - self._cents()
            if np.max(np.abs(away)) < 1e-4:
                return
            tension = self._tensions(self._way)
            goal = self._at_zero * np.exp2(cents[self._on] / 600)
            self._taken_up = self._taken_up + (goal - tension) / self._stiff * 0.9
            self._settle()

    def _tensions(self, way: float) -> F:
        slack = self._taken_up - way
        total = float((self._stiff * slack).sum()) / (1 + self._stiff.sum() / self._neck)
        found: F = np.maximum(self._stiff * (slack - total / self._neck), LEAST_N)
        return found

    def _pull(self, way: float) -> float:
        """How far the strings' pull exceeds the springs' (N)."""
        angle = way / self._arm
        return float(self._tensions(way).sum() * math.cos(angle) - self._springs * way * (1 + 0.6 * angle) - self._preload)

    def _settle(self) -> None:
        if self._kind == "fixed" or (self._kind == "dive-only" and self._pull(0.0) <= 0):
            self._way = 0.0  # held by the body, or resting on it
            return
        low, high = self._pull(-REACH_M), self._pull(REACH_M)
        self._way = -REACH_M if low < 0 else REACH_M if high > 0 else float(brentq(self._pull, -REACH_M, REACH_M))
