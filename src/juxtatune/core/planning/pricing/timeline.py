"""Where every string stands while a plan is played: what a score draws and a retune starts from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from juxtatune.core.planning.model.plan import Gap, Plan, Retune, played_count
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.repertoire.song import Way

Pitches = Mapping[str, tuple[float, ...]]


@dataclass(frozen=True)
class Place:
    """One song of a plan: pitches of every guitar before the gap that leads to it, and while it is played."""

    song: str
    part: int
    way: Way | None
    before: Pitches
    during: Pitches
    gap: Gap | None


def trace(gig: Gig, plan: Plan) -> list[Place]:
    """The places of a plan in order; idle work shows in the `before` of the next place."""
    gaps = {g.before: g for g in plan.gaps}
    idle: dict[str, list[Retune]] = {}
    for work in plan.idle:
        idle.setdefault(work.during, []).extend(work.retunes)
    strings = {i.id: i.strings for i in gig.instruments}
    now: dict[str, list[float]] = {}
    places: list[Place] = []
    first, start_now = played_count(gig), gig.night.now
    for k, slot in enumerate(plan.order):
        if k == 0 or slot.part != plan.order[k - 1].part:
            now = {i: list(t.pitches) for i, t in plan.start[slot.part].items()}
        if k == first and k > 0 and slot.part == plan.order[k - 1].part and start_now is not None:
            now = {i.id: list(start_now.tunings.get(i.id, i.tuning).pitches) for i in gig.instruments}
        before = _frozen(now)
        gap = gaps.get(slot.song)
        _apply(now, gap.retunes if gap is not None else (), strings)
        way = gig.song(slot.song).ways[slot.way] if slot.way is not None else None
        places.append(Place(slot.song, slot.part, way, before, _frozen(now), gap))
        _apply(now, idle.get(slot.song, ()), strings)
    return places


def _apply(now: dict[str, list[float]], retunes: Iterable[Retune], strings: dict[str, int]) -> None:
    for r in retunes:
        now[r.instrument][strings[r.instrument] - r.string] = r.target


def _frozen(now: dict[str, list[float]]) -> Pitches:
    return {i: tuple(p) for i, p in now.items()}
