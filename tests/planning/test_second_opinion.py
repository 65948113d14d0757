"""The planner against models that share nothing with it: CP-SAT (OR-Tools), and the bound from counting."""

from __future__ import annotations

import json
import math

import pytest
from benchmarks.gigs import club_json
from hypothesis import given, settings

from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.bounds.spanning_tree import spanning_tree_bound
from juxtatune.core.planning.model.plan import played_count
from juxtatune.core.planning.planner import solve
from tests.planning.second_opinion import Model
from tests.strategies import small_gigs


@settings(max_examples=30, deadline=None)
@given(small_gigs(most=4))
def test_a_constraint_model_finds_the_same_optimum(value) -> None:
    gig = parse_gig(json.dumps(value))
    other, own = Model(gig).optimum(), solve(gig, 20.0)
    if other is None:
        return
    if math.isinf(other):
        assert own.plan is None and own.impossible
        return
    assert own.plan is not None and own.optimal
    assert own.plan.totals.objective == pytest.approx(other, abs=2e-3)


@settings(max_examples=60, deadline=None)
@given(small_gigs())
def test_counting_never_asks_for_more_than_the_best_plan_costs(value) -> None:
    gig = parse_gig(json.dumps(value))
    best = solve(gig, 20.0)
    if best.plan is not None:
        assert spanning_tree_bound(gig, played_count(gig)) <= best.plan.totals.objective + 1e-6


def test_counting_sees_what_clashing_songs_must_cost() -> None:
    # four tunings that share all strings, one guitar, one part: three retunes of one string, nothing hides them
    songs = [
        {"id": t, "length_s": 100, "ways": [{"instrument": "g", "tuning": f"{t} A2 D3 G3 B3 E4"}]}
        for t in ("E2", "Eb2", "D2", "C#2")
    ]
    gig = parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1, "instruments": [{"id": "g", "strings": 6}], "songs": songs,
    }))  # fmt: skip
    each = 3 + 4 + 1.5 + 6 * 1.2
    assert spanning_tree_bound(gig) == pytest.approx(3 * each * 1.01, abs=1e-3)
    assert solve(gig, 10.0).plan.totals.objective == pytest.approx(3 * each * 1.01)


def test_a_large_night_has_a_bound_that_says_something() -> None:
    gig = parse_gig(club_json(0, 45, 3, 3))
    assert spanning_tree_bound(gig) > 50
