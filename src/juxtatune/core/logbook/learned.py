"""What a log teaches: seconds of handling each guitar, with their uncertainty, and how strings drift.

The seconds of a retune are the linear model that the planner uses, times a log-normal scatter; some retunes were interrupted
and took longer by a broad log-normal delay. Costs and scatter are the mode of the posterior under log-normal priors about the
start values (expectation-maximisation over which were interrupted, Gauss-Newton for the costs; Dempster, Laird and Rubin
1977), and their uncertainty is the inverse of its curvature there (Laplace's approximation). Single costs are hardly
separable; the seconds of a whole retune are what counts.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.logbook.events import Log, ReadingEvent, RetuneEvent, TimedEvent
from juxtatune.core.strings.instrument import Costs, default_costs

F = NDArray[np.floating]
PRIOR_SD = np.array([0.4, 0.33, 0.4, 0.4])  # of the log of base, string, semitone, check
COMMON_SD = 0.12  # of all of them together: a quick hand or a slow one
SCATTER, SCATTER_EVENTS = 0.2, 4.0  # of the log of a retune's seconds: start value, and how many retunes it is worth
INTERRUPTED, INTERRUPTED_EVENTS = 0.12, 6.0
DELAY_S, DELAY_SD = 120.0, 0.9  # of an interruption: median, and scatter of its log
TIMED_SD = 0.4  # of the log of a swap or capo before any is seen
SURER = 0.87  # the curvature is that much too wide for whole retunes, on simulated logs of 3 to 150 retunes
DRIFT_SD = 3.0  # cents of scatter of a reading, before any is seen
ROUNDS = 60
TYPICAL = {
    "drop D": {6: -2.0}, "half step down": None, "drop C": None, "open D": {6: -2.0, 3: -1.0, 2: -2.0, 1: -2.0},
}  # fmt: skip


@dataclass(frozen=True)
class Learned:
    """A value with one standard deviation, and how many events bear on it."""

    value: float
    sd: float
    events: int


@dataclass(frozen=True)
class TypicalRetune:
    source: str
    target: str
    seconds: float
    sd: float


@dataclass(frozen=True)
class Drift:
    """Mean reading of a string after songs without arm work, by the direction of its last move."""

    string: int
    direction: str
    cents: float
    sd: float
    events: int


@dataclass(frozen=True)
class InstrumentLearned:
    """Costs by name (`base_s`, `string_s`, `semitone_s`, `check_s`, `passes`, `swap_s`, `capo_s`)."""

    costs: dict[str, Learned]
    typical: tuple[TypicalRetune, ...]
    drift: tuple[Drift, ...]


def learn(log: Log) -> dict[str, InstrumentLearned]:
    """What the log teaches of every instrument named in it."""
    return {name: _instrument(name, log) for name in log.instruments}


def _instrument(name: str, log: Log) -> InstrumentLearned:
    retunes = [e for e in log.retunes if e.instrument == name]
    bridge = retunes[-1].bridge if retunes else "fixed"
    strings = retunes[-1].strings if retunes else 6
    start = default_costs("floating" if bridge == "floating" else "fixed")
    fit = _fit(retunes, start)
    passes = _passes(retunes, start.passes)
    names = ("base_s", "string_s", "semitone_s", "check_s")
    costs = {
        n: Learned(float(fit.costs[k]), float(fit.costs[k] * math.sqrt(fit.covariance[k, k])), len(retunes))
        for k, n in enumerate(names)
    }
    costs["passes"] = passes
    for key, kind in (("swap_s", "swap"), ("capo_s", "capo")):
        costs[key] = _timed([e for e in log.timed if e.kind == kind and e.instrument == name], getattr(start, key))
    typical = tuple(_typical(fit, passes, strings))
    return InstrumentLearned(costs, typical, tuple(_drift([e for e in log.readings if e.instrument == name])))


# -- retunes
@dataclass(frozen=True)
class _Fit:
    """Costs, and the covariance of their logs."""

    costs: F
    covariance: F


def _design(retunes: Sequence[RetuneEvent]) -> F:
    """(retunes, 4): how often each retune pays base, string, semitone and check."""
    return np.array([
        [1.0, e.passes * len(e.changes), e.passes * sum(abs(s) for _, s in e.changes), float(e.checked)] for e in retunes
    ]).reshape(-1, 4)  # fmt: skip


def _prior() -> F:
    """Precision of the logs of the costs: each its own, and what they have in common."""
    covariance = np.diag(PRIOR_SD**2) + COMMON_SD**2
    return np.linalg.inv(covariance)


def _fit(retunes: Sequence[RetuneEvent], start: Costs) -> _Fit:
    middle = np.log([start.base_s, start.string_s, start.semitone_s, start.check_s])
    precision = _prior()
    if not retunes:
        return _Fit(np.exp(middle), np.linalg.inv(precision))
    design, seconds = _design(retunes), np.array([max(e.seconds, 0.1) for e in retunes])
    theta, scatter, share = middle.copy(), SCATTER, INTERRUPTED
    for _ in range(ROUNDS):
        model = np.maximum(design @ np.exp(theta), 0.1)
        clean = _undisturbed(seconds, model, scatter, share)
        away = np.log(seconds / model)
        slope = design * np.exp(theta) / model[:, None]
        hessian = precision + slope.T @ (slope * (clean / scatter**2)[:, None])
        gradient = slope.T @ (clean * away / scatter**2) - precision @ (theta - middle)
        step = np.linalg.solve(hessian, gradient)
        theta = theta + np.clip(step, -0.5, 0.5)
        left = float((clean * away**2).sum())
        scatter = math.sqrt((left + SCATTER_EVENTS * SCATTER**2) / (clean.sum() + SCATTER_EVENTS))
        disturbed = float((1 - clean).sum()) + INTERRUPTED * INTERRUPTED_EVENTS
        share = min(0.5, disturbed / (len(seconds) + INTERRUPTED_EVENTS))
        if np.max(np.abs(step)) < 1e-6:
            break
    return _Fit(np.exp(theta), np.linalg.inv(hessian))


def _undisturbed(seconds: F, model: F, scatter: float, share: float) -> F:
    """Chance that each retune was not interrupted."""
    clean = (1 - share) * _lognormal(seconds, np.log(model), scatter)
    extra = np.maximum(seconds - model, 1e-3)
    late = np.where(seconds > model, share * _lognormal(extra, np.full(len(seconds), math.log(DELAY_S)), DELAY_SD), 0.0)
    total = clean + late
    chance: F = np.where(total > 0, clean / np.where(total > 0, total, 1.0), 0.0)
    return chance


def _lognormal(x: F, middle: F, sd: float) -> F:
    density: F = np.exp(-0.5 * ((np.log(x) - middle) / sd) ** 2) / (x * sd * math.sqrt(2 * math.pi))
    return density


def _passes(retunes: Sequence[RetuneEvent], start: float) -> Learned:
    rounds = [e.passes for e in retunes]
    if not rounds:
        return Learned(start, 0.5 * start, 0)
    spread = float(np.std(rounds)) if len(rounds) > 1 else 0.3 * start
    return Learned(float(np.mean(rounds)), max(0.02, spread / math.sqrt(len(rounds))), len(rounds))


def _typical(fit: _Fit, passes: Learned, strings: int) -> list[TypicalRetune]:
    """Seconds from standard to the commonest tunings and back."""
    out = []
    for name, moves in TYPICAL.items():
        steps = steps_of(name, moves, strings)
        row = np.array([1.0, passes.value * len(steps), passes.value * sum(steps), float(strings)])
        parts = row * fit.costs
        seconds = float(parts.sum())
        own = float(parts @ fit.covariance @ parts)
        by_passes = float((parts[1] + parts[2]) / passes.value * passes.sd) if passes.value else 0.0
        sd = SURER * math.sqrt(own + by_passes**2)
        out += [TypicalRetune("standard", name, seconds, sd), TypicalRetune(name, "standard", seconds, sd)]
    return out


def steps_of(name: str, moves: dict[int, float] | None, strings: int) -> list[float]:
    """Sizes of the moves in half steps."""
    if moves is not None:
        return [abs(s) for s in moves.values()]
    return [1.0] * strings if name == "half step down" else [4.0, *[2.0] * (strings - 1)]


# -- swaps and capos
def _timed(events: Sequence[TimedEvent], start: float) -> Learned:
    """The median undisturbed second, shrunk to the start value."""
    middle = math.log(start)
    if not events:
        return Learned(start, TIMED_SD * start, 0)
    seconds = np.array([max(e.seconds, 0.1) for e in events])
    theta, scatter = middle, SCATTER
    for _ in range(ROUNDS):
        clean = _undisturbed(seconds, np.full(len(seconds), math.exp(theta)), scatter, INTERRUPTED)
        precision = 1 / TIMED_SD**2 + clean.sum() / scatter**2
        theta = float((middle / TIMED_SD**2 + (clean * np.log(seconds)).sum() / scatter**2) / precision)
        left = float((clean * (np.log(seconds) - theta) ** 2).sum())
        scatter = math.sqrt((left + SCATTER_EVENTS * SCATTER**2) / (clean.sum() + SCATTER_EVENTS))
    value = math.exp(theta)
    return Learned(value, value / math.sqrt(precision), len(events))


# -- drift
def _drift(readings: Sequence[ReadingEvent]) -> list[Drift]:
    groups: dict[tuple[int, str], list[float]] = {}
    for e in readings:
        if e.after == "song" and not e.arm_work and e.direction in ("up", "down"):
            groups.setdefault((e.string, e.direction or ""), []).append(e.cents)
    out = []
    for (string, direction), cents in sorted(groups.items(), key=lambda g: (-g[0][0], g[0][1])):
        n = len(cents)
        variance = (float(np.sum((np.array(cents) - np.mean(cents)) ** 2)) + DRIFT_SD**2) / n
        out.append(Drift(string, direction, float(np.mean(cents)), math.sqrt(variance / n), n))
    return out
