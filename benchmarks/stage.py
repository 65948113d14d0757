"""What a night under way waits for: `python -m benchmarks.stage [interruptions]`.

Interruptions at random moments of the demo night: how long until the first order of the rest, and until the last better one;
how a rehearsed night's dead air compares with its plan; what the log's queries take with 100,000 rows beside a full scan of them.
"""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from juxtatune.app import stage
from juxtatune.app.log_pictures import PICTURED, PICTURES
from juxtatune.app.logbook import HAPPENED, events, lines
from juxtatune.app.night import as_given, take_plan
from juxtatune.app.planning import NightPlanner
from juxtatune.app.player import SimulatedPlayer
from juxtatune.book.db import Book
from juxtatune.book.demo import demo_state, write_demo_book
from juxtatune.book.log_query import MOST, LogRow, Wanted, rows
from juxtatune.book.state import BookState, NightRecord, gig_of
from juxtatune.core.errors import UserError
from juxtatune.core.logbook.learned import learn

LIMIT_S = 20.0


def planned() -> BookState:
    state = demo_state()
    found = NightPlanner(gig_of(state, state.nights[0])).run(LIMIT_S).solution
    assert found is not None and found.plan is not None
    return state.with_night(take_plan(state, state.nights[0], found.plan))


def played(state: BookState, songs: int, player: SimulatedPlayer | None = None) -> tuple[BookState, stage.Moment, float, float]:
    """The night after so many songs: the book, the moment, dead air and what was planned of it."""
    night = state.nights[0]
    plan = as_given(state, gig_of(state, night), night)
    assert plan is not None
    state, m = stage.begin(state, night, plan, 0.0)
    at = dead = meant = 0.0
    for _ in range(songs):
        night = state.nights[0]
        gig = gig_of(state, night)
        plan = as_given(state, gig, night)
        gap = stage.gap_to(plan, m.song)
        if gap is not None:
            took = player.gap_seconds(gig, gap) if player is not None else stage.gap_seconds(gap)
            at, dead, meant = at + took, dead + max(0.0, took - gap.cover_s), meant + gap.dead_s
        state, m = stage.start_song(state, night, plan, m, at)
        at += state.song(m.song or "").length_s
        if len(stage.now_of(state.nights[0]).played) < songs:
            state, m = stage.end_song(state, state.nights[0], plan, m, at)
    return state, m, dead, meant


def interrupted(state: BookState, rng: np.random.Generator) -> NightRecord:
    """The night changed as nights are."""
    night, kind = state.nights[0], rng.integers(5)
    left = [s.song for s in stage.upcoming(night)]
    guitar = stage.now_of(night).in_hand or "rook"
    if kind == 0:
        return stage.cut(state, night, str(rng.choice(left)))
    if kind == 1:
        return stage.call(state, night, left[int(rng.integers(1, len(left)))], left[0])
    if kind == 2:
        return stage.break_string(state, night, guitar, int(rng.integers(1, 7)))[0]
    if kind == 3:
        return stage.take_out(state, night, guitar)[0]
    return stage.shorten(state, night, left[0], 600.0)[0]


def replanning(count: int) -> None:
    rng, base = np.random.default_rng(1), planned()
    nights = {k: played(base, k)[0] for k in range(1, 15)}
    first, best, proven, done = [], [], 0, 0
    while done < count:
        state = nights[int(rng.integers(1, 15))]
        try:
            gig = gig_of(state.with_night(night := interrupted(state, rng)), night)
        except UserError:
            continue
        done += 1
        times: list[float] = []
        began = time.monotonic()
        outcome = NightPlanner(gig, lambda _, times=times, began=began: times.append(time.monotonic() - began)).run(LIMIT_S)
        end = time.monotonic() - began
        first.append(times[0] if times else end)
        best.append(times[-1] if times else end)
        proven += bool(outcome.solution and outcome.solution.optimal)
    for name, values in (("first answer", first), ("best", best)):
        print(f"{name}: median {np.median(values):.3f} s, 95 % {np.quantile(values, 0.95):.3f} s, most {max(values):.2f} s")
    print(f"{proven} of {count} proven best within {LIMIT_S:.0f} s")


def rehearsed(seeds: int) -> None:
    base = planned()
    with tempfile.TemporaryDirectory() as folder:
        taught = learn(events(rows(write_demo_book(Path(folder)), Wanted(("retune",), limit=2000)), base))
    for label, learned in (("as planned", {}), ("as the log teaches", taught)):
        found = [played(base, len(base.nights[0].slots), SimulatedPlayer(learned, seed))[2:] for seed in range(seeds)]
        dead = np.array([d for d, _ in found])
        print(f"{label}: planned {found[0][1]:.0f} s of dead air, rehearsed {np.median(dead):.0f} s "
              f"({np.quantile(dead, 0.05):.0f} to {np.quantile(dead, 0.95):.0f})")  # fmt: skip


def queries(count: int) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = write_demo_book(Path(folder))
        book, state = Book(path), demo_state()
        own = [(at, kind, json.dumps(data)) for at, kind, data in book.log()]
        pluck = json.dumps({"instrument": "rook", "string": 3, "cents": 0.4})
        filler = [("2026-01-01T20:00:00+00:00", "pluck", pluck)] * 9
        book.fill_log([row for _ in range(count // (10 * len(own))) for event in own for row in (event, *filler)])
        book.close()
        scan = _timed(lambda: rows_by_hand(path))
        work = {
            "newest 500": lambda: lines(rows(path, Wanted(HAPPENED)), state),
            "of one guitar": lambda: lines(rows(path, Wanted(HAPPENED, "dunlin")), state),
            "of one song": lambda: lines(rows(path, Wanted(HAPPENED, "", "groyne")), state),
            "what it teaches": lambda: learn(events(rows(path, Wanted(("retune", "strum"), limit=MOST)), state)),
        } | {name: (lambda p=p: p(rows(path, Wanted(PICTURED, limit=MOST)), state)) for name, p in PICTURES.items()}
        for name, each in work.items():
            took = _timed(each)
            print(f"{name}: {1000 * took:.0f} ms, {took / scan:.2f} of reading every row")


def rows_by_hand(path: Path) -> list[LogRow]:
    book = Book(path, read_only=True)
    found = [LogRow(0, *row) for row in book.log()]
    book.close()
    return found


def _timed(work) -> float:
    times = []
    for _ in range(3):
        began = time.monotonic()
        work()
        times.append(time.monotonic() - began)
    return min(times)


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    replanning(count)
    rehearsed(200)
    queries(100_000)
