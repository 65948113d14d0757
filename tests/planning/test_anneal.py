"""Annealing orders: the lazy price is one that a real plan has, and the rules hold."""

import json
import math

import numpy as np
from benchmarks import gigs
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.planner import Planner, solve
from juxtatune.core.planning.pricing.verify import price
from juxtatune.core.planning.search.annealer import Annealer
from juxtatune.core.planning.search.beam_search import BeamParams, Searcher
from juxtatune.core.planning.search.lns import fix_order
from tests.strategies import small_gigs

GO = np.zeros(1, np.int64)


def best_of_order(night, row) -> float:
    return Searcher(night).run(fix_order(night, row.tolist()), BeamParams(20_000), math.inf, GO).cost


@settings(max_examples=60, deadline=None)
@given(small_gigs(), st.integers(1, 3000), st.integers(0, 9))
def test_an_annealed_order_keeps_the_rules_and_costs_no_more_than_it_says(value, steps, seed) -> None:
    gig = parse_gig(json.dumps(value))
    night = compile_gig(gig)
    plan = solve(gig, 20.0).plan
    if plan is None or night.first == len(gig.songs) or gig.night.max_dead_s is not None:
        return
    annealer = Annealer(night)
    cost, row, _ = annealer.run(plan, steps, seed, GO)
    assert sorted(row.tolist()) == list(range(len(gig.songs)))
    assert cost <= annealer.cost(plan) + 1e-9
    assert best_of_order(night, row) <= cost + 1e-6
    again = annealer.run(plan, steps, seed, GO)
    assert again[0] == cost and again[1].tolist() == row.tolist()


def test_the_lazy_price_is_close_to_the_best_of_an_order() -> None:
    gaps = []
    for seed in range(6):
        gig = parse_gig(gigs.club_json(seed, 12, 2, 2))
        night = compile_gig(gig)
        searcher = Searcher(night)
        found = searcher.run(night.pred | night.alike, BeamParams(64, 0, 0.06), math.inf, GO)
        cost, row, _ = Annealer(night).run(price(gig, found.draft), 20_000, seed, GO)
        gaps.append(cost - best_of_order(night, row))
    assert min(gaps) >= -1e-6 and np.median(gaps) <= 0.5


def test_medleys_in_a_circle_about_a_pin_are_a_clash_and_not_an_endless_walk() -> None:
    value = json.loads(gigs.club_json(0, 14, 2, 2))
    value["set"]["adjacent"] = [["s0", "s1"], ["s1", "s0"]]
    gig = parse_gig(json.dumps(value))
    planner = Planner(gig)
    planner.conflict_probe = lambda: True
    assert planner.run(20.0).plan is None
    assert planner.solution().elapsed_s < 15
