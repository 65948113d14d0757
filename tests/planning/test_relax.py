"""Bounds: what a relaxed night costs at least, and what the search may leave unlooked at."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from benchmarks.gigs import club_json
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.bounds.relaxation import Exploration, Relaxer, open_songs, spans
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.planner import solve
from juxtatune.core.planning.search.beam_search import BeamParams, Searcher
from tests.strategies import small_gigs

GO = np.zeros(1, np.int64)


def relaxed_cost(night, tracked) -> float:
    """The least cost of relaxed plans, whichever part costs least."""
    leads = [Exploration(night, tracked, k, 50_000) for k in range(len(spans(night)))]
    for lead in leads:
        lead.go_on(1e9, 1e9, GO)
    return min(lead.bound for lead in leads)


@settings(max_examples=60, deadline=None)
@given(small_gigs(), st.data())
def test_a_relaxed_night_never_costs_more_than_the_best_plan(value, data) -> None:
    gig = parse_gig(json.dumps(value))
    night = compile_gig(gig)
    best = solve(gig, 20.0)
    if best.plan is None or night.first == len(gig.songs):
        return
    tracked = {v for v in open_songs(night) if data.draw(st.booleans())}
    assert relaxed_cost(night, tracked) <= best.plan.totals.objective + 1e-6
    if night.first == 0:  # every song once, so that places and the curve count
        every = set(range(len(gig.songs)))
        assert relaxed_cost(night, every) <= best.plan.totals.objective + 1e-6
    raised: list[float] = []
    Relaxer(night).raise_on(lambda: math.inf, GO, lambda bound: raised.append(bound) or len(raised) < 20)
    assert max(raised, default=0.0) <= best.plan.totals.objective + 1e-6
    # a limit far below the optimum throws states away: nothing above it may then be claimed
    lead = Exploration(night, tracked, 0, 50_000)
    lead.go_on(1e9, 0.6 * best.plan.totals.objective, GO)
    lead.go_on(0.3 * best.plan.totals.objective, 1e9, GO)
    assert lead.bound <= 0.3 * best.plan.totals.objective + 1e-6


@settings(max_examples=60, deadline=None)
@given(small_gigs())
def test_a_limit_just_above_the_optimum_does_not_hide_it(value) -> None:
    # whatever the bound of a state throws away, the best plan is not among it
    night = compile_gig(parse_gig(json.dumps(value)))
    wide = Searcher(night).run(night.pred, BeamParams(10_000), math.inf, GO)
    if wide.draft is None:
        return
    again = Searcher(night).run(night.pred, BeamParams(10_000), wide.cost + 1e-6, GO)
    assert again.draft is not None and abs(again.cost - wide.cost) < 1e-6


@pytest.mark.parametrize("tech", [True, False])
def test_a_technician_or_a_curve_does_not_weaken_the_bound_of_a_night_of_few_songs(tech: bool) -> None:
    value = json.loads(club_json(2, 14, 2, 2, tech=tech))
    if not tech:
        value["set"] |= {"curve": [1, 2, 3, 4, 5, 4, 3] * 2, "curve_weight_s": 2}
    gig = parse_gig(json.dumps(value))
    best = solve(gig, 30.0).plan.totals.objective
    relaxer = Relaxer(compile_gig(gig))
    relaxer.raise_on(lambda: best, GO, lambda bound: True)
    assert 0.8 * best < relaxer.bound <= best


def test_one_gap_may_hide_work_on_two_guitars() -> None:
    # both guitars are retuned while one song's talk lasts; a bound that gave each retune a gap of its own would lie
    standard, dropped = "E2 A2 D3 G3 B3 E4", "D2 A2 D3 G3 B3 E4"
    songs = [
        {"id": f"{g}{k}", "length_s": 100, "ways": [{"instrument": g, "tuning": tuning}]}
        for g in ("a", "b")
        for k, tuning in enumerate((standard, dropped))
    ]
    gig = parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1,
        "instruments": [{"id": "a", "strings": 6}, {"id": "b", "strings": 6}], "songs": songs,
        "set": {"cover_s": 0, "cover_after": {"a0": 60}},
    }))  # fmt: skip
    best = solve(gig, 10.0)
    assert best.optimal and abs(best.plan.totals.dead_s - 24.0) < 1e-6  # two swaps
    night = compile_gig(gig)
    found = Searcher(night).run(night.pred, BeamParams(10_000), best.plan.totals.objective + 1e-6, GO)
    assert found.draft is not None


def test_the_bound_of_a_large_night_grows_far_beyond_what_counting_sees() -> None:
    night = compile_gig(parse_gig(club_json(0, 30, 3, 2)))
    reached: list[float] = []
    Relaxer(night).raise_on(lambda: 60.0, GO, lambda bound: reached.append(bound) or bound < 15.0)
    assert reached[-1] >= 15.0
    assert reached == sorted(reached)


def test_a_part_under_way_is_explored_after_another_as_well() -> None:
    # one place of the first part is left; the second part costs next to nothing and is explored first in its turn
    low, high = "Eb1 Ab1 Db2 Gb2", "E1 A1 D2 G2"
    songs = [
        {
            "id": s,
            "length_s": 60,
            "ways": [
                {
                    "instrument": "g",
                    "tuning": t,
                    "capo": capo,
                    "strings_used": used,
                    "compromise_s": 5 if s == "b" else 0,
                }
            ],
        }
        for s, t, capo, used in (
            ("a", high, 0, []),
            ("b", low, 0, [2, 1]),
            ("c", low, 2, []),
            ("d", high, 2, []),
        )
    ]
    gig = parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1,
        "instruments": [{"id": "g", "strings": 4,
                         "costs": {"base_s": 0, "check_s": 0, "string_s": 1, "semitone_s": 0}}],
        "songs": songs,
        "set": {"cover_s": 4, "parts": [{"songs": 2}, {"songs": 2}],
                "now": {"played": ["a"], "in_hand": "g", "tunings": {"g": high}, "capos": {"g": 0}}},
    }))  # fmt: skip
    night = compile_gig(gig)
    best = solve(gig, 10.0)
    assert best.optimal
    assert relaxed_cost(night, set(open_songs(night))) <= best.plan.totals.objective + 1e-6


def test_straying_from_the_energy_curve_is_part_of_the_bound() -> None:
    songs = [
        {"id": s, "length_s": 100, "energy": e, "ways": [{"instrument": "g", "tuning": "standard"}]}
        for s, e in (("a", 1), ("b", 2), ("c", 5))
    ]
    gig = parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1, "instruments": [{"id": "g", "strings": 6}], "songs": songs,
        "set": {"curve": [5, 5, 5], "curve_weight_s": 2},
    }))  # fmt: skip
    raised: list[float] = []
    Relaxer(compile_gig(gig)).raise_on(lambda: 20.0, GO, lambda bound: raised.append(bound) or True)
    assert abs(raised[-1] - 2 * (4 + 3)) < 1e-6
