"""The kinds of `listening`, `strange` and `waveguide` heard live, in blocks of 20 ms: `python -m benchmarks.live [--runs N]`.

Printed beside the errors: what one block costs (ms, median, 99 % and most).
"""

from __future__ import annotations

import argparse
import os
import shutil
import time
from multiprocessing import Pool

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks import listening, strange, waveguide
from benchmarks.listening import matched, row
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.source import Block
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

SOURCES = {"listening": listening, "strange": strange, "waveguide": waveguide}


def made(source, kind, seed):
    """(sound, targets)."""
    sound = SOURCES[source].KINDS[kind](np.random.default_rng([seed, sum(map(ord, kind))]))
    if source != "listening":
        return sound, sound.targets
    name = listening.TUNINGS.get(kind)
    return sound, Targets(parse_tuning(name)) if name else listening.STANDARD


def heard(sound, targets):
    """(readings, ms for each block) of a listener that is fed a sound."""
    listener, out, spent, size = Listener(targets), [], [], int(sound.rate // 50)
    for k in range(0, len(sound.samples) - size + 1, size):
        began = time.perf_counter()
        out += listener.feed(Block(sound.samples[k : k + size], int(sound.rate), k)).settled
        spent.append(1000 * (time.perf_counter() - began))
    return [*out, *listener.finish()], spent


def one(job):
    source, kind, seed = job
    sound, targets = made(source, kind, seed)
    readings, spent = heard(sound, targets)
    return (source, kind), matched(sound, readings), spent


def measure(runs: int, sources) -> None:
    kinds = [
        (s, k) for s in sources for k in SOURCES[s].KINDS
        if shutil.which("espeak-ng") or k.split()[-1] != "dB" or s != "waveguide"
    ]
    jobs = [(*kind, r) for kind in kinds for r in range(runs)]
    with Pool(2) as pool:
        done = pool.map(one, jobs, chunksize=1)
    print(f"{'':22}{'cents: median, 95 %, max':>23}  plucks missed extra wrong   ms: median, 99 %, most")
    for which in dict.fromkeys(d[0] for d in done):
        mine = [d for d in done if d[0] == which]
        rows = [r for d in mine for r in d[1][0]]
        missed, extra, wrong = (sum(d[1][k] for d in mine) for k in (1, 2, 3))
        spent = np.concatenate([d[2] for d in mine])
        times = " ".join(f"{v:6.1f}" for v in (*np.quantile(spent, [0.5, 0.99]), spent.max()))
        print(
            f"{which[1]:22}{row([r[0] for r in rows])}  {len(rows) + missed:6} {missed:6} {extra:5} {wrong:5}  {times}",
            flush=True,
        )


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=2)
    options.add_argument("--sources", type=lambda v: v.split(","), default=list(SOURCES))
    chosen = options.parse_args()
    measure(chosen.runs, chosen.sources)


if __name__ == "__main__":
    main()
