"""Planning: the cost model by hand, the solver against brute force, honest bounds."""

from __future__ import annotations

import graphlib
import json
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from juxtatune.app.planning import NightPlanner
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.explain.conflicts import can_be_ordered, going_round, order_clash
from juxtatune.core.planning.model.plan import Decisions, Retune, Slot
from juxtatune.core.planning.planner import Planner, solve
from juxtatune.core.planning.pricing.timeline import trace
from juxtatune.core.planning.pricing.verify import BrokenPlan, price
from juxtatune.core.planning.search.fixed_order import price_order
from juxtatune.core.repertoire.rules import rules_of
from juxtatune.core.retuning.costs import retune_seconds
from juxtatune.core.strings.instrument import Costs
from tests.planning.brute import best_objective
from tests.strategies import small_gigs

E, A, D, G, B, HIGH_E = 40.0, 45.0, 50.0, 55.0, 59.0, 64.0
STANDARD = (E, A, D, G, B, HIGH_E)
DROP_D = (38.0, *STANDARD[1:])
OPEN_D = (38.0, A, D, 54.0, 57.0, 62.0)


def worked_night(**changes):
    night = {"cover_s": 8, "cover_after": {"a": 40}} | changes
    return parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1,
        "instruments": [
            {"id": "rook", "strings": 6, "bridge": "fixed"},
            {"id": "dunlin", "strings": 6, "bridge": "floating"},
        ],
        "songs": [
            {"id": "a", "length_s": 200, "ways": [{"instrument": "rook", "tuning": "drop D", "strings_used": [6, 5, 4]}]},
            {"id": "b", "length_s": 200, "ways": [{"instrument": "dunlin", "tuning": "standard"}]},
            {"id": "c", "length_s": 200, "ways": [{"instrument": "rook", "tuning": "open D"}]},
        ],
        "set": night,
    }))  # fmt: skip


def worked_draft(start, gap_b=(), gap_c=()):
    moves = {3: (G, 54.0), 2: (B, 57.0), 1: (HIGH_E, 62.0)}
    gaps = {1: gap_b, 2: gap_c}
    return Decisions(
        tuple(Slot(s, 0, 0) for s in "abc"),
        ({"rook": start, "dunlin": STANDARD},),
        {k: tuple(Retune("rook", s, *moves[s]) for s in strings) for k, strings in gaps.items()},
        {},
    )


def test_the_worked_night_by_hand() -> None:
    gig = worked_night()
    assert price(gig, worked_draft(OPEN_D)).totals.objective == pytest.approx(4.24)
    early = price(gig, worked_draft(DROP_D, gap_b=(3, 2, 1)))
    assert early.gaps[0].work_s == pytest.approx(12 + 29.7)
    assert early.totals.objective == pytest.approx(6.237)
    assert price(gig, worked_draft(DROP_D, gap_c=(3, 2, 1))).totals.objective == pytest.approx(34.237)
    with pytest.raises(BrokenPlan, match="not at pitch"):
        price(gig, worked_draft(DROP_D, gap_b=(3,), gap_c=(2, 1)))


def test_the_worked_night_solved() -> None:
    solution = solve(worked_night(before=[["a", "b"], ["b", "c"]]), 20)
    assert solution.plan is not None and solution.optimal
    assert solution.plan.totals.objective == pytest.approx(4.24)


def test_a_retune_costs_what_the_formula_says() -> None:
    costs = Costs(base_s=3, string_s=4, semitone_s=1.5, check_s=1.2, passes=3)
    assert retune_seconds(costs, 6, []) == 0
    assert retune_seconds(costs, 6, [-2, 1]) == pytest.approx(3 + 3 * (4 + 3 + 4 + 1.5) + 7.2)


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(small_gigs())
def test_the_solver_finds_what_brute_force_finds(data) -> None:
    gig = parse_gig(json.dumps(data))
    best = best_objective(gig)
    solution = solve(gig, 60)
    if best == float("inf"):
        assert solution.plan is None and solution.impossible
        return
    assert solution.plan is not None
    assert solution.plan.totals.objective == pytest.approx(best, abs=1e-6)
    assert solution.optimal
    assert best - 0.01 <= solution.bound <= best + 1e-9


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(small_gigs(), st.lists(st.permutations(range(3)), max_size=5))
def test_order_rules_clash_only_when_no_order_keeps_them(data, more) -> None:
    data["set"].pop("max_dead_s")
    names = [song["id"] for song in data["songs"]]
    pairs = [[names[a % len(names)], names[b % len(names)]] for a, b, _ in more]
    data["set"]["before"] = data["set"].get("before", []) + [[a, b] for a, b in pairs if a != b]
    gig = parse_gig(json.dumps(data))
    clash, loop = order_clash(gig), going_round(gig)
    assert (clash is not None) == (best_objective(gig) == float("inf"))
    for found in (clash or (), loop):
        for left_out in found:
            assert can_be_ordered(gig, [r for r in rules_of(gig.night) if r in found and r != left_out])
    past = set(gig.night.now.played if gig.night.now else ())
    graph = {name: set() for name in names}
    for rule in rules_of(gig.night):
        if rule.kind in ("before", "adjacent") and not past & set(rule.songs):
            graph[rule.songs[1]].add(rule.songs[0])
    try:
        graphlib.TopologicalSorter(graph).prepare()
        assert not loop
    except graphlib.CycleError:
        assert loop and not can_be_ordered(gig, list(loop))


