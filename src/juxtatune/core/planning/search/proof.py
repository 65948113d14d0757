"""Proof part by part: of a plan that costs less than a limit, some part costs less than its share of that.

However the limit is shared out: each part has what it costs at least, about, and an equal share of the rest. Each is
searched first in turn, as a night whose parts come in another order, and what costs its share or more there is left
out; where nothing cheaper is found for any of them, the limit is a bound. That works because nothing but the songs
played passes from one part to the next. Rules that put a song before one of another part are left out of a night
whose parts come in another order.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.planning.model.tables import Compiled
from juxtatune.core.planning.search.beam_search import BeamParams, Lead, Searcher, SearchResult
from juxtatune.core.repertoire.night import Gig

ROUGHLY = 200  # states kept to estimate what a part costs at least


@dataclass(frozen=True)
class _Lead:
    """One part to be searched first, with the width of that search."""

    part: int
    width: int


def with_part_first(gig: Gig, lead: int) -> Gig:
    """The night with one part before all others."""
    night = gig.night
    if lead == 0:
        return gig
    order = [lead, *(k for k in range(len(night.parts)) if k != lead)]
    new = {part: k for k, part in enumerate(order)}
    curve = None
    if night.curve is not None:
        of_part = gig.part_of_place()
        curve = tuple(c for part in order for c, p in zip(night.curve, of_part, strict=True) if p == part)
    pins = tuple(replace(pin, part=new[pin.part]) for pin in night.pins)
    parts = tuple(night.parts[part] for part in order)
    return replace(gig, night=replace(night, parts=parts, pins=pins, before=(), curve=curve))


class ProofByParts:
    """Searches from every part, wider and wider. Any number of threads may `work` on it at once."""

    def __init__(
        self,
        gig: Gig,
        widths: tuple[int, ...],
        limit: Callable[[], float],
        stop: np.ndarray,
        raised: Callable[[float], None],
        found: Callable[[tuple[Slot, ...]], bool],
    ) -> None:
        """`limit` gives what a plan must cost less than; `raised` hears of bounds; `found` of orders that cost less, and
        says whether they hold."""
        self._gig, self._widths, self._limit, self._stop = gig, widths, limit, stop
        self._raised, self._found = raised, found
        self._parts = [k for k, part in enumerate(gig.night.parts) if part.songs]
        self._open = [_Lead(part, widths[0]) for part in self._parts]
        self._least: dict[int, float] = {}  # what each part costs at least, about
        self._bounds = dict.fromkeys(self._parts, 0.0)
        self._lock = threading.Condition()
        self._busy = 0

    @staticmethod
    def suits(gig: Gig) -> bool:
        """Whether a night has parts of which none has begun."""
        return gig.night.now is None and sum(part.songs > 0 for part in gig.night.parts) > 1

    @property
    def bound(self) -> float:
        return min(self._bounds.values())

    def work(self) -> None:
        """Goes on until nothing is left to begin, or stopped."""
        while self._stop[0] == 0:
            with self._lock:
                self._least = self._least or {part: self._estimated(part) for part in self._parts}
                if not self._open:
                    return
                lead = self._open.pop(0)
                self._busy += 1
            try:
                self._search(lead)
            finally:
                with self._lock:
                    self._busy -= 1
                    self._lock.notify_all()

    def work_to_the_end(self) -> None:
        """The same, with what other threads are at and may still leave to be done."""
        while self._stop[0] == 0:
            self.work()
            with self._lock:
                if not self._busy and not self._open:
                    return
                if not self._open:
                    self._lock.wait(0.1)

    def _estimated(self, part: int) -> float:
        searcher, compiled, places = self._searcher(part)
        return searcher.least(compiled.pred | compiled.alike, places, ROUGHLY, self._stop)

    def _searcher(self, part: int) -> tuple[Searcher, Compiled, int]:
        gig = with_part_first(self._gig, part)
        compiled = compile_gig(gig)
        return Searcher(compiled), compiled, gig.night.parts[0].songs

    def _share(self, part: int, limit: float) -> float:
        """The part's own limit; those of all parts add up to the whole one, and each falls as that does."""
        least = {k: x if np.isfinite(x) else 0.0 for k, x in self._least.items()}
        return least[part] + (limit - sum(least.values())) / len(least)

    def _search(self, lead: _Lead) -> None:
        searcher, compiled, places = self._searcher(lead.part)
        limit = self._limit()
        own = Lead(places, self._share(lead.part, limit))
        found = searcher.run(compiled.pred | compiled.alike, BeamParams(lead.width, 2, 0.0), limit, self._stop, own)
        if found.stopped:
            return
        more = found.draft is not None and self._found(self._as_played(lead, found))
        with self._lock:
            self._bounds[lead.part] = max(self._bounds[lead.part], found.bound)
            wider = next((w for w in self._widths if w > lead.width), None)
            if more:
                self._open.insert(0, lead)
            elif found.bound < limit and found.draft is None and wider is not None:
                self._open.append(_Lead(lead.part, wider))
            bound = self.bound
        self._raised(bound)

    def _as_played(self, lead: _Lead, found: SearchResult) -> tuple[Slot, ...]:
        """The slots in the order of the night's own parts."""
        assert found.draft is not None
        order = [lead.part, *(k for k in range(len(self._gig.night.parts)) if k != lead.part)]
        slots = (replace(slot, part=order[slot.part]) for slot in found.draft.order)
        return tuple(sorted(slots, key=lambda slot: slot.part))
