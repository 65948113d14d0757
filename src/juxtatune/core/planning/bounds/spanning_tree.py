"""A bound from counting: songs that clash on a guitar, parts that start free, and gaps that hide little.

On one instrument, take songs of which every two want a common string at different pitches. In each part in which
the instrument appears it starts in one tuning for nothing; every further song of the set wants a retune of its
own, and the retunes of a part join its songs like a path, so that together they cost no less than a spanning
forest. Instruments that share a part must also be swapped. All this work lies in gaps: a gap hides its cover
once, and holds at most one of an instrument's retunes of this kind and one swap. The least of what cannot be
hidden, over all ways to spread instruments over parts, is paid by every plan (compare the lower bounds for job
sequencing and tool switching, Tang and Denardo 1988).
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

from juxtatune.core.music.tuning import SAME
from juxtatune.core.planning.model.objective import WORK_WEIGHT
from juxtatune.core.repertoire.night import Gig
from juxtatune.core.repertoire.song import Song, Way
from juxtatune.core.retuning.formula import handling_s, turning_s
from juxtatune.core.strings.instrument import Instrument

MOST_SETS = 200_000  # cliques looked at for one instrument
MOST_SPREADS = 1 << 14


@dataclass(frozen=True)
class _Load:
    """An instrument's clashing songs: retunes between them in seconds, rising (a spanning tree's edges)."""

    instrument: Instrument
    edges: tuple[float, ...]
    present: bool  # some song can be played on nothing else


def spanning_tree_bound(gig: Gig, first: int = 0) -> float:
    """Seconds that no plan can do without; the first `first` places are played already."""
    night = gig.night
    played = set(night.now.played) if night.now is not None else set()
    songs = [s for s in gig.songs if s.id not in played]
    part_of = gig.part_of_place()
    parts = sorted(set(part_of[first:]))
    if not songs or (1 << (len(parts) * len(gig.instruments))) > MOST_SPREADS:
        return 0.0
    loads = [_load(gig, i, songs) for i in gig.instruments]
    covers = _covers(gig, songs, first)
    sizes = [part_of[first:].count(p) for p in parts]
    rows = [k for k, load in enumerate(loads) if load.present]
    spreads = itertools.product(range(1, 1 << len(parts)), repeat=len(rows))
    best = min(
        (_cost(gig, [loads[r] for r in rows], spread, sizes, covers) for spread in spreads), default=0.0
    )
    return max(0.0, best - 1e-6) if math.isfinite(best) else 0.0


def _cost(
    gig: Gig, loads: list[_Load], spread: tuple[int, ...], sizes: list[int], covers: list[float]
) -> float:
    """What is left uncovered when each instrument appears in the parts of its mask (at most)."""
    events: list[list[float]] = []
    for load, mask in zip(loads, spread, strict=True):
        wanted = max(0, len(load.edges) + 1 - mask.bit_count())
        idle_free = gig.night.tech and len(gig.instruments) > 1
        events.append([] if idle_free else list(load.edges[:wanted]))
    in_part = [
        [load for load, mask in zip(loads, spread, strict=True) if mask >> p & 1] for p in range(len(sizes))
    ]
    swaps: list[float] = []
    for here, size in zip(in_part, sizes, strict=True):
        if len(here) > size:
            return math.inf
        # whichever comes first is in hand for nothing
        swaps += sorted(load.instrument.costs.swap_s for load in here)[: max(0, len(here) - 1)]
    work = sum(map(sum, events)) + sum(swaps)
    # a retune may be spread over several gaps, at the price of beginning and checking once more
    again = min(handling_s(i.costs.base_s, i.costs.check_s, i.strings) for i in gig.instruments)
    return work - _hidden(events, swaps, covers, again) + WORK_WEIGHT * work


def _hidden(events: list[list[float]], swaps: list[float], covers: list[float], again: float) -> float:
    """The most that covers can hide of these pieces of work, less what spreading one costs (`again`, s, a time).

    The dual of giving pieces to gaps: a piece is worth `price` wherever it is alone; a gap gains what its cover
    hides of the pieces it takes, one of each kind, beyond that. Every price up to `again` bounds it.
    """
    count = sum(map(len, events)) + len(swaps)
    if count == 0:
        return 0.0
    kinds = sorted([max(e) for e in events if e] + ([max(swaps)] if swaps else []), reverse=True)
    sums = list(itertools.accumulate(kinds))
    prices = {min(c, again) for c in covers} | {0.0, again}
    values = (
        price * count
        + sum(max(0.0, *(min(c, held) - price * (k + 1) for k, held in enumerate(sums))) for c in covers)
        for price in prices
    )
    return min(min(values), sum(map(sum, events)) + sum(swaps))


def _covers(gig: Gig, songs: list[Song], first: int) -> list[float]:
    """Covers of the gaps to come: of each song, and of the one that was just played."""
    covers = [gig.night.cover(s.id) for s in songs]
    if first and gig.night.now is not None:
        covers.append(gig.night.cover(gig.night.now.played[-1]))
    return covers


def _load(gig: Gig, instrument: Instrument, songs: list[Song]) -> _Load:
    """The set of clashing songs that wants most retunes, of those that only this instrument plays in one way."""
    own = [s.ways[0] for s in songs if len(s.ways) == 1 and s.ways[0].instrument == instrument.id]
    present = any(all(w.instrument == instrument.id for w in s.ways) for s in songs)
    distinct = list({(str(w.tuning), w.strings_used): w for w in own}.values())
    best: tuple[float, ...] = ()
    for chosen in _clashing_sets(distinct, instrument):
        edges = _tree(chosen, instrument)
        if (len(edges), sum(edges)) > (len(best), sum(best)):
            best = edges
    return _Load(instrument, best, present)


def _clashing_sets(ways: list[Way], instrument: Instrument) -> list[list[Way]]:
    """Largest sets in which every two clash (and some smaller ones), by branching."""
    clash = [
        sum(1 << j for j, b in enumerate(ways) if i != j and _moves(a, b, instrument))
        for i, a in enumerate(ways)
    ]
    found: list[int] = []
    seen = 0

    def grow(chosen: int, allowed: int) -> None:
        nonlocal seen
        seen += 1
        if seen > MOST_SETS:
            return
        if not allowed:
            found.append(chosen)
            return
        while allowed:
            k = allowed.bit_length() - 1
            allowed &= ~(1 << k)
            grow(chosen | 1 << k, allowed & clash[k])

    grow(0, (1 << len(ways)) - 1)
    most = max((f.bit_count() for f in found), default=0)
    return [[w for k, w in enumerate(ways) if f >> k & 1] for f in found if f.bit_count() == most][:2000]


def _moves(a: Way, b: Way, instrument: Instrument) -> list[float]:
    """By how much the strings that both ways use must move between them, in semitones."""
    both = [s for s in range(1, instrument.strings + 1) if a.uses(s) and b.uses(s)]
    apart = (abs(a.tuning.pitch(s) - b.tuning.pitch(s)) for s in both)
    return [d for d in apart if d > SAME]


def _seconds(a: Way, b: Way, instrument: Instrument) -> float:
    c = instrument.costs
    turning = sum(turning_s(c.string_s, c.semitone_s, c.passes, d) for d in _moves(a, b, instrument))
    return float(handling_s(c.base_s, c.check_s, instrument.strings) + turning)


def _tree(ways: list[Way], instrument: Instrument) -> tuple[float, ...]:
    """Edges of the least spanning tree (Prim 1957), rising."""
    if len(ways) < 2:
        return ()
    near = {k: _seconds(ways[0], ways[k], instrument) for k in range(1, len(ways))}
    edges = []
    while near:
        k = min(near, key=lambda j: near[j])
        edges.append(near.pop(k))
        near = {j: min(d, _seconds(ways[k], ways[j], instrument)) for j, d in near.items()}
    return tuple(sorted(edges))