def club(songs=12, **night):
    """A night with several tunings on two guitars."""
    names = ["standard", "drop D", "open G", "half step down", "drop D", "standard", "double drop D"]
    rows = [
        {
            "id": f"s{k}", "length_s": 180 + k, "energy": k % 5,
            "ways": [{"instrument": "dunlin" if k % 4 == 3 else "rook", "tuning": names[k % len(names)],
                      "strings_used": [6, 5, 4] if k % 3 == 0 else None}],
        }
        for k in range(songs)
    ]  # fmt: skip
    return parse_gig(json.dumps({
        "format": "juxtatune-gig", "version": 1,
        "instruments": [{"id": "rook", "strings": 6}, {"id": "dunlin", "strings": 6, "bridge": "floating"}],
        "songs": rows,
        "set": {"cover_s": 8, "parts": [{"songs": songs // 2}, {"songs": songs - songs // 2}]} | night,
    }))  # fmt: skip


def test_planning_beats_the_orders_a_player_makes_by_hand() -> None:
    gig = club()
    part = gig.part_of_place()
    given = price_order(gig, tuple(Slot(s.id, p, 0) for s, p in zip(gig.songs, part, strict=True)))
    by_tuning = sorted(gig.songs, key=lambda s: (s.ways[0].instrument, str(s.ways[0].tuning)))
    grouped = price_order(gig, tuple(Slot(s.id, p, 0) for s, p in zip(by_tuning, part, strict=True)))
    solution = solve(gig, 20)
    assert given is not None and grouped is not None and solution.plan is not None
    assert solution.plan.totals.objective < 0.8 * min(given.totals.objective, grouped.totals.objective)


def test_pricing_a_plan_in_its_own_order_gives_the_plan_back() -> None:
    gig = club()
    solution = solve(gig, 20)
    assert solution.plan is not None and solution.optimal
    again = price_order(gig, solution.plan.order)
    assert again is not None
    assert again.totals.objective == pytest.approx(solution.plan.totals.objective)


def test_the_same_search_gives_the_same_plan() -> None:
    first, second = solve(club(10), 30), solve(club(10), 30)
    assert first.optimal and first.plan == second.plan


def test_a_technician_and_more_talk_never_cost_more() -> None:
    plain = solve(club(8), 30).plan
    helped, longer = solve(club(8, tech=True), 30).plan, solve(club(8, cover_s=20), 30).plan
    assert plain is not None and helped is not None and longer is not None
    assert helped.totals.objective <= plain.totals.objective + 1e-6
    assert longer.totals.objective <= plain.totals.objective + 1e-6


def test_progress_comes_and_cancelling_keeps_the_best() -> None:
    seen = []
    planner = Planner(club(16), lambda s: (seen.append(s), planner.cancel()))
    solution = planner.run(60)
    assert seen and solution.plan is not None and not solution.impossible


def test_a_trace_ends_where_the_retunes_lead() -> None:
    gig = club()
    plan = solve(gig, 20).plan
    assert plan is not None
    for place in trace(gig, plan):
        assert place.way is not None
        for k, string in enumerate(place.way.tuning.strings):
            if place.way.uses(string):
                assert place.during[place.way.instrument][k] == pytest.approx(place.way.tuning.pitches[k])


def test_the_rest_of_a_night_is_planned_from_true_states() -> None:
    gig = club(6)
    tunings = {"rook": gig.instrument("rook").tuning, "dunlin": gig.instrument("dunlin").tuning}
    data = replace(gig.night, now=None)
    assert data.now is None
    from juxtatune.core.repertoire.night import Now

    under_way = replace(gig, night=replace(gig.night, now=Now(("s0", "s1"), "rook", tunings, {})))
    solution = solve(under_way, 30)
    assert solution.plan is not None and solution.optimal
    assert [s.song for s in solution.plan.order[:2]] == ["s0", "s1"]
    assert solution.plan.order[0].way is None
    assert solution.plan.gaps[0].after == "s1"
    assert solution.plan.totals.objective == pytest.approx(best_objective(under_way), abs=1e-6)


@pytest.mark.parametrize(
    ("rules", "kinds"),
    [
        ({"before": [["s0", "s1"], ["s1", "s0"], ["s2", "s3"]]}, ["before", "before"]),
        ({"adjacent": [["s0", "s1"], ["s0", "s2"]]}, ["adjacent", "adjacent"]),
        ({"adjacent": [["s0", "s1"]], "apart": [["s1", "s0"]]}, ["adjacent", "apart"]),
        (
            {"pins": [{"song": "s0", "part": 0, "place": 0}, {"song": "s0", "part": 1, "place": 0}]},
            ["pin", "pin"],
        ),
        ({"parts": [{"songs": 3}]}, ["part_sizes"]),
        ({"max_dead_s": 0, "cover_s": 0}, ["max_dead_s"]),
    ],
)
def test_impossible_nights_name_a_smallest_clash(rules, kinds) -> None:
    outcome = NightPlanner(club(8, **rules)).run(20)
    assert [r.kind for r in outcome.clash] == kinds
