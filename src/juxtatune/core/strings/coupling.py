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
from juxtatune.core.strings.string import STEEL_MODULUS, usual_string
from juxtatune.core.strings.tension import Gauge

F = NDArray[np.floating]
CENTS = 600 / math.log(2)  # cents of one e-fold of tension
STIFFNESS = {"fixed": 2.5e6, "dive-only": 1.3e6, "floating": 4.5e4}  # N/m of the bridge, or of neck and body
FREE = {"fixed": 0.8, "dive-only": 1.0, "floating": 0.7}  # 1σ of the log of it before anything is read
SPRING = 1.5e4  # N/m that one spring brings at the strings
TENSION_SD = 0.06  # of the log of a string's tension
STRING_SD = 0.3  # of the log of a string's stiffness
CORE_SHARE = 0.38  # of a wound string's diameter that is its core
NOISE_CENTS, NOISE_SHARE = 0.5, 0.03  # 1σ of a reading, and of what the model says it moved
ROUNDS = 12
LEAST_SHARE = 0.4  # of its tension that a string is ever let down to


@dataclass(frozen=True)
class Moved:
    """One string was set: cents of all strings before and after, against the target; NaN where not read."""

    string: int  # index in list order
    before: tuple[float, ...]
    after: tuple[float, ...]


@dataclass(frozen=True)
class BridgeModel:
    """Stiffness (N/m) of each string and of the bridge, and tension (N) of each string at the target, list order.

    `sigma` is 1σ of the logs of the strings' stiffness, the bridge's, and the strings' tension, in this order.
    """

    tension: tuple[float, ...]
    strings: tuple[float, ...]
    bridge: float
    sigma: tuple[float, ...]
    start: tuple[float, ...] = ()  # tensions before anything was learned

    def tensions(self, cents: Sequence[float]) -> F:
        """N from cents against the target."""
        found: F = np.asarray(self.tension) * np.exp(np.asarray(cents) / CENTS)
        return found

    def after_set(self, cents: Sequence[float], string: int, to: float) -> F:
        """Cents of all strings once one was set to a value."""
        now, k = self.tensions(cents), np.asarray(self.strings)
        goal = self.tension[string] * math.exp(to / CENTS)
        moved = (goal - now[string]) / (self.bridge + k.sum() - k[string])
        then = now - k * moved
        then[string] = goal
        out: F = CENTS * np.log(np.maximum(then, 1e-3) / np.asarray(self.tension))
        return out

    def interim(self, cents: Sequence[float], string: int) -> float:
        """What a string must read when it is set, so that it is right once all others stand at their targets."""
        now, k, goal = self.tensions(cents), np.asarray(self.strings), np.asarray(self.tension)
        end = (goal.sum() - now.sum()) / self.bridge  # the bridge's way from here to the end
        taken_up = now / k  # with the bridge of this moment at 0
        taken_up[string] = goal[string] / k[string] + end
        at = (float((k * taken_up).sum()) - now.sum()) / (self.bridge + k.sum())
        reads = k[string] * (taken_up[string] - at)
        return float(CENTS * math.log(max(reads / goal[string], LEAST_SHARE)))

    def learned(self, moves: Sequence[Moved]) -> BridgeModel:
        """The model refined by what was read: the mode of the posterior by Gauss-Newton."""
        if not moves:
            return self
        prior = np.log([*self.strings, self.bridge, *self.tension])
        theta, weight = prior.copy(), 1 / np.asarray(self.sigma) ** 2
        hessian = np.diag(weight)
        for _ in range(ROUNDS):
            away, slope = self._residuals(theta, moves)
            hessian = np.diag(weight) + slope.T @ slope
            step = np.linalg.solve(hessian, slope.T @ away - weight * (theta - prior))
            theta = theta + np.clip(step, -0.5, 0.5)
            if np.max(np.abs(step)) < 1e-5:
                break
        sd = np.sqrt(np.diag(np.linalg.inv(hessian)))
        return replace(self._of(theta), sigma=tuple(map(float, sd)))

    def _of(self, theta: F) -> BridgeModel:
        """The model of these parameters, as logs."""
        n, found = len(self.strings), np.exp(theta)
        return BridgeModel(
            tuple(map(float, found[n + 1 :])), tuple(map(float, found[:n])), float(found[n]), self.sigma, self.start
        )

    def _residuals(self, theta: F, moves: Sequence[Moved]) -> tuple[F, F]:
        """What the model misses of every reading, in its own 1σ, and how that falls with each parameter."""
        base = self._predicted(theta, moves)
        columns = [
            (self._predicted(theta + 1e-4 * np.eye(len(theta))[k], moves) - base) / 1e-4 for k in range(len(theta))
        ]
        read = np.concatenate([np.delete(np.asarray(m.after), m.string) for m in moves])
        before = np.concatenate([np.delete(np.asarray(m.before), m.string) for m in moves])
        known = np.isfinite(read) & np.isfinite(base)
        sigma = np.hypot(NOISE_CENTS, NOISE_SHARE * np.abs(base - before))[known]
        away = (read - base)[known] / sigma
        # what friction or a slip did is no stiffness
        robust = 1 / np.sqrt(1 + (away / 3) ** 2)
        slope = np.stack(columns, axis=1)[known] / sigma[:, None]
        return away * robust, slope * robust[:, None]

    def _predicted(self, theta: F, moves: Sequence[Moved]) -> F:
        model = self._of(theta)
        return np.concatenate([
            np.delete(model.after_set(m.before, m.string, m.after[m.string]), m.string) for m in moves
        ])  # fmt: skip


def start_model(
    target: Tuning, bridge: str, scales_mm: Sequence[float], gauges: Sequence[Gauge] | None, springs: int | None
) -> BridgeModel:
    """A model from physics alone; usual strings where no gauges are told."""
    tension, stiffness = [], []
    for k, pitch in enumerate(target.pitches):
        hz, scale = ISO_16.hz(pitch), scales_mm[k] / 1000
        if gauges:
            g = gauges[k]
            tension.append(g.unit_weight * (2 * scale * hz) ** 2)
            core = g.mm * (CORE_SHARE if g.wound else 1.0) / 1000
        else:
            usual = usual_string(hz, scale)
            tension.append(usual.tension(hz))
            core = usual.core_diameter
        stiffness.append(STEEL_MODULUS * math.pi * core**2 / 4 / scale)
    base = SPRING * springs if bridge == "floating" and springs else STIFFNESS[bridge]
    told = 1.0 if gauges else 2.0
    n = len(tension)
    sigma = (*[STRING_SD * told] * n, FREE[bridge], *[TENSION_SD * told] * n)
    return BridgeModel(tuple(tension), tuple(stiffness), base, sigma, tuple(tension))
