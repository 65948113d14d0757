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


class Record:
    """What a retune took: the worst string after every pass (cents), sets, reads, strums, simulated seconds."""

    def __init__(self, guitar: Guitar) -> None:
        self.guitar, self.passes = guitar, []
        self.sets = self.reads = self.seconds = 0
        self._seen: set[int] = set()

    def worst(self) -> float:
        return float(np.max(np.abs(self.guitar.cents())))

    def set(self, k: int, to: float) -> float:
        if k in self._seen:
            self.passes.append(self.worst())
            self._seen = set()
        self._seen.add(k)
        self.sets, self.seconds = self.sets + 1, self.seconds + SET_S
        return self.guitar.set(k, to)

    def read(self) -> np.ndarray:
        self.reads, self.seconds = self.reads + 1, self.seconds + READ_S
        return self.guitar.read()

    def strum(self) -> np.ndarray:
        self.reads, self.seconds = self.reads + 1, self.seconds + STRUM_S
        return self.guitar.read()

    def done(self) -> Record:
        self.passes.append(self.worst())
        return self


def lead(guitar: Guitar, dialogue) -> tuple[dict, Record]:
    """Answers a dialogue as the guitar does: what it ends with, and what it took."""
    record = Record(guitar)
    try:
        action = next(dialogue)
        while True:
            if action["do"] == "set":
                answer = {"string": action["string"], "cents": record.set(6 - action["string"], action["cents"])}
            elif action["do"] == "read":
                answer = {"string": action["string"], "cents": float(record.read()[6 - action["string"]])}
            else:
                answer = {"cents": {str(6 - k): float(c) for k, c in enumerate(record.strum())}}
            action = dialogue.send(answer)
    except StopIteration as end:
        return dict(end.value), record.done()


# -- by hand
def plain(guitar: Guitar, source: Tuning, target: Tuning) -> Record:
    """Each string that changes straight to its note, then whatever a strum shows to be out, six passes at most."""
    record = Record(guitar)
    todo = [k for k in range(6) if source.pitches[k] != target.pitches[k]]
    for _ in range(6):
        for k in todo:
            record.set(k, 0.0)
        out = np.abs(record.strum()) > 2.0
        if not out.any():
            break
        todo = list(np.flatnonzero(out))
    return record.done()


def matrix(bridge: str, seed: int) -> np.ndarray:
    """By how many cents each string moves for a cent of another (6, 6), read at home by pushes of a half step."""
    home = parse_tuning("standard")
    guitar = Guitar(home, bridge, np.random.default_rng(seed))
    guitar.stand_in(home)
    out = np.eye(6)
    for k in range(6):
        before = guitar.read()
        guitar.set(k, before[k] - 100)
        moved = guitar.read() - before
        out[:, k] = moved / moved[k]
        guitar.set(k, before[k])
    return out


def linear(guitar: Guitar, give: np.ndarray) -> Record:
    """Interim targets from one matrix: an affine plan, solved so that every string ends at its note."""
    record = Record(guitar)

    def ends(begin: np.ndarray, order: list[int], to: np.ndarray) -> np.ndarray:
        now = begin.copy()
        for at, k in zip(order, to, strict=True):
            by = k - now[at]
            now = now + give[:, at] * by
        return now

    for _ in range(6):
        begin = record.strum()
        order = list(range(6)) if np.max(np.abs(begin)) > 2.0 else []
        if not order:
            break
        base = ends(begin, order, np.zeros(6))
        slopes = np.stack([ends(begin, order, np.eye(6)[k]) - base for k in range(6)], axis=1)
        for k, to in zip(order, np.linalg.solve(slopes, -base), strict=True):
            record.set(k, float(to))
    return record.done()


# -- led
def begun(bridge: str, source: str, target: str, seed: int) -> tuple[Guitar, Tuning, Tuning]:
    a, b = parse_tuning(source), parse_tuning(target)
    guitar = Guitar(b, bridge, np.random.default_rng(seed))
    guitar.stand_in(a)
    return guitar, a, b


