"""Retunes on simulated bridges with a truth of their own: `python -m benchmarks.bridges [seeds]`.

Elastic strings, a neck that gives, a pivot that turns, springs, friction; the method knows none of it. Shown: the worst string
after the first pass, and passes, sets and simulated seconds until all are read inside the tolerance.
"""

from __future__ import annotations

import math
import sys
from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import brentq

from juxtatune.core.music.pitch import ISO_16
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning.led import calibrate, retune, with_known
from juxtatune.core.strings.coupling import start_model
from juxtatune.core.strings.tension import Gauge

GAUGES = tuple(Gauge(mm, wound) for mm, wound in (
    (1.17, True), (0.91, True), (0.66, True), (0.43, False), (0.33, False), (0.254, False)))  # fmt: skip
REACH = 0.009  # m that a bridge can give either way
SET_S, READ_S, STRUM_S = 7.0, 1.6, 2.0


@dataclass
class Guitar:
    """A guitar whose strings pull on a turning bridge and a giving neck. `cents` are against `target`."""

    target: Tuning
    bridge: str
    rng: np.random.Generator
    scale: float = 0.648
    taken_up: np.ndarray = field(default_factory=lambda: np.zeros(6))

    def __post_init__(self) -> None:
        r = self.rng
        self.stiff = np.array([
            2e11 * math.pi * (g.mm * (r.uniform(0.34, 0.42) if g.wound else 1.0) / 1000) ** 2 / 4 / self.scale for g in GAUGES
        ])  # fmt: skip
        self.mass = np.array([g.unit_weight * r.uniform(0.95, 1.05) for g in GAUGES])
        self.neck = r.uniform(1.2e6, 4e6)
        self.springs = {"floating": r.uniform(7e4, 2.2e5), "dive-only": r.uniform(7e4, 2.2e5), "fixed": 1e12}[self.bridge]
        self.arm, self.lean = r.uniform(0.02, 0.035), r.uniform(-0.1, 0.1)
        self.friction, self.noise = r.uniform(0.0, 0.4), r.uniform(0.05, 0.3)
        self.held = 0.0

    def stand_in(self, tuning: Tuning) -> None:
        """Balanced and level in a tuning."""
        tension = self.mass * (2 * self.scale * np.array([ISO_16.hz(p) for p in tuning.pitches])) ** 2
        self.preload = tension.sum() * (1.25 if self.bridge == "dive-only" else 1.0)
        self.way = 0.0
        self.taken_up = tension / self.stiff + tension.sum() / self.neck
        self._settle()

    def _pull(self, way: float) -> float:
        """How far the strings' pull exceeds the springs' at a way of the bridge; the pivot turns, so arms change."""
        angle = way / self.arm
        tension = self._tensions(way)
        give = self.springs * way * (1 + 0.6 * angle) + self.preload
        return float(tension.sum() * math.cos(angle + self.lean) / math.cos(self.lean) - give)

    def _tensions(self, way: float) -> np.ndarray:
        # the neck gives with all the pull: solved for the sum
        slack = self.taken_up - way
        total = float((self.stiff * slack).sum()) / (1 + self.stiff.sum() / self.neck)
        return np.maximum(self.stiff * (slack - total / self.neck), 0.5)

    def _settle(self) -> None:
        if self.bridge == "fixed":
            self.way = 0.0
        elif self.bridge == "dive-only" and self._pull(0.0) <= 0:
            self.way = 0.0  # it rests on the body
        else:
            low, high = self._pull(-REACH), self._pull(REACH)
            self.way = -REACH if low < 0 else REACH if high > 0 else float(brentq(self._pull, -REACH, REACH))

    def cents(self) -> np.ndarray:
        hz = np.sqrt(self._tensions(self.way) / self.mass) / (2 * self.scale)
        goal = np.array([ISO_16.hz(p) for p in self.target.pitches])
        return 1200 * np.log2(hz / goal)

    def set(self, k: int, to: float) -> float:
        def miss(up: float) -> float:
            self.taken_up[k] = up
            self._settle()
            return float(self.cents()[k] - to)

        middle, span = float(self.taken_up[k]), 0.0005
        while miss(middle - span) * miss(middle + span) > 0 and span < 0.05:
            span *= 1.6
        self.taken_up[k] = brentq(miss, middle - span, middle + span, xtol=1e-10)
        self._settle()
        # it stands where the hand left it, near enough, and friction keeps a little back
        self.taken_up[k] += self.rng.normal(0, 0.4) / 1200 * 0.004 + self.friction * 1e-7 * self.rng.normal()
        self._settle()
        return float(self.cents()[k])

    def read(self) -> np.ndarray:
        return self.cents() + self.rng.normal(0, self.noise, 6)


