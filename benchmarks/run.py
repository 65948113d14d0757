"""`make bench`: listening and planning measured beside their peers, in one run."""

from __future__ import annotations

import argparse
import subprocess
import sys
import time

import numpy as np

from benchmarks import gigs, sounds
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.listening.analyse import analyse
from juxtatune.core.listening.pluck import Targets
from juxtatune.core.music.catalogue import parse_tuning
from juxtatune.core.planning.plan import Slot
from juxtatune.core.planning.solve import Planner, price_order

KINDS = {
    "clean": lambda r: sounds.pluck_run(r),
    "noise 20 dB": lambda r: sounds.add_noise(r, sounds.pluck_run(r), 20),
    "noise 10 dB": lambda r: sounds.add_noise(r, sounds.pluck_run(r), 10),
    "noise 0 dB": lambda r: sounds.add_noise(r, sounds.pluck_run(r), 0),
    "hum 50": lambda r: sounds.add_hum(r, sounds.pluck_run(r), 50, 0.02),
    "beating": lambda r: sounds.pluck_run(r, beat=2.0),
    "ring-over": lambda r: sounds.pluck_run(r, ring=True, gap=0.1),
    "staccato": lambda r: sounds.pluck_run(r, length=0.35, gap=0.3),
    "laptop": lambda r: sounds.laptop(r, sounds.pluck_run(r)),
}


def errors_of(sound, readings):
    """(errors in cents of the plucks found, plucks missed, readings too many)."""
    errors, used = [], set()
    for pluck in sound.plucks:
        near = [
            k for k, r in enumerate(readings) if abs(r.start - pluck.start) < 0.1 and r.f1 and k not in used
        ]
        if near:
            used.add(near[0])
            errors.append(1200 * np.log2(readings[near[0]].f1 / pluck.f1))
    return errors, len(sound.plucks) - len(errors), len(readings) - len(used)


def peers(sound):
    """librosa.pyin and Praat's autocorrelation, told where each pluck lies and near which pitch."""
    import librosa
    import parselmouth

    pyin, praat = [], []
    for p in sound.plucks:
        a, b = int((p.start + 0.1) * sound.rate), int(min(p.end, p.start + 1.0) * sound.rate)
        part = sound.samples[a:b]
        low, high = p.f1 * 0.6, p.f1 * 1.7
        f0, voiced, _ = librosa.pyin(part, fmin=low, fmax=high, sr=sound.rate, frame_length=4096)
        pyin.append(1200 * np.log2(np.nanmedian(f0[voiced]) / p.f1) if voiced.any() else np.nan)
        track = parselmouth.Sound(part, sound.rate).to_pitch_ac(pitch_floor=low, pitch_ceiling=high)
        heard = track.selected_array["frequency"]
        praat.append(1200 * np.log2(np.median(heard[heard > 0]) / p.f1) if (heard > 0).any() else np.nan)
    return pyin, praat


def row(values):
    a = np.abs(np.array([v for v in values if np.isfinite(v)]))
    return f"{np.median(a):8.4f} {np.quantile(a, 0.95):8.3f} {a.max():8.3f}" if len(a) else " " * 26


def listening(runs: int) -> None:
    targets = Targets(parse_tuning("standard"))
    print(f"{'cents: median, 95 %, max':14}{'juxtatune':>26}{'pyin':>27}{'Praat':>27}  missed extra speed")
    for kind, make in KINDS.items():
        mine, pyin, praat, missed, extra, spent, length = [], [], [], 0, 0, 0.0, 0.0
        for seed in range(runs):
            sound = make(np.random.default_rng(1000 + seed))
            began = time.perf_counter()
            readings = analyse(sound.samples, sound.rate, targets)
            spent += time.perf_counter() - began
            length += len(sound.samples) / sound.rate
            found, gone, more = errors_of(sound, readings)
            mine, missed, extra = mine + found, missed + gone, extra + more
            if seed == 0:
                a, b = peers(sound)
                pyin, praat = pyin + a, praat + b
        print(f"{kind:14}{row(mine)} {row(pyin)} {row(praat)}  {missed:6} {extra:5} {length / spent:4.0f}×")


def by_hand(gig):
    """Objective of the three orders a player makes: as given, by tuning, nearest neighbour (each best started)."""
    part = gig.part_of_place()

    def priced(songs):
        from dataclasses import replace

        free = replace(
            gig, night=replace(gig.night, pins=(), before=(), adjacent=(), apart=(), max_dead_s=None)
        )
        plan = price_order(free, tuple(Slot(s.id, p, 0) for s, p in zip(songs, part, strict=True)))
        return plan.totals.objective if plan else float("inf")

    grouped = sorted(gig.songs, key=lambda s: (s.ways[0].instrument, str(s.ways[0].tuning)))
    left, chain = list(gig.songs[1:]), [gig.songs[0]]
    while left:
        nearest = min(left, key=lambda s: _seconds(gig, chain[-1], s))
        left.remove(nearest)
        chain.append(nearest)
    return [priced(order) for order in (gig.songs, grouped, chain)]


def _seconds(gig, a, b):
    one, two = a.ways[0], b.ways[0]
    if one.instrument != two.instrument:
        return gig.instrument(two.instrument).costs.swap_s
    return sum(
        4 + 1.5 * abs(x - y) for x, y in zip(one.tuning.pitches, two.tuning.pitches, strict=True) if x != y
    )


def planning(limit: float) -> None:
    print("night        by hand (given, grouped, nearest)   best   bound  proven  time to best  time")
    for songs, guitars, parts, seeds in ((10, 2, 1, 2), (18, 2, 2, 4), (30, 3, 2, 2), (45, 3, 3, 1)):
        for seed in range(seeds):
            gig = parse_gig(gigs.club_json(seed, songs, guitars, parts))
            seen: list[tuple[float, float]] = []

            def note(s, seen=seen):
                if s.plan is not None and (not seen or s.plan.totals.objective < seen[-1][1] - 1e-9):
                    seen.append((s.elapsed_s, s.plan.totals.objective))

            s = Planner(gig, note).run(limit)
            hand = " ".join(f"{v:7.1f}" for v in by_hand(gig))
            best = s.plan.totals.objective if s.plan else float("inf")
            print(
                f"{songs:2} songs, {seed}  {hand}   {best:14.2f} {s.bound:7.2f}  {'yes' if s.optimal else 'no ':3} "
                f"{seen[-1][0] if seen else 0:10.1f} s {s.elapsed_s:8.1f} s",
                flush=True,
            )


def start_up() -> None:
    code = "import sys; sys.argv=['juxtatune','tunings']; from juxtatune.cli.main import run; run()"
    for what, program in (
        ("python alone", "pass"),
        ("juxtatune tunings", code),
        ("window imports", "import juxtatune.qt.main_window"),
    ):
        began = time.perf_counter()
        subprocess.run([sys.executable, "-c", program], capture_output=True, check=True)
        print(f"{what:20}{time.perf_counter() - began:6.2f} s")


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=6, help="sounds of each kind")
    options.add_argument("--limit", type=float, default=30.0, help="seconds for each night")
    options.add_argument("--only", choices=["listening", "planning", "start"])
    chosen = options.parse_args()
    if chosen.only in (None, "start"):
        start_up()
    if chosen.only in (None, "listening"):
        listening(chosen.runs)
    if chosen.only in (None, "planning"):
        planning(chosen.limit)


if __name__ == "__main__":
    main()
