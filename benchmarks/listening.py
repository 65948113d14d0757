"""Listening on sounds of known pitch, beside general methods that are told where each pluck lies."""

from __future__ import annotations

import os
import time
from multiprocessing import Pool

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from benchmarks import sampled, sounds
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.reference.offset import reference_offset
from juxtatune.core.listening.source import Block
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

STANDARD = Targets(parse_tuning("standard"))
SEVEN = {7: 35, **sounds.STANDARD}
BASS = {5: 23, 4: 28, 3: 33, 2: 38, 1: 43}


def _quiet(sound):
    sound.samples = sound.samples * 0.004
    return sound


def _with_drums(r, sound):
    beat = sounds.drums(r, sound.rate, len(sound.samples) / sound.rate + 1, 0.15)
    sound.samples = sound.samples + beat[: len(sound.samples)]
    return sound


run = sounds.pluck_run
KINDS = {
    "clean": lambda r: run(r),
    "noise 20 dB": lambda r: sounds.add_noise(r, run(r), 20),
    "noise 10 dB": lambda r: sounds.add_noise(r, run(r), 10),
    "noise 0 dB": lambda r: sounds.add_noise(r, run(r), 0),
    "hum 50 Hz": lambda r: sounds.add_hum(r, run(r), 50, 0.04),
    "hum 60 Hz": lambda r: sounds.add_hum(r, run(r), 60, 0.08),
    "stage bleed 10 dB": lambda r: sounds.add_bleed(r, run(r)),
    "bass along": lambda r: sounds.bass_along(r, run(r)),
    "drums": lambda r: _with_drums(r, run(r)),
    "clipping": lambda r: sounds.clip(run(r)),
    "weak fundamental": lambda r: sounds.weak_fundamental(run(r)),
    "sympathetic": lambda r: sounds.sympathetic(r, run(r)),
    "stiff strings": lambda r: sounds.add_noise(r, run(r, stiff=(1.0, 5.0)), 30),
    "hard picked": lambda r: sounds.add_noise(r, run(r, bend=((12, 20), (0.03, 0.3)), length=2.5), 30),
    "beating": lambda r: run(r, beat=2.0),
    "ring-over": lambda r: run(r, ring=True, gap=0.1),
    "picked again": lambda r: run(r, strings=[6, 6, 5, 5, 3, 3, 1, 1], length=0.8, gap=0.0, spread=0.5),
    "staccato": lambda r: run(r, length=0.35, gap=0.3),
    "laptop": lambda r: sounds.laptop(r, run(r)),
    "quiet": lambda r: _quiet(run(r)),
    "8 kHz": lambda r: run(r, rate=8000),
    "96 kHz": lambda r: run(r, rate=96000),
    "seven strings": lambda r: sounds.add_noise(r, run(r, tuning=SEVEN), 20),
    "five-string bass": lambda r: sounds.add_noise(r, run(r, tuning=BASS), 20),
}
TUNINGS = {"seven strings": "seven-string standard", "five-string bass": "five-string bass"}


def peers(sound):
    """Errors of librosa's YIN and pyin, Praat and the FFT peak of the first partial, told where each pluck lies."""
    import librosa
    import parselmouth

    out = {"YIN": [], "pyin": [], "Praat": [], "FFT peak": []}
    for p in sound.plucks:
        a, b = int((p.start + 0.1) * sound.rate), int(min(p.end, p.start + 1.0) * sound.rate)
        part = sound.samples[a:b]
        low, high = p.f1 * 0.6, p.f1 * 1.7
        size = 4096 if sound.rate > 30000 else 1024
        yin = librosa.yin(part, fmin=low, fmax=high, sr=sound.rate, frame_length=2 * size)
        f0, voiced, _ = librosa.pyin(part, fmin=low, fmax=high, sr=sound.rate, frame_length=size)
        track = parselmouth.Sound(part, sound.rate).to_pitch_ac(pitch_floor=low, pitch_ceiling=high)
        heard = track.selected_array["frequency"]
        wide = 1 << 19
        power = np.abs(np.fft.rfft(part * np.hanning(len(part)), wide)) ** 2
        first, last = int(p.f1 * 0.97 * wide / sound.rate), int(p.f1 * 1.03 * wide / sound.rate)
        found = {
            "YIN": np.median(yin),
            "pyin": np.nanmedian(f0[voiced]) if voiced.any() else np.nan,
            "Praat": np.median(heard[heard > 0]) if (heard > 0).any() else np.nan,
            "FFT peak": (first + int(np.argmax(power[first:last]))) * sound.rate / wide,
        }
        for name, hz in found.items():
            out[name].append(1200 * np.log2(hz / p.f1))
    return out


