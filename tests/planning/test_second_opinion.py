"""The planner against a model that shares nothing with it: CP-SAT (OR-Tools)."""

from __future__ import annotations

import json
import math

import pytest
from hypothesis import given, settings

from juxtatune.book.formats.gig import parse_gig
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