def lead(guitar: Guitar, dialogue, after_pass: list[float]) -> dict:
    """Answers a dialogue as the guitar does; notes the worst string when each was set once."""
    answer: dict = {}
    seen: set[int] = set()
    seconds = 0.0
    try:
        action = next(dialogue)
        while True:
            if action["do"] == "set":
                k = 6 - action["string"]
                answer = {"string": action["string"], "cents": guitar.set(k, action["cents"])}
                seen.add(k)
                seconds += SET_S
                if len(seen) == 6 and not after_pass:
                    after_pass.append(float(np.max(np.abs(guitar.cents()))))
            elif action["do"] == "read":
                seconds += READ_S
                answer = {"string": action["string"], "cents": float(guitar.read()[6 - action["string"]])}
            else:
                seconds += STRUM_S
                answer = {"cents": {str(6 - k): float(c) for k, c in enumerate(guitar.read())}}
            action = dialogue.send(answer)
    except StopIteration as end:
        return dict(end.value) | {"seconds": seconds}


def run(bridge: str, source: str, target: str, seed: int, known: dict | None, gauges: bool = True) -> tuple[float, dict, float]:
    """(worst after the first pass, what was done, worst at the end)."""
    a, b = parse_tuning(source), parse_tuning(target)
    guitar = Guitar(b, bridge, np.random.default_rng(seed))
    guitar.stand_in(a)
    model = start_model(b, bridge, [648] * 6, GAUGES if gauges else None, None, a)
    strings = tuple(b.strings)
    if known is not None:
        model = with_known(model, known, strings)
    start = {s: 100 * (a.pitch(s) - b.pitch(s)) for s in strings}
    worst: list[float] = []
    done = lead(guitar, retune(model, b, start, strings, 2.0), worst)
    return (worst[0] if worst else float(np.max(np.abs(guitar.cents())))), done, float(np.max(np.abs(guitar.cents())))


def calibrated(bridge: str, seed: int) -> dict:
    home = parse_tuning("standard")
    guitar = Guitar(home, bridge, np.random.default_rng(seed))
    guitar.stand_in(home)
    model = start_model(home, bridge, [648] * 6, GAUGES, None)
    return lead(guitar, calibrate(model, home, tuple(home.strings), 2.5), [])["known"]


CHANGES = (("standard", "drop D"), ("standard", "half step down"), ("standard", "open D"), ("standard", "drop C"),
           ("open G", "standard"), ("half step down", "standard"))  # fmt: skip


BRIDGES = ("fixed", "dive-only", "floating")


def main(seeds: int) -> None:
    for bridge in BRIDGES:
        for label in ("new, no gauges", "new", "calibrated"):
            first, passes, sets, seconds, left = [], [], [], [], []
            for seed in range(seeds):
                known = calibrated(bridge, seed) if label == "calibrated" else None
                for a, b in CHANGES:
                    worst, done, end = run(bridge, a, b, seed, known, label != "new, no gauges")
                    first.append(worst)
                    passes.append(done["passes"])
                    sets.append(done["sets"])
                    seconds.append(done["seconds"])
                    left.append(end)
            q = np.quantile(first, [0.5, 0.9, 1.0])
            print(f"{bridge:10} {label:15} first pass {q[0]:5.1f} / {q[1]:5.1f} / {q[2]:5.1f} ¢, passes {np.mean(passes):.1f} "
                  f"(most {max(passes)}), sets {np.mean(sets):.1f}, {np.mean(seconds):.0f} s, left {max(left):.1f} ¢")  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10)