def matched(sound, readings):
    """(rows of errors and claims, missed, too many, wrong string) of the readings of a sound."""
    rows, used, wrong = [], set(), 0
    for pluck in sound.plucks:
        near = [
            k for k, r in enumerate(readings) if abs(r.start - pluck.start) < 0.1 and r.f1 and k not in used
        ]
        if not near:
            continue
        r = readings[near[0]]
        used.add(near[0])
        wrong += r.string != pluck.string
        error = 1200 * np.log2(r.f1 / pluck.f1)
        attack = np.nan if r.attack_cents is None else r.attack_cents - r.cents - pluck.attack_cents + error
        rows.append((error, r.sigma_cents, attack, pluck.f1))
    return rows, len(sound.plucks) - len(rows), len(readings) - len(used), wrong


def one(job):
    kind, seed, compare = job
    sound = KINDS[kind](np.random.default_rng(1000 + seed))
    targets = Targets(parse_tuning(TUNINGS[kind])) if kind in TUNINGS else STANDARD
    began = time.process_time()
    readings = analyse(sound.samples, sound.rate, targets)
    spent = time.process_time() - began
    return (
        kind,
        matched(sound, readings),
        spent,
        len(sound.samples) / sound.rate,
        peers(sound) if compare else {},
    )


def row(values):
    a = np.abs(np.array([v for v in values if np.isfinite(v)]))
    return f"{np.median(a):7.4f} {np.quantile(a, 0.95):7.3f} {a.max():7.3f}" if len(a) else " " * 23


def plucks(pool, runs: int) -> None:
    print(
        "cents: median, 95 %, max. Peers are told where each pluck lies; gross errors (over 50 ¢) in brackets."
    )
    print(
        f"{'':18}{'juxtatune':>23}  {'attack':>23}  missed extra wrong claims  speed  peers: median / 95 % (gross)"
    )
    done = pool.map(one, [(kind, s, s == 0) for kind in KINDS for s in range(runs)], chunksize=1)
    for kind in KINDS:
        mine = [d for d in done if d[0] == kind]
        rows = [r for d in mine for r in d[1][0]]
        missed, extra, wrong = (sum(d[1][k] for d in mine) for k in (1, 2, 3))
        claims = np.mean([abs(e) <= s for e, s, _, _ in rows])
        speed = sum(d[3] for d in mine) / sum(d[2] for d in mine)
        others = ""
        for name in ("YIN", "pyin", "Praat", "FFT peak"):
            e = np.abs([v for d in mine for v in d[4].get(name, [])])
            gross = int(np.sum(~(e <= 50)))
            fine = e[e <= 50]
            others += (
                f"  {name} {np.median(fine):.2f}/{np.quantile(fine, 0.95):.1f} ({gross})" if len(fine) else ""
            )
        print(
            f"{kind:18}{row([r[0] for r in rows])}  {row([r[2] for r in rows])}  {missed:6} {extra:5} {wrong:5} "
            f"{claims:5.0%} {speed:5.0f}×{others}",
            flush=True,
        )


STRUMS = ("standard", "drop D", "open D", "open G", "doubled low G", "DADGAD", "open E", "drop C")