def led(bridge: str, source: str, target: str, seed: int, known: dict | None, gauges: bool = True) -> tuple[dict, Record]:
    guitar, a, b = begun(bridge, source, target, seed)
    model = start_model(b, bridge, [648] * 6, GAUGES if gauges else None, None, a)
    strings = tuple(b.strings)
    if known is not None:
        model = with_known(model, known, strings)
    start = {s: 100 * (a.pitch(s) - b.pitch(s)) for s in strings}
    return lead(guitar, retune(model, b, start, strings, 2.0))


def calibrated(bridge: str, seed: int) -> tuple[dict, Record]:
    home = parse_tuning("standard")
    guitar = Guitar(home, bridge, np.random.default_rng(seed))
    guitar.stand_in(home)
    model = start_model(home, bridge, [648] * 6, GAUGES, None)
    done, record = lead(guitar, calibrate(model, home, tuple(home.strings), 2.5))
    return done["known"], record


def logged(bridge: str, seed: int, count: int) -> dict:
    """What so many retunes on one guitar taught it."""
    known = None
    for k in range(count):
        done, _ = led(bridge, *CHANGES[k % len(CHANGES)], seed, known)
        known = done["known"]
    return known or {}


CHANGES = (("standard", "drop D"), ("standard", "half step down"), ("standard", "open D"), ("standard", "drop C"),
           ("open G", "standard"), ("half step down", "standard"))  # fmt: skip
BRIDGES = ("fixed", "dive-only", "floating")
LOGGED = 10


def row(label: str, records: list[Record]) -> None:
    first = np.quantile([r.passes[0] for r in records], [0.5, 0.9, 1.0])
    second = max(r.passes[min(1, len(r.passes) - 1)] for r in records)
    passes, sets, reads, seconds = (
        np.mean([f(r) for r in records])
        for f in (lambda r: len(r.passes), lambda r: r.sets, lambda r: r.reads, lambda r: r.seconds)
    )
    most, left = max(len(r.passes) for r in records), max(r.passes[-1] for r in records)
    print(f"{label:38} first {first[0]:6.1f} /{first[1]:6.1f} /{first[2]:6.1f}, trimmed {second:6.1f}, left {left:5.1f} ¢; "
          f"{passes:.1f} passes (most {most}), {sets:4.1f} sets, {reads:4.1f} reads, {seconds:4.0f} s")  # fmt: skip


def methods(bridge: str, seeds: int) -> dict:
    """Each way to retune one guitar of each seed, once what it must know is known."""
    known = {seed: calibrated(bridge, seed) for seed in range(seeds)}
    taught = {seed: logged(bridge, seed, LOGGED) for seed in range(seeds)}
    give = {seed: matrix(bridge, seed) for seed in range(seeds)}
    print(f"{bridge}: calibration {np.mean([r.seconds for _, r in known.values()]) / 60:.1f} min")
    return {
        "plain": lambda a, b, k: plain(*begun(bridge, a, b, k)),
        "linear, calibrated": lambda a, b, k: linear(begun(bridge, a, b, k)[0], give[k]),
        "new, no gauges": lambda a, b, k: led(bridge, a, b, k, None, False)[1],
        "new": lambda a, b, k: led(bridge, a, b, k, None)[1],
        "calibrated": lambda a, b, k: led(bridge, a, b, k, known[k][0])[1],
        "ten logged": lambda a, b, k: led(bridge, a, b, k, taught[k])[1],
    }


def main(seeds: int, each: bool) -> None:
    for bridge in BRIDGES:
        ways = methods(bridge, seeds)
        for changes in ([[c] for c in CHANGES] if each else []) + [list(CHANGES)]:
            name = f"{changes[0][0]} to {changes[0][1]}" if len(changes) == 1 else "all"
            for label, method in ways.items():
                row(f"{name}, {label}", [method(a, b, seed) for a, b in changes for seed in range(seeds)])


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10, "each" in sys.argv)
