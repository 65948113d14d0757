"""How moving one string moves the others: strings, springs and neck in equilibrium, and its parameters learned from readings.

Strings are springs of stiffness k = E A / L of their core (Hooke), the bridge gives on a stiffness K: T_i = k_i (u_i - x) and
the sum of all T is F + K x, with x the way that the bridge has given and u_i what the pegs have taken up. Moving string j by
dT_j moves the bridge by dT_j / (K + sum k - k_j), and every other string by -k_i times that. What is not linear is the pitch:
tension goes with the square of the frequency. Start values from scale, gauges and springs are common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.music.pitch import ISO_16
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.string import STEEL_MODULUS
from juxtatune.core.strings.tension import Gauge, usual_gauge

F = NDArray[np.floating]
CENTS = 600 / math.log(2)  # cents of one e-fold of tension
STIFFNESS = {"fixed": 2.5e6, "dive-only": 1.3e6, "floating": 1.3e5}  # N/m of the bridge, or of neck and body
FREE = {"fixed": 0.8, "dive-only": 1.0, "floating": 0.45}  # 1σ of the log of it before anything is read
SPRING = 4.3e4  # N/m that one spring brings at the strings
TENSION_SD = 0.06  # of the log of a string's tension
STRING_SD = 0.3  # of the log of a string's stiffness
CORE_SHARE = 0.38  # of a wound string's diameter that is its core
NOISE_CENTS, NOISE_SHARE = 0.3, 0.01  # 1σ of a reading, and of what the model says it moved
CURVE_SD = 25.0  # 1/m
ROUNDS = 12
LEAST_SHARE = 0.4  # of its tension that a string is ever let down to


@dataclass(frozen=True)
class Moved:
    """Strings were set one after the other, each (its place) from and to so many cents; where all stood before and after.

    Cents are against the target. Where a string stood when it was set is what was read then, whatever `before` leads to.
    `after` is NaN where a string was not read, and for those that were set. Places are in list order.
    """

    sets: tuple[tuple[int, float, float], ...]
    before: tuple[float, ...]
    after: tuple[float, ...]
    noise: float = NOISE_CENTS  # 1σ of the readings, before and after together


@dataclass(frozen=True)
class BridgeModel:
    """Stiffness (N/m) of each string and of the bridge, and tension (N) of each string at the target, list order.

    The bridge's own pull is F + K x (1 + c x): `curve` is c in 1/m, `level` how the tensions at home, where x is 0, compare
    with those at the target. `sigma` is 1σ of the logs of the strings' stiffness, the bridge's and the strings' tension, and
    of the curve, in this order; `start` are the tensions before anything was learned.
    """

    tension: tuple[float, ...]
    strings: tuple[float, ...]
    bridge: float
    sigma: tuple[float, ...]
    level: tuple[float, ...]
    curve: float = 0.0
    start: tuple[float, ...] = ()

    def only(self, kept: Sequence[int]) -> BridgeModel:
        """The model of the strings at these places alone: the others are off the guitar."""
        n = len(self.strings)
        sigma = (*(self.sigma[k] for k in kept), self.sigma[n], *(self.sigma[n + 1 + k] for k in kept), self.sigma[-1])
        tension, strings, level = (tuple(v[k] for k in kept) for v in (self.tension, self.strings, self.level))
        return replace(self, tension=tension, strings=strings, sigma=sigma, level=level, start=tension)

    def tensions(self, cents: Sequence[float]) -> F:
        """N from cents against the target."""
        found: F = np.asarray(self.tension) * np.exp(np.asarray(cents) / CENTS)
        return found

    @property
    def _preload(self) -> float:
        return float(np.dot(self.tension, self.level))

    def _way(self, pull: float, stiffness: float) -> float:
        """x where `stiffness` x and the curve of the bridge balance a pull (N)."""
        bend = self.bridge * self.curve
        if abs(bend) < 1e-9:
            return pull / stiffness
        root = stiffness**2 + 4 * bend * pull
        return (-stiffness + math.sqrt(max(root, 0.0))) / (2 * bend)

    def after_set(self, cents: Sequence[float], string: int, to: float) -> F:
        """Cents of all strings once one was set to a value."""
        now, k = self.tensions(cents), np.asarray(self.strings)
        goal = self.tension[string] * math.exp(to / CENTS)
        before = self._way(float(now.sum()) - self._preload, self.bridge)
        others = float(k.sum() - k[string])
        pull = goal + float(now.sum() - now[string]) + others * before - self._preload
        then = now - k * (self._way(pull, self.bridge + others) - before)
        then[string] = goal
        out: F = CENTS * np.log(np.maximum(then, 1e-3) / np.asarray(self.tension))
        return out

    def after_all(self, cents: Sequence[float], sets: Sequence[tuple[int, float, float]]) -> F:
        """Cents of all strings once some were set one after the other: `sets` are those of `Moved`."""
        out: F = np.array(cents, float)
        for string, start, to in sets:
            out[string] = start
            out = self.after_set(out.tolist(), string, to)
        return out

    def interim(self, cents: Sequence[float], string: int) -> float:
        """What a string must read when it is set, so that it is right once all others stand at their targets."""
        now, k, goal = self.tensions(cents), np.asarray(self.strings), np.asarray(self.tension)
        taken_up = now / k + self._way(float(now.sum()) - self._preload, self.bridge)
        taken_up[string] = goal[string] / k[string] + self._way(float(goal.sum()) - self._preload, self.bridge)
        at = self._way(float((k * taken_up).sum()) - self._preload, self.bridge + float(k.sum()))
        reads = k[string] * (taken_up[string] - at)
        return float(CENTS * math.log(max(reads / goal[string], LEAST_SHARE)))

    def learned(self, moves: Sequence[Moved]) -> BridgeModel:
        """The model refined by what was read: the mode of the posterior by Gauss-Newton."""
        if not moves:
            return self
        prior = np.array([*np.log([*self.strings, self.bridge, *self.tension]), self.curve])
        theta, weight = prior.copy(), 1 / np.asarray(self.sigma) ** 2
        hessian = np.diag(weight)
        limit = np.array([0.5] * (len(prior) - 1) + [10.0])
        for _ in range(ROUNDS):
            away, slope = self._residuals(theta, moves)
            hessian = np.diag(weight) + slope.T @ slope
            step = np.linalg.solve(hessian, slope.T @ away - weight * (theta - prior))
            theta = theta + np.clip(step, -limit, limit)
            if np.max(np.abs(step)) < 1e-5:
                break
        sd = np.sqrt(np.diag(np.linalg.inv(hessian)))
        return replace(self._of(theta), sigma=tuple(map(float, sd)))

    def _of(self, theta: F) -> BridgeModel:
        """The model of these parameters: logs, and the curve."""
        n, found = len(self.strings), np.exp(theta[:-1])
        return replace(
            self, tension=tuple(map(float, found[n + 1 :])), strings=tuple(map(float, found[:n])),
            bridge=float(found[n]), curve=float(theta[-1]),
        )  # fmt: skip

    def _residuals(self, theta: F, moves: Sequence[Moved]) -> tuple[F, F]:
        """What the model misses of every reading, in its own 1σ, and how that falls with each parameter."""
        base = self._predicted(theta, moves)
        unit = np.array([1e-4] * (len(theta) - 1) + [1e-2])
        columns = [
            (self._predicted(theta + u * np.eye(len(theta))[k], moves) - base) / u for k, u in enumerate(unit)
        ]
        read = np.concatenate([m.after for m in moves])
        before = np.concatenate([m.before for m in moves])
        noise = np.concatenate([np.full(len(m.after), m.noise) for m in moves])
        known = np.isfinite(read) & np.isfinite(base)
        sigma = np.hypot(noise, NOISE_SHARE * np.abs(base - before))[known]
        away = (read - base)[known] / sigma
        # what friction or a slip did is no stiffness
        robust = 1 / np.sqrt(1 + (away / 3) ** 2)
        slope = np.stack(columns, axis=1)[known] / sigma[:, None]
        return away * robust, slope * robust[:, None]

    def _predicted(self, theta: F, moves: Sequence[Moved]) -> F:
        model = self._of(theta)
        return np.concatenate([model.after_all(m.before, m.sets) for m in moves])


def start_model(
    target: Tuning, bridge: str, scales_mm: Sequence[float], gauges: Sequence[Gauge] | None, springs: int | None,
    home: Tuning | None = None,
) -> BridgeModel:  # fmt: skip
    """A model from physics alone; usual strings where no gauges are told. The bridge is level in `home`."""
    tension, stiffness = [], []
    for k, pitch in enumerate(target.pitches):
        hz, scale = ISO_16.hz(pitch), scales_mm[k] / 1000
        g = gauges[k] if gauges else usual_gauge(ISO_16.hz((home or target).pitches[k]), scale)
        tension.append(g.unit_weight * (2 * scale * hz) ** 2)
        core = g.mm * (CORE_SHARE if g.wound else 1.0) / 1000
        stiffness.append(STEEL_MODULUS * math.pi * core**2 / 4 / scale)
    base = SPRING * springs if bridge == "floating" and springs else STIFFNESS[bridge]
    told = 1.0 if gauges else 1.4
    n = len(tension)
    curve = CURVE_SD if bridge == "floating" else 1.0
    sigma = (*[STRING_SD * told] * n, FREE[bridge], *[TENSION_SD * told] * n, curve)
    level = tuple(2 ** ((h - p) / 6) for h, p in zip((home or target).pitches, target.pitches, strict=True))
    return BridgeModel(tuple(tension), tuple(stiffness), base, sigma, level, 0.0, tuple(tension))
