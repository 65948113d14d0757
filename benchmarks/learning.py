"""How well handling costs are learned from simulated logs: `python -m benchmarks.learning [seeds] [share interrupted]`.

True costs scatter about the start values as those of players do; seconds scatter log-normally; some retunes are interrupted
for minutes. Shown: median error of the seconds of typical retunes, and how often their 90 % interval holds the truth.
"""

from __future__ import annotations

import sys

import numpy as np

from juxtatune.core.logbook.events import Log, RetuneEvent
from juxtatune.core.logbook.learned import TYPICAL, learn, steps_of

SHAPES = ([-2.0], [-1.0] * 6, [-4.0, *[-2.0] * 5], [-2.0, -1.0, -2.0, -2.0], [2.0, 2.0], [-2.0, -2.0, -2.0])


def simulated(rng: np.random.Generator, count: int, interrupted: float) -> tuple[Log, np.ndarray]:
    """A log of so many retunes, and the costs (base, string, semitone, check) that made it."""
    true = np.array([3.0, 4.0, 1.5, 1.2]) * np.exp(rng.normal(0, 0.35, 4))
    scatter = rng.uniform(0.1, 0.25)
    rows = []
    for _ in range(count):
        steps = [abs(s) for s in SHAPES[rng.integers(len(SHAPES))]]
        passes, checked = float(rng.choice([1, 1, 1, 2])), int(rng.choice([6, 6, 12]))
        mean = true @ np.array([1.0, passes * len(steps), passes * sum(steps), checked])
        seconds = mean * np.exp(rng.normal(0, scatter)) + (rng.uniform(45, 400) if rng.random() < interrupted else 0.0)
        rows.append(RetuneEvent("g", tuple((6 - k, s) for k, s in enumerate(steps)), passes, checked, float(seconds)))
    return Log(tuple(rows), instruments=("g",)), true


def errors(seeds: int, count: int, interrupted: float) -> tuple[float, float]:
    """(median relative error, share of 90 % intervals that hold the truth)."""
    away, held = [], []
    for seed in range(seeds):
        log, true = simulated(np.random.default_rng(seed), count, interrupted)
        found = learn(log)["g"]
        passes = found.costs["passes"].value
        for t in found.typical[::2]:
            steps = steps_of(t.target, TYPICAL[t.target], 6)
            truth = float(true @ np.array([1.0, passes * len(steps), passes * sum(steps), 6.0]))
            away.append(abs(t.seconds - truth) / truth)
            held.append(abs(t.seconds - truth) <= 1.645 * t.sd)
    return float(np.median(away)), float(np.mean(held))


if __name__ == "__main__":
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    for share in (float(sys.argv[2]),) if len(sys.argv) > 2 else (0.1, 0.3):
        for count in (0, 3, 10, 40, 150):
            error, held = errors(seeds, max(count, 0), share)
            print(f"{share:.0%} interrupted, {count:3d} retunes: median error {error:.1%}, 90 % intervals hold {held:.0%}")
