"""Every rule that a plan can break is told by its price, whoever made the plan."""

from __future__ import annotations

import json
import random
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from juxtatune.book.formats.gig import parse_gig
from juxtatune.book.formats.gig_out import gig_json
from juxtatune.book.formats.plan_out import plan_json
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.model.plan import Retune, Slot
from juxtatune.core.planning.model.tables import bits
from juxtatune.core.planning.planner import solve
from juxtatune.core.planning.pricing.verify import BrokenPlan, price
from juxtatune.core.planning.search.beam_search import BeamParams, Searcher
from juxtatune.core.planning.search.fixed_order import price_order
from juxtatune.core.planning.search.lns import freed_songs, rules_around, song_penalties
from tests.planning.brute import best_objective
from tests.planning.test_planning import OPEN_D, STANDARD, club, worked_draft, worked_night
from tests.strategies import small_gigs

LOW = Retune("rook", 6, 38.0, 40.0)


def broken(gig, draft, words) -> None:
    with pytest.raises(BrokenPlan, match=words):
        price(gig, draft)


def with_gap(draft, place, *retunes):
    return replace(draft, gap_retunes={**draft.gap_retunes, place: retunes})


def test_orders_that_break_a_rule() -> None:
    draft = worked_draft(OPEN_D)
    broken(worked_night(), replace(draft, order=draft.order[:2]), "every song once")
    broken(worked_night(before=[["c", "a"]]), draft, "not kept: c comes before a")
    broken(worked_night(adjacent=[["a", "c"]]), draft, "not kept: c comes straight after a")
    broken(worked_night(apart=[["b", "a"]]), draft, "not kept: b and a are never neighbours")
    broken(worked_night(pins=[{"song": "b", "part": 0, "place": 0}]), draft, "not kept: b stands at place 0 of part 0")
    broken(worked_night(parts=[{"songs": 1}, {"songs": 2}]), draft, "part sizes")


def test_retunes_that_break_a_rule() -> None:
    draft = worked_draft(OPEN_D)
    gig = worked_night()
    broken(gig, with_gap(draft, 1, Retune("rook", 6, 40.0, 38.0)), "not where the retune starts")
    broken(gig, with_gap(draft, 1, Retune("rook", 6, 38.0, 38.0)), "does not move")
    broken(gig, with_gap(draft, 1, LOW), "not at pitch")
    broken(gig, with_gap(draft, 0, LOW), "before a part's first song")
    up_and_down = Retune("rook", 1, 62.0, 64.0), Retune("rook", 1, 64.0, 62.0)
    broken(gig, with_gap(draft, 1, *up_and_down), "twice before it is used")


def test_idle_work_needs_a_technician_a_free_guitar_and_time() -> None:
    start = (*STANDARD[:1], *OPEN_D[1:])
    draft = replace(worked_draft(start), order=(Slot("b", 0, 0), Slot("a", 0, 0), Slot("c", 0, 0)))
    idle = replace(draft, idle_retunes={0: (Retune("rook", 6, 40.0, 38.0),)})
    broken(worked_night(), idle, "without a technician")
    assert price(worked_night(tech=True), idle).totals.strings_retuned == 1
    played = replace(draft, idle_retunes={1: (LOW,)}, start=({"rook": OPEN_D, "dunlin": STANDARD},))
    broken(worked_night(tech=True), played, "while it is played")
    gig = worked_night(tech=True)
    short = replace(gig, songs=tuple(replace(s, length_s=5.0) for s in gig.songs))
    broken(short, idle, "longer than the song")


def test_a_gap_over_the_limit_is_refused() -> None:
    broken(worked_night(max_dead_s=3), worked_draft(OPEN_D), "dead air after b")


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(small_gigs(4))
def test_gig_json_reads_back_as_written(data) -> None:
    data["set"].pop("now", None)
    gig = parse_gig(json.dumps(data))
    assert parse_gig(json.dumps(gig_json(gig))) == gig


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(small_gigs(4))
def test_the_written_plan_adds_up(data) -> None:
    gig = parse_gig(json.dumps(data))
    solution = solve(gig, 60)
    if solution.plan is None:
        return
    out = json.loads(json.dumps(plan_json(gig, solution), allow_nan=False))
    totals = out["totals"]
    assert totals["dead_s"] == pytest.approx(sum(g["dead_s"] for g in out["gaps"]), abs=0.001)
    assert totals["work_s"] == pytest.approx(sum(g["work_s"] for g in out["gaps"]), abs=0.001)
    parts = totals["dead_s"] + totals["compromise_s"] + totals["curve_s"] + 0.01 * totals["work_s"]
    assert totals["objective"] == pytest.approx(parts, abs=0.001)
    assert all(
        g["dead_s"] == pytest.approx(max(0, g["work_s"] - g["cover_s"]), abs=0.001) for g in out["gaps"]
    )
    assert all(len(s["tunings"]) == len(gig.instruments) for s in out["start"])


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(small_gigs(), st.sampled_from([1, 2, 5]))
def test_a_narrow_search_never_claims_more_than_the_optimum(data, width) -> None:
    gig = parse_gig(json.dumps(data))
    best = best_objective(gig)
    compiled = compile_gig(gig)
    if compiled.first == compiled.tables.n or best == float("inf"):
        return

    found = Searcher(compiled).run(compiled.pred, BeamParams(width), np.inf, np.zeros(1, np.int64))
    assert found.bound <= best + 1e-6
    if found.draft is not None:
        assert price(gig, found.draft).totals.objective >= best - 1e-6
        assert price(gig, found.draft).totals.objective == pytest.approx(found.cost, abs=1e-6)


def test_a_neighbourhood_keeps_the_order_of_the_rest() -> None:

    gig = club(14)
    compiled = compile_gig(gig)
    plan = price_order(
        gig, tuple(Slot(s.id, p, 0) for s, p in zip(gig.songs, gig.part_of_place(), strict=True))
    )
    assert plan is not None
    for seed in range(20):
        free = freed_songs(random.Random(seed), compiled, plan, 5)
        assert len(set(free)) == len(free) <= 5
        pred = rules_around(compiled, plan, free)
        rest = [k for k in range(14) if k not in free]
        for a, b in pairwise(rest):
            assert pred[b, 0] & bits([a], 1)[0]
        assert all(not pred[v].any() for v in free)
    assert song_penalties(compiled, plan).sum() == pytest.approx(plan.totals.dead_s + 0.01 * plan.totals.work_s)


def test_a_large_night_gets_a_plan_that_keeps_its_rules() -> None:
    ids = [f"s{k}" for k in range(40)]
    gig = club(
        40,
        pins=[{"song": ids[3], "part": 1, "place": -1}],
        before=[[ids[9], ids[2]]],
        adjacent=[[ids[5], ids[20]]],
    )
    solution = solve(gig, 8)
    assert solution.plan is not None
    order = [s.song for s in solution.plan.order]
    assert order[-1] == "s3" and order.index("s20") == order.index("s5") + 1
    assert order.index("s9") < order.index("s2")
    assert 0 <= solution.bound <= solution.plan.totals.objective
