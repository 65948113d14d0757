"""How far the dead air of a night may be from its plan: a seeded simulation over what is not known of its seconds.

Each run draws the handling costs of every guitar once, about what the planner uses and as unsure as the log leaves them, and
for each gap the scatter of a hand and, now and then, an interruption.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from juxtatune.core.logbook.learned import DELAY_S, DELAY_SD, SCATTER, InstrumentLearned
from juxtatune.core.planning.model.plan import Gap, Plan
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.retuning.costs import retune_seconds

RUNS = 400
UNTAUGHT_SD = 0.3  # of the log of a guitar's seconds, before anything is logged
INTERRUPTED = 0.03  # of gaps with work in them


@dataclass(frozen=True)
class Spread:
    """Seconds of dead air: nine nights in ten lie between `low` and `high`."""

    low: float
    middle: float
    high: float


def spread(gig: Gig, plan: Plan, learned: Mapping[str, InstrumentLearned], seed: int = 0) -> Spread:
    rng = np.random.default_rng(seed)
    works = [_works(gig, gap) for gap in plan.gaps]
    guitars = sorted({g for work in works for g in work})
    sd = {g: _sd(learned.get(g)) for g in guitars}
    total = np.zeros(RUNS)
    hands = {g: np.exp(rng.normal(0, sd[g], RUNS)) for g in guitars}
    for gap, work in zip(plan.gaps, works, strict=True):
        seconds = sum((s * hands[g] for g, s in work.items()), np.zeros(RUNS)) * np.exp(rng.normal(0, SCATTER, RUNS))
        if work:
            late = rng.random(RUNS) < INTERRUPTED
            seconds = seconds + late * DELAY_S * np.exp(rng.normal(0, DELAY_SD, RUNS))
        total += np.maximum(0.0, seconds - gap.cover_s)
    low, middle, high = np.quantile(total, [0.05, 0.5, 0.95])
    return Spread(float(low), float(middle), float(high))


def _works(gig: Gig, gap: Gap) -> dict[str, float]:
    """Seconds of each guitar in a gap: its retune, and to the one taken up the swap and the capo."""
    out: dict[str, float] = {}
    for guitar in {r.instrument for r in gap.retunes}:
        own = gig.instrument(guitar)
        out[guitar] = retune_seconds(own.costs, own.strings, [r.target - r.source for r in gap.retunes if r.instrument == guitar])
    rest = gap.swap_s + gap.capo_s
    if rest:
        guitar = gig.song(gap.before).ways[0].instrument
        out[guitar] = out.get(guitar, 0.0) + rest
    return out


def _sd(found: InstrumentLearned | None) -> float:
    """1σ of the log of a guitar's seconds."""
    if found is None or not found.typical or not found.costs["base_s"].events:
        return UNTAUGHT_SD
    return max(0.02, float(np.mean([t.sd / t.seconds for t in found.typical])))


def words(found: Spread) -> str:
    """`nine nights in ten: 40 s to 2 min of dead air`."""
    return f"nine nights in ten: {_time(found.low)} to {_time(found.high)} of dead air"


def _time(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{math.floor(seconds / 60)} min {seconds % 60:02.0f} s"
