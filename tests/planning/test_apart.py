"""The bound from the guitars apart: never above the best plan, and as high as brute force where nothing is left out."""

from __future__ import annotations

import itertools
import json
import random

import numpy as np
from benchmarks.gigs import club_json
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.app.planning import NightPlanner
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.bounds.decomposition import decomposition_bounds, proven_infeasible
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.planner import Planner, solve
from tests.strategies import small_gigs

GO = np.zeros(1, np.int64)
TUNINGS = [
    "E2 A2 D3 G3 B3 E4",
    "D2 A2 D3 G3 B3 E4",
    "D2 A2 D3 F#3 A3 D4",
    "Eb2 Ab2 Db3 Gb3 Bb3 Eb4",
    "D2 G2 D3 G3 B3 D4",
]


def highest(gig, limit: float = 1e4) -> float:
    return max(decomposition_bounds(compile_gig(gig), limit, GO), default=0.0)


@settings(max_examples=60, deadline=None)
@given(small_gigs())
def test_no_plan_costs_less_than_the_guitars_apart(value) -> None:
    gig = parse_gig(json.dumps(value))
    best = solve(gig, 20.0)
    if best.plan is not None:
        assert highest(gig) <= best.plan.totals.objective + 1e-6
        assert not proven_infeasible(compile_gig(gig), GO)


def test_the_rest_of_a_night_under_way_is_bounded_as_a_night_of_its_own() -> None:
    value = json.loads(club_json(1, 30, 3, 2))
    order = [slot.song for slot in solve(parse_gig(json.dumps(value)), 1.0).plan.order]
    value["set"]["now"] = {"played": order[:17], "in_hand": "rook"}  # the second part has begun
    gig = parse_gig(json.dumps(value))
    best = solve(gig, 3.0).plan.totals.objective
    assert 0.3 * best < highest(gig, best) <= best


def test_clashing_tunings_of_one_guitar_each_cost_a_retune() -> None:
    # four tunings that share all strings, one guitar, one part: three retunes of one string, nothing hides them
    songs = [
        {"id": t, "length_s": 100, "ways": [{"instrument": "g", "tuning": f"{t} A2 D3 G3 B3 E4"}]}
        for t in ("E2", "Eb2", "D2", "C#2")
    ]
    gig = parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1, "instruments": [{"id": "g", "strings": 6}], "songs": songs,
    }))  # fmt: skip
    each = 3 + 4 + 1.5 + 6 * 1.2
    assert abs(highest(gig) - 3 * each * 1.01) < 0.01
    assert abs(solve(gig, 10.0).plan.totals.objective - 3 * each * 1.01) < 1e-6


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6))
def test_long_talk_shared_by_guitars_is_not_counted_for_more_than_it_hides(seed) -> None:
    r = random.Random(seed)
    value = json.loads(club_json(seed, r.choice([6, 8, 9]), r.choice([2, 3]), r.choice([1, 2])))
    for song in value["songs"]:
        for way in song["ways"]:
            way["strings_used"] = r.choice([None, [6, 5, 4], [3, 2, 1], [6]])
    value["set"]["cover_s"] = r.choice([0, 5, 8, 15])
    talk = r.sample([s["id"] for s in value["songs"]], r.choice([1, 2, 3, 4]))
    value["set"]["cover_after"] = {i: r.choice([20, 30, 60, 90]) for i in talk}
    gig = parse_gig(json.dumps(value))
    best = solve(gig, 30.0)
    if best.optimal:
        found = list(decomposition_bounds(compile_gig(gig), best.plan.totals.objective + 50, GO))
        assert found == sorted(found)
        assert max(found, default=0.0) <= best.plan.totals.objective + 1e-6


def one_guitar(talk: dict[str, float]):
    songs = [
        {"id": f"s{k}", "length_s": 100, "ways": [{"instrument": "a", "tuning": tuning}]}
        for k, tuning in enumerate(TUNINGS)
    ]
    night = {"cover_s": 8, "cover_after": talk}
    gig = {"format": "juxtatune-gig", "version": 1, "instruments": [{"id": "a", "strings": 6}]}
    return parse_gig(json.dumps({**gig, "songs": songs, "set": night}))


def test_one_guitar_and_all_its_strings_leave_nothing_to_chance() -> None:
    # by brute force: every order of five tunings, every string moved when it is wanted; talk of 40 s after one song
    for talk in ({}, {"s2": 40}, {"s0": 30, "s3": 40}):
        gig = one_guitar(talk)
        pitches = [song.ways[0].tuning.pitches for song in gig.songs]

        def seconds(order, pitches=pitches, talk=talk):
            total = 0.0
            for a, b in itertools.pairwise(order):
                moves = [abs(x - y) for x, y in zip(pitches[a], pitches[b], strict=True) if x != y]
                work = 3 + 1.2 * 6 + sum(4 + 1.5 * m for m in moves)
                total += max(0.0, work - talk.get(f"s{a}", 8)) + 0.01 * work
            return total

        least = min(map(seconds, itertools.permutations(range(5))))
        assert abs(highest(gig) - least) < 0.01
        assert abs(highest(gig, least / 2) - least / 2) < 0.01  # a limit is never passed


def test_thirty_songs_get_more_than_half_of_their_best_plan() -> None:
    gig = parse_gig(club_json(1, 30, 3, 2))
    assert highest(gig, 84.70) > 0.6 * 84.69
    assert list(decomposition_bounds(compile_gig(gig), 84.70, np.ones(1, np.int64))) == []


def club_night(limit: float, **changes):
    value = json.loads(club_json(0 if limit < 10 else 3, 18, 2, 2))
    value["set"] |= {"max_dead_s": limit, **changes}
    return parse_gig(json.dumps(value))


def test_a_limit_that_one_guitar_cannot_keep_clashes_by_itself() -> None:
    # the rules of order beside it have no part in it, and naming them would be wrong
    outcome = NightPlanner(club_night(4)).run(20.0)
    assert [rule.kind for rule in outcome.clash] == ["max_dead_s"]


def test_a_tight_limit_is_kept_by_an_annealed_plan() -> None:
    gig = club_night(10, pins=[], adjacent=[])
    found = Planner(gig).run_for_any(20.0)
    assert found.plan is not None
    assert max(gap.dead_s for gap in found.plan.gaps) <= 10 + 1e-6
