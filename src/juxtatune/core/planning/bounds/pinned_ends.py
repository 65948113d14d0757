"""Songs pinned to open or close a part: they say what a guitar is in tune for when the part begins or ends."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace

from juxtatune.core.planning.bounds.demands import Demand, demand_of, ways
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.model.tables import Compiled

MOST_VARIANTS = 8  # of ways for the pinned songs

End = tuple[int, Demand]  # the guitar's row, and what it must be in tune for


@dataclass(frozen=True)
class PartEnds:
    opening: End | None = None
    closing: End | None = None


@dataclass(frozen=True)
class Variant:
    """The night with one way chosen for each song that is pinned to an end, if these are few enough."""

    night: Compiled
    ends: tuple[PartEnds, ...]  # of every part


def variants(night: Compiled) -> list[Variant]:
    """Every plan is one of one of these nights."""
    t, gig = night.tables, night.gig
    last = [k for k in range(t.n) if t.last_in_part[k]]
    opening = {0, *(k + 1 for k in last[:-1])}
    place = {v: gig.place_of_pin(pin) for pin in gig.night.pins for v in range(t.n) if gig.songs[v].id == pin.song}
    pinned = [v for v, k in place.items() if k in opening or k in last]
    chosen = list(itertools.islice(itertools.product(*(range(len(ways(t, v))) for v in pinned)), MOST_VARIANTS + 1))
    if not pinned or len(chosen) > MOST_VARIANTS:
        return [Variant(night, (PartEnds(),) * len(last))]
    return [_variant(night, dict(zip(pinned, ways_of, strict=True)), place) for ways_of in chosen]


def _variant(night: Compiled, way_of: dict[int, int], place: dict[int, int]) -> Variant:
    gig = night.gig
    if any(len(gig.songs[v].ways) > 1 for v in way_of):
        songs = tuple(replace(s, ways=(s.ways[way_of[v]],)) if v in way_of else s for v, s in enumerate(gig.songs))
        night = compile_gig(replace(gig, songs=songs))
    t = night.tables
    ends = []
    for part in range(int(t.part[-1]) + 1):
        places = [k for k in range(t.n) if t.part[k] == part]
        at = {place[v]: _end(night, v) for v in way_of}
        ends.append(PartEnds(at.get(places[0]), at.get(places[-1])))
    return Variant(night, tuple(ends))


def _end(night: Compiled, v: int) -> End:
    t = night.tables
    w = t.way_start[v]
    return int(t.way_inst[w]), demand_of(t, w)
