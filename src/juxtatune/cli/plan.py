"""plan: the best order of a night found in a given time, as JSON or in words."""

from __future__ import annotations

import math
import os
import sys
import threading
import time
from pathlib import Path
from typing import Any

from juxtatune.app.planning import NightPlanner, Outcome
from juxtatune.book.formats.gig import read_gig
from juxtatune.book.formats.plan_out import plan_json
from juxtatune.cli.out import CLASH, NO_PLAN, OK, answer, say, warn
from juxtatune.core.errors import UserError
from juxtatune.core.repertoire.night import Gig

GRACE_S = 0.6  # how long past its limit a run may need to stop
DOUBT_S = 1.2  # and, without a plan, to tell whether the rules clash


def plan(path: Path, limit: float, seed: int, as_json: bool) -> None:
    if not (math.isfinite(limit) and limit >= 0):
        raise UserError(f"{limit!r} seconds", "--time-limit", "a finite time from 0 up")
    if seed < 0:
        raise UserError(f"{seed}", "--seed", "a whole number from 0 up")
    gig = read_gig(path)
    outcome = _run(gig, limit, seed)
    if outcome.clash:
        _show_clash(path, outcome, as_json)
    elif outcome.solution is None or outcome.solution.plan is None:
        _show_none(outcome, as_json)
    elif as_json:
        answer(plan_json(gig, outcome.solution))
    else:
        _show_plan(gig, outcome)
    # compiled code may still be running in a thread that cannot be ended
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(CLASH if outcome.clash else OK if outcome.solution and outcome.solution.plan else NO_PLAN)


def _run(gig: Gig, limit: float, seed: int) -> Outcome:
    """Plans in a thread, so that the answer comes in time whatever the search is doing."""
    planner = NightPlanner(gig, seed=seed)
    done: list[Outcome] = []
    failed: list[BaseException] = []

    def work() -> None:
        try:
            done.append(planner.run(limit))
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=work, daemon=True)
    until = time.monotonic() + limit + GRACE_S
    thread.start()
    while thread.is_alive() and time.monotonic() < until + DOUBT_S * planner.undecided:
        thread.join(0.05)
    if failed and isinstance(failed[0], UserError):
        raise failed[0]
    if failed:
        warn(f"the search ended early ({failed[0]}); the best plan so far is given")
    return done[0] if done else planner.so_far()


def _show_clash(path: Path, outcome: Outcome, as_json: bool) -> None:
    warn(f"{path}: these rules cannot all hold: " + "; ".join(rule.words() for rule in outcome.clash))
    if as_json:
        rows: list[dict[str, Any]] = []
        for rule in outcome.clash:
            row: dict[str, Any] = {"rule": rule.kind, "songs": list(rule.songs)}
            if rule.kind == "pin":
                row |= {"part": rule.part, "place": rule.place}
            rows.append(row)
        answer({"clash": rows})


def _show_none(outcome: Outcome, as_json: bool) -> None:
    bound = outcome.solution.bound if outcome.solution is not None else 0.0
    problem = "no plan was found in the time given, and no clash was proven"
    warn(problem)
    if as_json:
        answer({"order": None, "bound": bound, "problem": problem})


def _show_plan(gig: Gig, outcome: Outcome) -> None:
    assert outcome.solution is not None and outcome.solution.plan is not None
    plan = outcome.solution.plan
    gaps = {gap.before: gap for gap in plan.gaps}
    for slot in plan.order:
        gap = gaps.get(slot.song)
        if gap is not None and gap.work_s > 0:
            say(f"      {gap.work_s:.0f} s of work, {gap.dead_s:.0f} s of dead air")
        say(f"{gig.song(slot.song).title}")
    proof = (
        "proven best" if outcome.solution.optimal else f"not proven; at least {outcome.solution.bound:.1f}"
    )
    say(f"{plan.totals.dead_s:.0f} s of dead air, objective {plan.totals.objective:.3f} ({proof})")
