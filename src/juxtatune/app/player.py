"""A simulated player: how long he takes in each gap, by the costs that the log teaches, and what goes wrong now and then."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from juxtatune.core.logbook.learned import SCATTER, TYPICAL, InstrumentLearned, steps_of
from juxtatune.core.planning.model.plan import Gap
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.retuning.costs import retune_seconds

FAULTS = ("a string breaks", "a guitar is out", "the next song is cut", "ten minutes less", "the singer needs a rest")


class SimulatedPlayer:
    """Seeded; one for a night."""

    def __init__(self, learned: Mapping[str, InstrumentLearned], seed: int) -> None:
        self._learned, self._rng = learned, np.random.default_rng(seed)

    def hand(self, gig: Gig, guitar: str) -> float:
        """How many times as long as the planner thinks he takes on a guitar, by its log: the mean over typical retunes."""
        found, own = self._learned.get(guitar), gig.instrument(guitar)
        if found is None or not found.costs["base_s"].events:
            return 1.0
        ratios = [
            t.seconds / max(1.0, retune_seconds(own.costs, own.strings, steps_of(t.target, TYPICAL[t.target], own.strings)))
            for t in found.typical[::2]
        ]
        return float(np.mean(ratios))

    def gap_seconds(self, gig: Gig, gap: Gap | None) -> float:
        """How long a gap takes: the talk, or the work where that is longer."""
        if gap is None:
            return 0.0
        guitars = {r.instrument for r in gap.retunes}
        hand = max((self.hand(gig, g) for g in guitars), default=1.0)
        work = gap.work_s * hand * float(np.exp(self._rng.normal(0, SCATTER)))
        return max(gap.cover_s, work)

    def fault(self) -> str:
        return str(self._rng.choice(FAULTS))

    def string(self, strings: int) -> int:
        """The string that breaks: the thinner, the likelier. Common practice, no source."""
        weights = 1 / np.arange(1, strings + 1)
        return int(self._rng.choice(np.arange(1, strings + 1), p=weights / weights.sum()))
