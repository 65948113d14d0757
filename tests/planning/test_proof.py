"""Proof by the cheapest part: it finds what the search over the whole night finds, and nothing cheaper."""

from __future__ import annotations

import json
import random

import numpy as np
from benchmarks.gigs import club_json
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.planner import solve
from juxtatune.core.planning.search.fixed_order import price_order
from juxtatune.core.planning.search.proof import ProofByParts, with_part_first

GO = np.zeros(1, np.int64)
HAIR = 1e-6


def night(seed: int):
    """Two or three parts of seven to nine songs, perhaps with a curve, talk here and there, pins and a medley."""
    r = random.Random(seed)
    songs, parts = r.choice([7, 8, 9]), r.choice([2, 3])
    value = json.loads(club_json(seed, songs, 2, parts, tech=r.random() < 0.3))
    if r.random() < 0.3:
        value["set"]["curve"] = [r.randint(1, 5) for _ in range(songs)]
        value["set"]["curve_weight_s"] = 2
    return parse_gig(json.dumps(value))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6))
def test_nothing_cheaper_than_the_optimum_is_found_from_any_part(seed) -> None:
    gig = night(seed)
    best = solve(gig, 30.0)
    if not best.optimal:
        return
    limit, told = best.plan.totals.objective - HAIR, []
    proof = ProofByParts(gig, (4000,), lambda: limit, GO, told.append, lambda slots: 1 / 0)
    proof.work()
    assert proof.bound >= limit - HAIR and told == sorted(told)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10**6), st.floats(0.5, 40))
def test_from_a_plan_that_is_worse_it_comes_to_the_optimum(seed, worse) -> None:
    gig = night(seed)
    best = solve(gig, 30.0)
    if not best.optimal:
        return
    limits = [best.plan.totals.objective + worse]

    def found(slots) -> bool:
        plan = price_order(gig, slots)
        assert plan is not None and plan.totals.objective < limits[-1] + HAIR
        limits.append(plan.totals.objective - HAIR)
        return True

    proof = ProofByParts(gig, (4000,), lambda: limits[-1], GO, lambda bound: None, found)
    proof.work()
    assert abs(limits[-1] - best.plan.totals.objective) < 1e-4 and proof.bound >= limits[-1] - HAIR


def test_the_part_that_is_searched_first_brings_its_pins_and_its_curve() -> None:
    value = json.loads(club_json(3, 8, 2, 2))
    value["set"] |= {"curve": [1, 2, 3, 4, 5, 4, 3, 2], "curve_weight_s": 1}
    gig = parse_gig(json.dumps(value))
    turned = with_part_first(gig, 1)
    assert turned.night.curve == (5, 4, 3, 2, 1, 2, 3, 4)
    assert {(p.song, p.part) for p in turned.night.pins} == {(p.song, 1 - p.part) for p in gig.night.pins}