def strummed(job):
    kind, name, seed = job
    rng = np.random.default_rng(2000 + seed)
    tuning = {s: int(p) for s, p in zip(parse_tuning(name).strings, parse_tuning(name).pitches, strict=True)}
    if kind == "sampled":
        program = list(sampled.GUITARS)[seed % 4]
        x, truth = sampled.strum(rng, program, tuning=tuning)
        for s, pitch in tuning.items():
            truth[s] += 1200 * np.log2(
                sampled.consensus(sampled.note(pitch, program), 48000, sounds.hz(pitch)) / sounds.hz(pitch)
            )
    else:
        x, truth = sounds.strum(rng, tuning=tuning)
        if kind == "10 dB noise":
            x = x + rng.normal(0, np.sqrt(np.mean(x**2) / 10), len(x))
        elif kind == "laptop":
            x = sounds.laptop(rng, sounds.Sound(48000, x)).samples
    got = {r.string: r.cents for r in read_strum(x, 48000, Targets(parse_tuning(name)))}
    errors = []
    for pitch in set(tuning.values()):
        alike = [s for s in tuning if tuning[s] == pitch]
        errors += _paired([got[s] for s in alike], [truth[s] for s in alike])
    return kind, errors


def _paired(found, truth):
    """Errors in the order that fits best; None for a string that was declined."""
    if len(found) == 1 or None in found:
        return [None if f is None else min((f - t for t in truth), key=abs) for f in found]
    return min(
        ([f - t for f, t in zip(found, o, strict=True)] for o in (truth, truth[::-1])),
        key=lambda e: max(map(abs, e)),
    )


def strums(pool, runs: int) -> None:
    print("\nstrums of six strings, each up to 45 ¢ off, over", ", ".join(STRUMS))
    jobs = [
        (k, n, s) for k in ("exact", "10 dB noise", "laptop", "sampled") for n in STRUMS for s in range(runs)
    ]
    done = pool.map(strummed, jobs, chunksize=1)
    for kind in dict.fromkeys(k for k, _ in done):
        errors = [e for k, es in done if k == kind for e in es]
        read = [e for e in errors if e is not None]
        bad = sum(abs(e) > 5 for e in read)
        print(
            f"{kind:18}{row(read)}  over 5 ¢: {bad} of {len(read)}, declined {len(errors) - len(read)}",
            flush=True,
        )


def sampled_notes(job):
    program, pitch = job
    rng = np.random.default_rng(pitch * 100 + program)
    x = np.concatenate([np.zeros(24000), sampled.note(pitch, program), np.zeros(12000)])
    cents = rng.uniform(-45, 45)
    y, exact = sampled.shifted(x, cents)
    (a, *_), (b, *_) = analyse(x, 48000, STANDARD), analyse(y, 48000, STANDARD)
    plain = sampled.consensus(x[24000:], 48000, sounds.hz(pitch))
    return 1200 * np.log2(b.f1 / a.f1) - exact, 1200 * np.log2(a.f1 / plain)


def recorded(seed):
    rng = np.random.default_rng(3000 + seed)
    cents = rng.uniform(-50, 50)
    found = reference_offset(sounds.recording(rng, cents), 44100)
    return (getattr(found, "cents", 99.0) - cents + 50) % 100 - 50


def others(pool, runs: int) -> None:
    jobs = [
        (program, pitch) for program in sampled.GUITARS for pitch in (40, 42, 45, 47, 50, 53, 55, 59, 61, 64)
    ]
    notes = pool.map(sampled_notes, jobs, chunksize=1)
    print(f"\nsampled, shift    {row([n[0] for n in notes])}\nsampled, absolute {row([n[1] for n in notes])}")
    print(f"recordings        {row(pool.map(recorded, range(4 * runs), chunksize=1))}")


def hops() -> None:
    rng = np.random.default_rng(1)
    sound = sounds.add_noise(rng, run(rng, length=2.0), 30)
    for _ in range(2):
        listener, spent = Listener(STANDARD), []
        for k in range(0, len(sound.samples) - 960, 960):
            began = time.perf_counter()
            listener.feed(Block(sound.samples[k : k + 960], 48000, k))
            spent.append(1000 * (time.perf_counter() - began))
    print(
        f"\none live hop of 20 ms: median {np.median(spent):.1f} ms, 95 % {np.quantile(spent, 0.95):.1f} ms"
    )


def measure(runs: int) -> None:
    sampled.ready()
    with Pool(2) as pool:
        plucks(pool, runs)
        strums(pool, max(1, runs // 2))
        others(pool, runs)
    hops()
