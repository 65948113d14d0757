"""Takes of one pluck, and takes begun while it rings: `python -m benchmarks.takes [--runs N] [--chromatic]`.

Every pluck of the kinds of `listening` and `strange` is cut out for itself, with 0.2 s before it or from 0.1 to 0.7 s after
its onset. Little is left to hold a sound against. Printed beside the errors: where plucks are said to end (s late).
"""

from __future__ import annotations

import argparse
import os
from multiprocessing import Pool

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks import listening, strange
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

TOGETHER = ("ring-over", "sympathetic", "under another", "picked again")  # strings that cannot be cut apart
KINDS = [(source, kind) for source in (listening, strange) for kind in source.KINDS if kind not in TOGETHER]


def made(source, kind, seed):
    sound = source.KINDS[kind](np.random.default_rng([seed, sum(map(ord, kind))]))
    if source is strange:
        return sound, sound.targets
    name = listening.TUNINGS.get(kind)
    return sound, Targets(parse_tuning(name)) if name else listening.STANDARD


def one(job):
    """(errors, seconds late at the end, missed, invented, wrong strings) of every pluck of a sound by itself."""
    k, seed, ringing, chromatic = job
    source, kind = KINDS[k]
    sound, targets = made(source, kind, seed)
    r = np.random.default_rng(seed)
    errors, late, missed, invented, wrong = [], [], 0, 0, 0
    ended = 0.0
    for p, following in zip(sound.plucks, [*sound.plucks[1:], None], strict=True):
        begin = p.start + (r.uniform(0.1, 0.7) if ringing else -r.uniform(0.15, 0.25))
        end = min(p.end + r.uniform(0.02, 0.2), following.start - 0.01 if following else np.inf)
        begin, ended = max(begin, ended), p.end + 0.02
        if end - begin < 0.3:
            continue
        begin = int(begin * sound.rate) / sound.rate
        left = analyse(
            sound.samples[int(begin * sound.rate) : int(end * sound.rate)],
            sound.rate,
            Targets() if chromatic else targets,
        )
        near = [q for q in left if q.f1 and abs(q.start + begin - max(p.start, begin)) < 0.1]
        invented += len(left) - len(near[:1])
        missed += not near
        for q in near[:1]:
            errors.append(1200 * np.log2(q.f1 / p.f1))
            late.append(q.end + begin - p.end)
            wrong += not chromatic and q.string != p.string
    return k, errors, late, missed, invented, wrong


def measure(runs: int, chromatic: bool) -> None:
    with Pool(2) as pool:
        for ringing in (False, True):
            print("begun while it rings" if ringing else "one pluck")
            print(
                f"{'':18}{'cents: median, 95 %, max':>25}{'end, 5 and 95 %':>17}  plucks missed invented wrong"
            )
            jobs = [(k, s, ringing, chromatic) for k in range(len(KINDS)) for s in range(runs)]
            done = pool.map(one, jobs, chunksize=1)
            for k, (_, kind) in enumerate(KINDS):
                _line(kind, [d[1:] for d in done if d[0] == k])


def _line(kind, rows) -> None:
    errors, late = (np.array([v for row in rows for v in row[column]]) for column in (0, 1))
    counts = "".join(f"{sum(row[column] for row in rows):8}" for column in (2, 3, 4))
    if len(errors) == 0:
        print(f"{kind:18}{'none long enough, or none read':42}  {0:6}{counts}", flush=True)
        return
    figures = f"{np.median(abs(errors)):9.4f}{np.quantile(abs(errors), 0.95):8.3f}{abs(errors).max():8.2f}"
    print(
        f"{kind:18}{figures}{np.quantile(late, 0.05):9.3f}{np.quantile(late, 0.95):8.3f}  {len(errors):6}{counts}",
        flush=True,
    )


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=3)
    options.add_argument("--chromatic", action="store_true", help="listen without a tuning")
    chosen = options.parse_args()
    measure(chosen.runs, chosen.chromatic)


if __name__ == "__main__":
    main()
