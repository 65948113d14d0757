"""Why a plan is as it is: every figure against nights solved or priced again in full."""

from __future__ import annotations

import json
from dataclasses import replace

import pytest

from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.explain.sensitivity import (
    best_changes,
    effects,
    moved,
    timed_solver,
    where_else,
    without_song,
)
from juxtatune.core.planning.planner import solve
from juxtatune.core.planning.search.fixed_order import price_order

LOW, DROP, OPEN = "E2 A2 D3 G3 B3 E4", "D2 A2 D3 G3 B3 E4", "D2 A2 D3 F#3 A3 D4"
UP = "F2 Bb2 Eb3 Ab3 C4 F4"


def gig_of(tunings, **night):
    songs = [
        {"id": f"s{k}", "length_s": 60, "ways": [{"instrument": "g", "tuning": t, "compromise_s": 0}]}
        for k, t in enumerate(tunings)
    ]
    return parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1, "instruments": [{"id": "g", "strings": 6}], "songs": songs, "set": night,
    }))  # fmt: skip


def test_a_song_elsewhere_costs_what_the_moved_order_costs() -> None:
    gig = gig_of([LOW, DROP, LOW, OPEN], apart=[["s0", "s3"]])
    plan = solve(gig, 10.0).plan
    song = plan.order[1].song
    costs = where_else(gig, plan, song)
    assert costs[1] == pytest.approx(0.0)
    for place, cost in enumerate(costs):
        other = price_order(gig, moved(plan.order, song, place))
        if other is None:
            assert cost is None
        else:
            assert cost == pytest.approx(other.totals.objective - plan.totals.objective)
    assert all(c is None or c >= -1e-9 for c in costs)


def test_what_a_pin_costs_is_the_difference_to_the_night_without_it() -> None:
    gig = gig_of([LOW, DROP, LOW, DROP], pins=[{"song": "s1", "part": 0, "place": 0}, {"song": "s0", "part": 0, "place": 1},
                                               {"song": "s3", "part": 0, "place": 2}])  # fmt: skip
    base = solve(gig, 10.0)
    found = {(e.kind, e.songs): e for e in effects(gig, base, timed_solver(5.0, lambda: False))}
    for pin in gig.night.pins:
        free = replace(gig, night=replace(gig.night, pins=tuple(p for p in gig.night.pins if p != pin)))
        effect = found["pin", (pin.song,)]
        assert effect.proven
        assert effect.saves_s == pytest.approx(
            base.plan.totals.objective - solve(free, 10.0).plan.totals.objective
        )
    assert max(e.saves_s for e in found.values() if e.kind == "pin") > 10


def test_a_second_guitar_a_technician_and_a_capo_help_where_they_can() -> None:
    gig = gig_of([LOW, UP, LOW, UP], before=[["s0", "s1"], ["s1", "s2"], ["s2", "s3"]])
    base = solve(gig, 10.0)
    found = {e.kind: e for e in effects(gig, base, timed_solver(5.0, lambda: False)) if e.kind != "before"}
    # two swaps instead of three retunes of six strings; the capo is set in five seconds
    assert found["guitar"].saves_s > 50 and found["guitar"].proven
    assert found["capo"].saves_s > found["guitar"].saves_s
    assert found["tech"].saves_s == pytest.approx(0.0)


def test_leaving_out_the_odd_song_saves_its_retunes() -> None:
    gig = gig_of([LOW, OPEN, LOW], pins=[{"song": "s1", "part": 0, "place": 1}])
    plan = solve(gig, 10.0).plan
    saved = {e.songs[0]: e.saves_s for e in without_song(gig, plan)}
    assert saved["s1"] == pytest.approx(plan.totals.objective)


def test_the_best_changes_are_the_best_single_moves() -> None:
    gig = gig_of([LOW, DROP, LOW, DROP, LOW])
    given = price_order(gig, tuple(replace(s, way=0) for s in solve(gig, 5.0).plan.order))
    worst = price_order(gig, tuple(replace(s, song=f"s{k}") for k, s in enumerate(given.order)))
    changes = best_changes(gig, worst)
    by_hand = max(
        worst.totals.objective - price_order(gig, moved(worst.order, s.song, k)).totals.objective
        for s in worst.order for k in range(5)
    )  # fmt: skip
    assert changes[0].saves_s == pytest.approx(by_hand)
    assert len({c.song for c in changes}) == len(changes) <= 3


def test_a_song_left_out_shortens_the_part_it_stands_in_and_not_another() -> None:
    # planned, the interval hides the one retune; s0 is listed first but may stand in either part
    gig = gig_of([LOW, DROP, LOW, DROP], parts=[{"songs": 2}, {"songs": 2}])
    plan = solve(gig, 10.0).plan
    swapped = price_order(gig, tuple(replace(s, part=1 - s.part) for s in plan.order[2:] + plan.order[:2]))
    assert plan.totals.objective == swapped.totals.objective == 0.0
    for order in (plan, swapped):
        assert [e.saves_s for e in without_song(gig, order)] == [0.0] * 4
