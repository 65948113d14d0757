"""Plans as JSON."""

from __future__ import annotations

from typing import Any

from juxtatune.core.music.notes import spell
from juxtatune.core.planning.model.plan import Retune
from juxtatune.core.planning.planner import Solution
from juxtatune.core.repertoire.night import Gig


def plan_json(gig: Gig, solution: Solution) -> dict[str, Any]:
    """A solution with a plan as a value for strict JSON."""
    plan = solution.plan
    assert plan is not None
    flats = {i.id: _flats(gig, i.id) for i in gig.instruments}

    def retune(r: Retune) -> dict[str, Any]:
        f = flats[r.instrument]
        return {
            "instrument": r.instrument, "string": r.string,
            "from": str(spell(r.source, f)), "to": str(spell(r.target, f)),
        }  # fmt: skip

    t = plan.totals
    return {
        "order": [{"song": s.song, "part": s.part, "way": s.way} for s in plan.order],
        "gaps": [
            {
                "after": g.after, "before": g.before, "swap_s": _n(g.swap_s), "capo_s": _n(g.capo_s),
                "retunes": [retune(r) for r in g.retunes],
                "work_s": _n(g.work_s), "cover_s": _n(g.cover_s), "dead_s": _n(g.dead_s),
            }
            for g in plan.gaps
        ],
        "start": [
            {"part": k, "tunings": {i: [str(spell(p, flats[i])) for p in tuning.pitches] for i, tuning in start.items()}}
            for k, start in enumerate(plan.start)
        ],
        "idle": [
            {"during": w.during, "instrument": w.instrument, "retunes": [retune(r) for r in w.retunes]}
            for w in plan.idle
        ],
        "totals": {
            "objective": _n(t.objective), "dead_s": _n(t.dead_s), "work_s": _n(t.work_s),
            "compromise_s": _n(t.compromise_s), "curve_s": _n(t.curve_s),
            "swaps": t.swaps, "strings_retuned": t.strings_retuned,
        },
        "bound": solution.bound, "optimal": solution.optimal, "elapsed_s": _n(solution.elapsed_s),
    }  # fmt: skip


def _n(value: float) -> float:
    return round(float(value), 6)


def _flats(gig: Gig, instrument: str) -> bool:
    """Flats when more of the instrument's tunings are spelled with flats than with sharps."""
    tunings = [w.tuning for s in gig.songs for w in s.ways if w.instrument == instrument]
    flat = sum(t.flats for t in tunings)
    sharp = sum(any(n.is_sharp for n in t.notes) for t in tunings)
    return flat > sharp
