"""Whose each pluck is while a guitar is between two tunings: `python -m benchmarks.between [--runs N]`.

Every string is at its old pitch, on its target, on the way or up to 120 cents beyond it. Six plucks a sound, from the
lowest string up or in any order; or each string twice in any order, the second time half of them turned. Strings are
damped alike, more or less from pluck to pluck, or each has its own damping (spread as on sampled guitars).
"""

from __future__ import annotations

import argparse
import os
from itertools import product
from multiprocessing import Pool

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks.sounds import STANDARD, STIFF, hz, string_tone
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

PAIRS = (
    ("standard", "drop C"),
    ("standard", "B standard"),
    ("standard", "open G"),
    ("drop C", "standard"),
    ("standard", "open C"),
    ("standard", "doubled low G"),
    ("standard", "C2 F2 A#2 D#3 G3 C4"),
    ("B standard", "standard"),
    ("standard", "drop A"),
    ("open E", "drop B"),
)


WAYS = ("string by string", "in any order", "twice each, in any order")
TWICE = WAYS[2]


def place(r, start, target):
    """Where a string is found on its way, as a pitch."""
    places = (start, target, r.uniform(min(start, target), max(start, target)))
    beyond = target + np.sign(target - start) * r.uniform(0, 1.2)
    return (*places, beyond)[r.integers(4)] + r.uniform(-0.15, 0.15)


def one(job):
    """(plucks, on the wrong string, of these named as doubtful) of one sound."""
    start, goal, way, own_damping, seed = job
    r, source, tuning = np.random.default_rng(seed), parse_tuning(start), parse_tuning(goal)
    # B f1² is a string's own at any tension
    own = {s: STIFF[s] * r.uniform(0.6, 1.5) * hz(STANDARD[s]) ** 2 for s in STANDARD}
    damping = {s: (r.normal(0, 0.35), r.normal(0.5, 0.3)) for s in STANDARD} if own_damping else {}
    order = list(tuning.strings)
    if way == TWICE:
        order *= 2
    if way != WAYS[0]:
        r.shuffle(order)
    last = {}
    x, at = r.normal(0, 0.0005, int(48000 * (0.5 + 1.75 * len(order)))), []
    for k, s in enumerate(order):
        if s not in last or r.uniform() < 0.5:
            last[s] = place(r, float(source.pitch(s)), float(tuning.pitch(s)))
        f1 = hz(last[s] + r.uniform(-0.02, 0.02))
        y = string_tone(
            r,
            f1,
            48000,
            1.5,
            own[s] / f1**2,
            r.uniform(0.5, 14),
            r.uniform(0.04, 0.16),
            damping=damping.get(s),
        )
        y[-1440:] *= np.linspace(1, 0, 1440) ** 2
        at.append(0.5 + 1.75 * k)
        first = round(at[-1] * 48000)
        x[first : first + len(y)] += 0.4 * r.uniform(0.6, 1) * y
    readings = [q for q in analyse(x, 48000, Targets(tuning, source)) if q.f1]
    wrong = said = 0
    for s, t in zip(order, at, strict=True):
        q = min(readings, key=lambda q: abs(q.start - t))
        if q.string != s and s not in q.also:
            wrong, said = wrong + 1, said + (q.problem is not None)
    return len(order), wrong, said


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--runs", type=int, default=12)
    measure(parser.parse_args().runs)


def measure(runs: int) -> None:
    with Pool() as pool:
        for way, own in product(WAYS, (False, True)):
            jobs = [(a, b, way, own, seed) for a, b in PAIRS for seed in range(runs)]
            plucks, wrong, said = np.sum(pool.map(one, jobs, chunksize=2), axis=0)
            order = way + (", own damping" if own else "")
            print(
                f"{order:40} {plucks} plucks, {wrong} on the wrong string, {said} of them named", flush=True
            )


if __name__ == "__main__":
    main()
