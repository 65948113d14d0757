"""`make bench`: listening and planning measured beside their peers, in one run."""

from __future__ import annotations

import argparse
import subprocess
import sys
import time

from benchmarks import banks, between, gigs, listening, strange, strummed
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.planning.planner import Planner
from juxtatune.core.planning.search.fixed_order import price_order


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
    for songs, guitars, parts, seeds, more in (
        (10, 2, 1, 3, {}),
        (18, 2, 2, 4, {}),
        (18, 2, 2, 4, {"tech": True}),
        (18, 2, 2, 4, {"curve": True}),
        (30, 3, 2, 3, {}),
        (45, 3, 3, 2, {}),
        (60, 4, 3, 1, {}),
    ):
        for seed in range(seeds):
            gig = parse_gig(gigs.club_json(seed, songs, guitars, parts, **more))
            seen: list[tuple[float, float]] = []

            def note(s, seen=seen):
                if s.plan is not None and (not seen or s.plan.totals.objective < seen[-1][1] - 1e-9):
                    seen.append((s.elapsed_s, s.plan.totals.objective))

            s = Planner(gig, note).run(min(limit, 30.0) if songs == 30 else limit)
            name = f"{songs:2} songs{''.join(f', {k}' for k in more)}, {seed}"
            hand = " ".join(f"{v:7.1f}" for v in by_hand(gig))
            best = s.plan.totals.objective if s.plan else float("inf")
            print(
                f"{name}  {hand}   {best:14.2f} {s.bound:7.2f}  {'yes' if s.optimal else 'no ':3} "
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


def hard(runs: int) -> None:
    print("\nstrings of any physics in strange rooms")
    strange.measure(runs)
    print("\nhard strums: median / 95 % / max in cents")
    strummed.measure(max(1, runs // 3))
    print("\nsampled guitars, note by note")
    banks.measure(max(1, runs // 6))
    print("\nbetween two tunings")
    between.measure(runs)


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=6, help="sounds of each kind")
    options.add_argument("--limit", type=float, default=60.0, help="seconds for each night (30 for 30 songs)")
    options.add_argument("--only", choices=["listening", "hard", "planning", "start"])
    chosen = options.parse_args()
    if chosen.only in (None, "start"):
        start_up()
    if chosen.only in (None, "listening"):
        listening.measure(chosen.runs)
    if chosen.only in (None, "hard"):
        hard(chosen.runs)
    if chosen.only in (None, "planning"):
        planning(chosen.limit)


if __name__ == "__main__":
    main()
