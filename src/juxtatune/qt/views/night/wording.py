"""What the Night view says: titles of orders, verdicts of plans, progress."""

from __future__ import annotations

from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.planner import Solution
from juxtatune.qt.widgets.score_values import seconds


def plan_title(s: Solution, planning: bool) -> str:
    if s.optimal:
        return "Planned, proven best"
    return "Planned so far" if planning else "Planned, best found"


def progress(s: Solution | None, elapsed_s: float, limit_s: float) -> str:
    """`Planning, 12 s of 60: 41 s of dead air so far, no order has less than 30 s in cost. Esc stops.`"""
    head = f"Planning, {elapsed_s:.0f} s of {limit_s:.0f} at most"
    if s is None or s.plan is None:
        return f"{head}. Esc stops and keeps the best order so far."
    bound = f"; no order costs less than {s.bound:.1f}" if s.bound >= 1 else ""
    return f"{head}: {_cost(s.plan)} so far{bound}. Esc stops."


def verdict(s: Solution, given: Plan | None) -> str:
    """How good a finished plan is, and what to do with it."""
    assert s.plan is not None
    better = given is None or s.plan.totals.objective < given.totals.objective - 1e-6
    if not better:
        return "Your order is already the best there is." if s.optimal else "No better order than yours was found."
    if s.optimal:
        return f"{seconds(s.plan.totals.dead_s)} of dead air, proven: no order costs less. T takes this order."
    bound = f"; no order costs less than {s.bound:.1f}" if s.bound >= 1 else "; whether it is the best is not proven"
    return f"The best order found: {_cost(s.plan)}{bound}. T takes it."


def _cost(plan: Plan) -> str:
    t = plan.totals
    return f"{seconds(t.dead_s)} of dead air, costing {t.objective:.1f} with compromises and work"
