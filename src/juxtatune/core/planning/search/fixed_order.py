"""The best start, ways and retunes of an order that is given."""

from __future__ import annotations

import math
import threading
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.model.plan import Plan, Slot
from juxtatune.core.planning.model.tables import Compiled
from juxtatune.core.planning.pricing.verify import price
from juxtatune.core.planning.search.beam_search import BeamParams, Searcher, SearchResult
from juxtatune.core.planning.search.lns import fix_order
from juxtatune.core.planning.search.local_search import TIME_UP
from juxtatune.core.repertoire.night import Gig

Stop = NDArray[np.int64]
CANCELLED = 1  # in a stop flag: what is asked for is not wanted any more


def price_order(
    gig: Gig, slots: tuple[Slot, ...], width: int = 256, seconds: float = math.inf, stop: Stop | None = None
) -> Plan | None:
    """The best start, ways and retunes for a given order; None when a rule or limit forbids it, or it was stopped.

    A slot's `way` fixes the way; None leaves it open. `stop[0]` set to 1 ends it early. Where the search takes longer
    than `seconds`, or loses itself among a technician's choices, early work is left out of it, and at last his help:
    plans that more search may only better.
    """
    flag = stop if stop is not None else np.zeros(1, np.int64)
    alone = replace(gig, night=replace(gig.night, tech=False))
    for problem, effort in ((gig, BeamParams(width)), (gig, BeamParams(width, 0)), (alone, BeamParams(width, 0))):
        found = _priced(problem, slots, effort, seconds, flag)
        if found is not None or flag[0] == CANCELLED or not (flag[0] or gig.night.tech):
            return found
        flag[0] = 0
    return None


def _priced(gig: Gig, slots: tuple[Slot, ...], effort: BeamParams, seconds: float, stop: Stop) -> Plan | None:
    fixed = _with_ways(gig, slots)
    compiled = _compiled(fixed)
    at = {s.id: k for k, s in enumerate(fixed.songs)}
    pred = fix_order(compiled, [at[s.song] for s in slots])

    def time_is_up() -> None:
        stop[0] = stop[0] or TIME_UP

    timer = threading.Timer(seconds, time_is_up) if math.isfinite(seconds) else None
    if timer is not None:
        timer.daemon = True
        timer.start()
    try:
        found = Searcher(compiled).run(pred, effort, math.inf, stop)
    finally:
        if timer is not None:
            timer.cancel()
    return None if found.draft is None else _restore(gig, slots, found)


_last: tuple[Gig, Compiled] | None = None


def _compiled(gig: Gig) -> Compiled:
    """The compiled gig, kept for the next price: a song that is dragged changes the order and nothing else."""
    global _last
    kept = _last  # another thread may put its own there meanwhile
    if kept is None or kept[0] != gig:
        kept = _last = (gig, compile_gig(gig))
    return kept[1]


def _with_ways(gig: Gig, slots: tuple[Slot, ...]) -> Gig:
    chosen = {s.song: s.way for s in slots}
    songs = tuple(
        s if chosen[s.id] is None else replace(s, ways=(s.ways[chosen[s.id] or 0],))
        for s in sorted(gig.songs, key=lambda s: s.id)
    )
    return replace(gig, songs=songs)


def _restore(gig: Gig, slots: tuple[Slot, ...], found: SearchResult) -> Plan:
    assert found.draft is not None
    chosen = {s.song: s.way for s in slots}
    order = tuple(
        replace(s, way=chosen[s.song]) if s.way is not None and chosen[s.song] is not None else s
        for s in found.draft.order
    )
    return price(gig, replace(found.draft, order=order))
