"""Strums harder than the first corpus: `python -m benchmarks.strummed [--runs N] [--kinds a,b] [--left-out]`.

Strings of any stiffness with beating, in noise and by a small microphone, in twelve tunings; the sampled guitars of
large sound banks (Debian's fluid-soundfont-gm and musescore-general-soundfont), where they are installed, against
the consensus of long-window methods or (`--alone`) what is read of the same note alone.
`--left-out`: one string of each strum is not played.
"""

from __future__ import annotations

import argparse
import functools
import os
from multiprocessing import Pool
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks import sampled
from benchmarks.listening import _paired
from benchmarks.sounds import Sound, add_noise, hz, laptop
from benchmarks.strange import tone
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

TUNINGS = (
    "standard",
    "drop D",
    "open D",
    "open G",
    "doubled low G",
    "DADGAD",
    "open E",
    "drop C",
    "open C",
    "all fourths",
    "B standard",
    "double drop D",
)
BANKS = {
    "small bank": sampled.SOUNDFONT,
    "first bank": Path("/usr/share/sounds/sf2/FluidR3_GM.sf2"),
    "second bank": Path("/usr/share/sounds/sf3/MuseScore_General_Full.sf3"),
}
SYNTHETIC = ("exact", "beating", "noise 10 dB", "laptop")
RATE = 48000


def mixed(r, tuning, note, left_out):
    """(samples, {string: cents}) of a strum of `note(string, cents)` -> (samples, truth in cents)."""
    x, truth, at = np.zeros(int(4.2 * RATE)), {}, r.uniform(0.2, 0.5)
    silent = int(r.choice(tuning.strings)) if left_out else None
    for s in tuning.strings:
        y, cents = note(s, r.uniform(-45, 45))
        gain = r.uniform(0.5, 1.0)
        if s == silent:
            continue
        truth[s] = cents
        first = int(at * RATE)
        y = y[: len(x) - first]
        x[first : first + len(y)] += gain * y
        at += r.uniform(0.005, 0.03)
    return x / np.max(np.abs(x)) * 0.6, truth


def synthetic(r, kind, tuning, left_out):
    def note(s, cents):
        beating = 0.0 if kind == "exact" else 1.0
        return tone(r, hz(float(tuning.pitch(s)) + cents / 100), RATE, 3.5, beating)[0], cents

    x, truth = mixed(r, tuning, note, left_out)
    if kind == "noise 10 dB":
        x = add_noise(r, Sound(RATE, x), 10).samples
    if kind == "laptop":
        x = laptop(r, Sound(RATE, x)).samples
    return x, truth


@functools.cache
def alone(pitch, program, font):
    x = np.concatenate([np.zeros(RATE // 2), sampled.note(pitch, program, font=font), np.zeros(RATE // 4)])
    return min(
        (q.f1 for q in analyse(x, RATE, Targets(None)) if q.f1), key=lambda f1: abs(np.log(f1 / hz(pitch)))
    )


def banked(r, bank, program, tuning, left_out, against):
    def note(s, cents):
        pitch = int(tuning.pitch(s))
        plain = sampled.note(pitch, program, font=BANKS[bank])
        own = 1200 * np.log2(against(pitch, program, BANKS[bank]) / hz(pitch))
        y, exact = sampled.shifted(plain, cents)
        return y / np.max(np.abs(plain)), exact + own

    return mixed(r, tuning, note, left_out)


def one(job):
    """(errors, their claims, answers for silent strings, names) of one strum; None for a declined string."""
    kind, name, seed, left_out, by_itself = job
    r = np.random.default_rng([seed, sum(map(ord, kind + name))])
    tuning = parse_tuning(name)
    if kind in BANKS:
        program = list(sampled.GUITARS)[(seed + TUNINGS.index(name)) % len(sampled.GUITARS)]
        x, truth = banked(
            r, kind, program, tuning, left_out, alone if by_itself else sampled.consensus_of_note
        )
    else:
        program = 0
        x, truth = synthetic(r, kind, tuning, left_out)
    got = {q.string: q for q in read_strum(x, RATE, Targets(tuning))}
    invented = [s for s in tuning.strings if s not in truth and got[s].cents is not None]
    rows = []
    for pitch in {tuning.pitch(s) for s in truth}:
        alike = [s for s in truth if tuning.pitch(s) == pitch]
        errors = _paired([got[s].cents for s in alike], [truth[s] for s in alike])
        rows += [
            (e, got[s].sigma_cents, s, f"{name} {seed} {program}") for e, s in zip(errors, alike, strict=True)
        ]
    return kind, rows, invented


def report(kind, rows, invented, strums, left_out):
    read = np.array([(e, s) for e, s, *_ in rows if e is not None])
    e = np.abs(read[:, 0])
    false = f", silent ones answered {invented} of {strums}" if left_out else ""
    print(
        f"{kind:12} {np.median(e):.3f} / {np.quantile(e, 0.95):.2f} / {e.max():.1f}  over 5 ¢ {np.mean(e > 5):.1%}, "
        f"declined {1 - len(e) / len(rows):.1%} of {len(rows)}, within 1σ {np.mean(e <= read[:, 1]):.0%}{false}",
        flush=True,
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--runs", type=int, default=4)
    parser.add_argument("--kinds", default=",".join((*SYNTHETIC, *BANKS)))
    parser.add_argument("--left-out", action="store_true")
    parser.add_argument("--alone", action="store_true")
    parser.add_argument(
        "--each", action="store_true", help="name the strings declined or off by over 5 cents"
    )
    o = parser.parse_args()
    measure(o.runs, o.kinds.split(","), o.left_out, o.alone, o.each)


def measure(runs, kinds=(*SYNTHETIC, *BANKS), left_out=False, by_itself=False, each=False):
    sampled.ready()
    with Pool() as pool:
        for kind in (k for k in kinds if k not in BANKS or BANKS[k].exists()):
            jobs = [(kind, n, s, left_out, by_itself) for n in TUNINGS for s in range(runs)]
            done = pool.map(one, jobs, chunksize=runs)
            rows = [row for d in done for row in d[1]]
            report(kind, rows, sum(len(d[2]) for d in done), len(done), left_out)
            for e, sigma, string, where in rows if each else ():
                if e is None or abs(e) > 5:
                    print("   ", where, string, "declined" if e is None else f"{e:.1f} ± {sigma:.2f}")


if __name__ == "__main__":
    main()
