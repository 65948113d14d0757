"""Whole recordings off 440 by a known amount, of every kind of string that the other corpora have, and of fluidsynth's.
`python -m benchmarks.recordings [--runs N] [--kinds a,b]`.

Each note lies 0.7 cents off by itself (1σ), as players' do, and glides down from its attack; f1 is where that ends.
"""

from __future__ import annotations

import argparse
from functools import partial
from multiprocessing import Pool

import numpy as np

from benchmarks import kirchhoff, sampled, strange, waveguide
from benchmarks.listening import row
from benchmarks.sounds import drums, hz, recording, string_tone
from juxtatune.core.listening.reference.offset import reference_offset

RATE = 44100
CHORDS = ((0, 7), (0, 7, 12), (0, 4, 7, 12), (0, 3, 7, 12, 15))


def gliding(r, f1, rate, seconds, most=20.0, slowest=0.3):
    """A string picked up to so many cents sharp, for up to so many seconds."""
    glide, lasts = r.uniform(most / 4, most), r.uniform(slowest / 3, slowest)
    return string_tone(r, f1, rate, seconds, r.uniform(2e-5, 2e-4), glide, lasts)


slightly = partial(gliding, most=8.0, slowest=0.15)


def played(r, cents, tone, chords=0.0, band=False, seconds=14.0):
    """A riff of one guitar, some of it chords, perhaps with a bass and drums."""
    x = np.zeros(int((seconds + 4) * RATE))
    root, beat, t = int(r.integers(38, 46)), r.uniform(0.25, 0.45), 0.1

    def add(pitch, at, lasts, level):
        y = level * tone(r, hz(pitch + (cents + r.normal(0, 0.7)) / 100), RATE, lasts)
        k = int(at * RATE)
        x[k : k + len(y)] += y[: len(x) - k]

    while t < seconds - 0.5:
        if chord := r.random() < chords:
            notes = [root + int(r.choice([0, 3, 5, 7, 10])) + i for i in CHORDS[r.integers(4)]]
        else:
            notes = [root + int(r.choice([0, 2, 3, 5, 7, 10, 12, 15, 17]))]
        lasts = beat * int(r.integers(2, 5) if chord else r.integers(1, 3))
        for pitch in notes:
            add(pitch, t + r.uniform(0, 0.01), lasts * r.uniform(0.7, 1.1), 0.15 * r.uniform(0.6, 1))
        if band:
            add(root - 12, t, 0.9 * lasts, 0.2)
        t += lasts
    x = x[: int(seconds * RATE)]
    return x + (drums(r, RATE, seconds, 0.25) if band else 0.0)


def fluidsynth(r, cents):
    """A band of General MIDI instruments, whose samples lie some cents off by themselves."""
    samples, exact = sampled.shifted(strange.band(r, RATE, 14.0), cents)
    return samples, exact


def _old(tone):
    return lambda r, cents: recording(
        r, cents, tone=lambda r, f1, rate, s, *_: tone(r, f1, rate, max(s, 0.1))
    )


def _first(tone, *how):
    return lambda r, f1, rate, seconds: tone(r, f1, rate, seconds, *how)[0]


KINDS = {
    "a band": lambda r, cents: recording(r, cents),
    "a riff": lambda r, cents: played(r, cents, slightly),
    "sharp attacks": lambda r, cents: played(r, cents, gliding),
    "band, chords": lambda r, cents: played(r, cents, slightly, 0.4, True),
    "the same, sharp": lambda r, cents: played(r, cents, gliding, 0.4, True),
    "chords": lambda r, cents: played(r, cents, partial(gliding, most=15.0), 0.9),
    "waveguides": _old(waveguide.string),
    "sharp waveguides": _old(_first(waveguide.gliding)),
    "any strings": lambda r, cents: played(r, cents, _first(strange.tone, 0.3), 0.3),
    "tension": lambda r, cents: played(r, cents, _first(kirchhoff.string), 0.3, seconds=10.0),
    "fluidsynth": fluidsynth,
}  # fmt: skip


def one(job):
    """Error (cents) of the offset of one recording; NaN where none is told."""
    kind, seed = job
    r = np.random.default_rng([seed, sum(map(ord, kind))])
    cents = r.uniform(-50, 50)
    made = KINDS[kind](r, cents)
    samples, cents = made if isinstance(made, tuple) else (made, cents)
    return kind, (getattr(reference_offset(samples, RATE), "cents", np.nan) - cents + 50) % 100 - 50


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=24)
    options.add_argument("--kinds", type=lambda v: v.split(","), default=list(KINDS))
    chosen = options.parse_args()
    with Pool(2) as pool:
        done = pool.map(one, [(k, s) for k in chosen.kinds for s in range(chosen.runs)], chunksize=1)
    print(f"{'':18}{'cents: median, 95 %, max':>23}  none  too sharp by")
    for kind in chosen.kinds:
        off = np.array([error for k, error in done if k == kind])
        print(f"{kind:18}{row(off)}  {np.isnan(off).sum():4d}  {np.nanmean(off):+.2f}")


if __name__ == "__main__":
    main()
