"""Sampled guitars beside noise, hum, a band, a laptop's microphone: `python -m benchmarks.disturbed [--runs N] [--kinds a,b]`.

All strings of three tunings, each up to 45 cents off, of every installed bank's clean guitars. Errors are against the
reading of the same note alone and whole.
"""

from __future__ import annotations

import argparse
import os
from multiprocessing import Pool

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks import listening, sounds, strange
from benchmarks.sampled import note, shifted
from benchmarks.strummed import BANKS, RATE, alone
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

PROGRAMS = (24, 25, 26, 27)
TUNINGS = ("standard", "drop C", "open G")
KINDS = {
    "clean": lambda r, s: s,
    "staccato": lambda r, s: s,
    "noise 20 dB": lambda r, s: sounds.add_noise(r, s, 20),
    "noise 10 dB": lambda r, s: sounds.add_noise(r, s, 10),
    "noise 0 dB": lambda r, s: sounds.add_noise(r, s, 0),
    "pink noise": lambda r, s: strange.coloured(r, s, 20, 1),
    "hum 50 Hz": lambda r, s: sounds.add_hum(r, s, 50, 0.04),
    "drifting hum": lambda r, s: strange.hum(r, s, 60),
    "stage bleed": lambda r, s: sounds.add_bleed(r, s),
    "a band": lambda r, s: strange.with_band(r, s),
    "bass along": lambda r, s: sounds.bass_along(r, s),
    "drums": lambda r, s: listening._with_drums(r, s),
    "clipping": lambda r, s: sounds.clip(s),
    "laptop": lambda r, s: sounds.laptop(r, s),
    "weak fundamental": lambda r, s: sounds.weak_fundamental(s),
    "quiet": lambda r, s: listening._quiet(s),
}


def made(bank, program, name, seed, kind):
    """(sound, targets): every string of a tuning once, in any order."""
    r = np.random.default_rng([seed, program, sum(map(ord, name + kind))])
    tuning = parse_tuning(name)
    x, truth = [np.zeros(RATE // 2)], []
    for s in r.permutation(tuning.strings):
        pitch = round(float(tuning.pitch(s)))
        y, cents = shifted(note(pitch, program, font=BANKS[bank]), r.uniform(-45, 45))
        seconds, damped = (0.35, 0.02) if kind == "staccato" else (r.uniform(1.6, 3.0), 0.05)
        y = y[: int(seconds * RATE)] * r.uniform(0.5, 1)
        y[-int(damped * RATE) :] *= np.linspace(1, 0, int(damped * RATE))
        start = sum(map(len, x)) / RATE
        f1 = alone(pitch, program, BANKS[bank]) * 2 ** (cents / 1200)
        truth.append(sounds.Truth(start, start + len(y) / RATE, int(s), f1, 0.0))
        x += [y, np.zeros(int(r.uniform(0.02, 0.4) * RATE))]
    whole = np.concatenate([*x, np.zeros(RATE * 3 // 4)])
    sound = sounds.Sound(RATE, whole / np.max(np.abs(whole)) * 0.5, truth)
    return KINDS[kind](r, sound), Targets(tuning)


def one(job):
    sound, targets = made(*job)
    return job[-1], listening.matched(sound, analyse(sound.samples, sound.rate, targets))


def measure(runs: int, kinds) -> None:
    banks = [b for b in BANKS if BANKS[b].exists()]
    jobs = [
        (b, p, t, k, kind) for kind in kinds for b in banks for p in PROGRAMS for t in TUNINGS
        for k in range(runs)
    ]  # fmt: skip
    print(f"{'':18}{'cents: median, 95 %, max':>25}  plucks missed invented wrong  within 1σ")
    with Pool(2) as pool:
        done = pool.map(one, jobs, chunksize=4)
    for kind in kinds:
        found = [d for k, d in done if k == kind]
        rows = [row for d in found for row in d[0]]
        errors, claims = (np.abs([row[k] for row in rows]) for k in (0, 1))
        figures = f"{np.median(errors):9.3f}{np.quantile(errors, 0.95):8.3f}{errors.max():8.2f}"
        counts = "".join(f"{sum(d[k] for d in found):8}" for k in (1, 2, 3))
        print(
            f"{kind:18}{figures}  {len(rows) + sum(d[1] for d in found):6}{counts}{np.mean(errors < claims):9.0%}"
        )


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=1)
    options.add_argument("--kinds", type=lambda v: v.split(","), default=list(KINDS))
    chosen = options.parse_args()
    measure(chosen.runs, chosen.kinds)


if __name__ == "__main__":
    main()
