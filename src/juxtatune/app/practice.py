"""Practice on the bench: a retune that changes no guitar of the book and writes nothing into its log."""

from __future__ import annotations

from typing import Any

import numpy as np

from juxtatune.app.session import Session
from juxtatune.book.state import BookState
from juxtatune.book.writer import Ticket
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import spell
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.pricing.timeline import trace
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.strings.instrument import Instrument, default_costs

FLOATING = "practice-floating"


class Aside:
    """Stands where a session does; what is edited in it is forgotten."""

    def __init__(self, session: Session) -> None:
        home = parse_tuning("standard")
        guitar = Instrument(FLOATING, "A floating guitar", 6, "floating", home, home, default_costs("floating"))
        self.state: BookState = session.state.with_instrument(guitar)

    def edit(self, label: str, new: BookState) -> None:
        self.state = new

    def log(self, kind: str, data: dict[str, Any]) -> Ticket | None:
        return None

    def stand(self, guitar: str, tuning: Tuning) -> None:
        """Puts a guitar into a tuning, for practice only."""
        self.state = self.state.tuned(guitar, tuning)


def clock_job(gig: Gig, plan: Plan, seed: int) -> tuple[str, Tuning, Tuning]:
    """(guitar, from, to) of one of tonight's retunes. Raises UserError where nothing moves."""
    found = []
    for place in trace(gig, plan):
        if place.way is not None and place.gap is not None:
            own = place.way.instrument
            if any(r.instrument == own for r in place.gap.retunes):
                before = Tuning(tuple(spell(p) for p in place.before[own]))
                found.append((own, before, place.way.tuning))
    if not found:
        raise UserError("nothing is retuned tonight", "Practice", "a night with a retune in it")
    return found[int(np.random.default_rng(seed).integers(len(found)))]

