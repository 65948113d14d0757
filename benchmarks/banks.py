"""Sampled guitars, note by note: `python -m benchmarks.banks [--runs N] [--banks a,b] [--programs 25,30] [--each]`.

Every installed bank's guitars, clean and distorted (General MIDI 24 to 30 without the muted one), in six tunings: all
strings in any order, then with strings picked again while they ring; the clean ones also with all strings ringing on,
as they are and clipped to a third. Errors are those of the shift: a reading against that of the same note alone.
"""

from __future__ import annotations

import argparse
import os
from multiprocessing import Pool

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks.sampled import note, shifted
from benchmarks.sounds import hz
from benchmarks.strummed import BANKS, RATE, alone
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

PROGRAMS = (24, 25, 26, 27, 29, 30)
TUNINGS = ("standard", "drop D", "drop C", "open G", "open D", "B standard")
WAYS = ("", ", picked again", ", ringing on", ", ringing on, clipped")


def played(r, tuning, sound, again):
    """(samples, [(start in s, string, cents)]): plucks of sound(string), or each string up to three times as it rings."""
    strings = list(r.permutation(tuning.strings))
    if again:
        strings = [s for s in strings for _ in range(r.integers(1, 4))]
    x, truth = [np.zeros(RATE // 2)], []
    off = {s: r.uniform(-45, 45) for s in strings}
    for s in strings:
        y, cents = shifted(sound(s), off[s] + (r.uniform(-3, 3) if again else 0.0))
        y = y[: int((r.uniform(0.6, 1.2) if again else r.uniform(1.6, 3.2)) * RATE)] * r.uniform(0.5, 1)
        damped = int((0.005 if again else 0.05) * RATE)
        truth.append((sum(map(len, x)) / RATE, int(s), cents))
        x.append(np.concatenate([y[:-damped], y[-damped:] * np.linspace(1, 0, damped)]))
    whole = np.concatenate([*x, np.zeros(RATE // 2)])
    return whole / np.max(np.abs(whole)) * 0.7, truth


def ringing_on(r, tuning, sound, clipped):
    """The same of strings that all ring for 4.5 s, in any order."""
    x, truth, at = np.zeros(14 * RATE), [], 0.5
    for s in r.permutation(tuning.strings):
        y, cents = shifted(sound(s), r.uniform(-45, 45))
        y = y[: int(4.5 * RATE)] / np.max(np.abs(y)) * r.uniform(0.5, 1)
        y[-RATE // 10 :] *= np.linspace(1, 0, RATE // 10)
        first = int(at * RATE)
        x[first : first + len(y)] += y[: len(x) - first]
        truth.append((at, int(s), cents))
        at += r.uniform(0.7, 1.5)
    return np.clip(x / np.max(np.abs(x)) * (3 if clipped else 0.7), -1, 1), truth


def one(job):
    bank, program, name, seed, way = job
    tuning = parse_tuning(name)
    pitch = {s: round(float(tuning.pitch(s))) for s in tuning.strings}
    r = np.random.default_rng([seed, WAYS.index(way), sum(map(ord, name))])

    def sound(s):
        return note(pitch[s], program, font=BANKS[bank])

    if "ringing" in way:
        x, truth = ringing_on(r, tuning, sound, "clipped" in way)
    else:
        x, truth = played(r, tuning, sound, bool(way))
    left = analyse(x, RATE, Targets(tuning))
    errors, faults = [], []
    for start, string, cents in truth:
        near = next((q for q in left if abs(q.start - start) < 0.12), None)
        if near is None or near.f1 is None:
            faults.append(f"missed {string} at {start:.2f}")
            continue
        left.remove(near)
        error = 1200 * np.log2(near.f1 / hz(pitch[string])) - cents
        if near.string != string or abs(error) > 50:
            faults.append(f"wrong {string} at {start:.2f}: {near.string}, {error:+.0f}")
        else:
            errors.append(
                error - 1200 * np.log2(alone(pitch[string], program, BANKS[bank]) / hz(pitch[string]))
            )
    return job, errors, len(truth), faults + [f"invented {q.string} at {q.start:.2f}" for q in left]


def measure(runs: int, banks=None, programs=PROGRAMS, each: bool = False) -> None:
    banks = [b for b in BANKS if BANKS[b].exists() and (banks is None or b in banks)]
    jobs = [
        (b, g, t, k, way) for b in banks for g in programs for way in WAYS for t in TUNINGS for k in range(runs)
        if g < 28 or "ringing" not in way
    ]  # fmt: skip
    with Pool(2) as pool:
        done = pool.map(one, jobs, chunksize=runs * len(TUNINGS))
    print(f"{'':40}{'cents: median, 95 %, max':>23}  plucks missed invented wrong")
    for b in banks:
        for way in WAYS:
            for kind, some in (("clean", (24, 25, 26, 27)), ("distorted", (29, 30))):
                rows = [d for d in done if d[0][0] == b and d[0][4] == way and d[0][1] in some]
                if rows:
                    _line(f"{b}, {kind}{way}", rows)
                    for job, _, _, faults in rows if each else []:
                        print("".join(f"      {job[1:4]} {f}\n" for f in faults), end="")


def _line(name, rows) -> None:
    errors = np.abs([e for d in rows for e in d[1]])
    faults = [f.split()[0] for d in rows for f in d[3]]
    figures = f"{np.median(errors):8.3f}{np.quantile(errors, 0.95):8.3f}{errors.max():8.2f}"
    counts = "".join(f"{faults.count(k):8}" for k in ("missed", "invented", "wrong"))
    print(f"{name:40}{figures}  {sum(d[2] for d in rows):6}{counts}")


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=2)
    options.add_argument("--banks", type=lambda v: v.split(","), default=None)
    options.add_argument("--programs", type=lambda v: [int(k) for k in v.split(",")], default=PROGRAMS)
    options.add_argument("--each", action="store_true", help="names every fault")
    chosen = options.parse_args()
    measure(chosen.runs, chosen.banks, chosen.programs, chosen.each)


if __name__ == "__main__":
    main()
