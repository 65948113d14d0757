"""What a given order costs when every retune waits as long as it can, compiled: some microseconds an order.

A player's rule of thumb and close to the best that can be made of an order: a string is moved when it is next
wanted, along with an earlier retune of its instrument if it is free by then; a whole retune is then brought
forward, into the gap where talk hides most of it or into a song during which a technician has time; and some
strings of a retune may be moved long before the others, where talk hides that.
What this gives is always a plan that holds, so its cost is never below the best for that order.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np

from juxtatune.core.planning.model.objective import WORK_WEIGHT
from juxtatune.core.planning.model.tables import F64, FREE_CAPO, I64

jit = nb.njit(cache=True, nogil=True)
MOST_RETUNES = 512
NOT_READY = -2
FROM, TO, INST, SINCE, GAP = range(5)  # of a retune: gaps it may stand in, last song before, gap it stands in
MOVED, FREE, DUE = range(3)  # of a string moved: its retune, the places of its last use and of its next
OVER = 1000.0  # seconds charged for each second beyond the limit on dead air


class Lazy(NamedTuple):
    """A gig for pricing orders. Shapes: n songs, W ways, K instruments, S strings, P pitches, C classes."""

    first: int  # places already played
    under_way: bool  # the part of place `first` has begun
    tech: bool
    max_dead: float
    curve_weight: float
    cover_now: float  # of the song played last
    hand: int  # instrument in hand, -1 none
    part: I64  # (n,)
    ends: I64  # the first open place of every part, and n
    curve: F64  # (n,)
    cover: F64  # (n,)
    length: F64  # (n,)
    energy: F64  # (n,)
    way_start: I64  # (n + 1,)
    way_inst: I64  # (W,)
    way_demand: I64  # (W,)
    way_capo: I64  # (W,)
    way_comp: F64  # (W,)
    demand_pitch: I64  # (C, S) pitch index, -1 unused
    step: F64  # (K, S, P, P) seconds to move a string from one pitch to another
    base: F64  # (K,) seconds of any retune
    swap: F64  # (K,)
    capo: F64  # (K,)
    now: I64  # (K, S) pitch index today, -1 undecided
    capo_now: I64  # (K,)


@jit
def lazy_room(q):
    """Scratch for `part_cost`."""
    insts, strings = q.now.shape
    return (
        np.empty((insts, strings), np.int64), np.empty((insts, strings), np.int64), np.empty((3, insts), np.int64),
        np.empty((5, MOST_RETUNES), np.int64), np.empty(MOST_RETUNES),
        np.empty((3, MOST_RETUNES), np.int64), np.empty(MOST_RETUNES),
        np.empty(len(q.part)), np.empty(len(q.part)), np.empty(len(q.part)),
    )  # fmt: skip


@jit
def part_cost(q, order, way, lo, hi, room):
    """What the part of places `lo` to `hi` costs: `order[k]` is the song of place k, `way[v]` the way of song v."""
    begun = q.under_way and lo == q.first
    count, strings, cost = _play_through(q, order, way, lo, hi, begun, room)
    _place(q, order, way, count, room)
    if not q.tech:
        _split(q.base, count, strings, lo if begun else lo + 1, hi, room)
    return cost + _dead_air(q.max_dead, lo if begun else lo + 1, hi, room)


@jit
def _play_through(q, order, way, lo, hi, begun, room):
    """Plays a part: swaps and capos into the gaps' load, retunes and the strings they move into lists.

    Returns the counts of retunes and strings, and what the songs cost themselves.
    """
    now, free, inst_row, retune, work, string, seconds, load, hide, spare = room
    last, latest, capo = inst_row
    insts, strings = now.shape
    hand = q.hand if begun else -1
    for i in range(insts):
        last[i], latest[i] = lo - 1, -1
        capo[i] = q.capo_now[i] if begun else FREE_CAPO
        for s in range(strings):
            now[i, s] = q.now[i, s] if begun else -1
            free[i, s] = lo - 1
    count = moved = 0
    cost = 0.0
    for k in range(lo, hi):
        v = order[k]
        w = way[v]
        i = q.way_inst[w]
        cost += q.way_comp[w] + q.curve_weight * abs(q.energy[v] - q.curve[k])
        hide[k] = q.cover[order[k - 1]] if k > lo else q.cover_now
        spare[k] = q.length[v]
        load[k] = q.swap[i] if hand >= 0 and hand != i else 0.0
        if capo[i] != FREE_CAPO and capo[i] != q.way_capo[w]:
            load[k] += q.capo[i]
        capo[i], hand = q.way_capo[w], i
        for s in range(strings):
            want = q.demand_pitch[q.way_demand[w], s]
            if want < 0:
                continue
            have = now[i, s]
            if have >= 0 and have != want and moved < MOST_RETUNES:
                r = latest[i]
                if r >= 0 and free[i, s] <= retune[SINCE, r]:
                    retune[FROM, r] = max(retune[FROM, r], free[i, s] + 1)
                else:
                    r = latest[i] = count
                    count += 1
                    retune[FROM, r], retune[TO, r], retune[INST, r] = free[i, s] + 1, k, i
                    retune[SINCE, r], work[r] = last[i], q.base[i]
                work[r] += q.step[i, s, have, want]
                string[MOVED, moved], string[FREE, moved], string[DUE, moved] = r, free[i, s], k
                seconds[moved] = q.step[i, s, have, want]
                moved += 1
            now[i, s], free[i, s] = want, k
        last[i] = k
    return count, moved, cost


@jit
def _place(q, order, way, count, room):
    """Puts every retune where it costs least, one after the other; those without a choice first."""
    _, _, _, retune, work, _, _, load, hide, spare = room
    for r in range(count):
        if retune[FROM, r] == retune[TO, r]:
            retune[GAP, r] = retune[TO, r]
            load[retune[TO, r]] += work[r]
    for r in range(count):
        if retune[FROM, r] == retune[TO, r]:
            continue
        if q.tech and _technician(q.way_inst, order, way, r, retune, work, spare):
            continue
        k = _cheapest_gap(r, retune, work, load, hide, q.max_dead)
        retune[GAP, r] = k
        load[k] += work[r]


@jit
def _cheapest_gap(r, retune, work, load, hide, max_dead):
    best, least = retune[TO, r], np.inf
    for k in range(retune[TO, r], retune[FROM, r] - 1, -1):
        more = max(0.0, load[k] + work[r] - hide[k]) - max(0.0, load[k] - hide[k])
        if max_dead < np.inf:
            more += OVER * max(0.0, load[k] + work[r] - hide[k] - max_dead)
        if more < least - 1e-12:
            best, least = k, more
    return best


@jit
def _technician(way_inst, order, way, r, retune, work, spare):
    """True when the technician does the retune during a song on another instrument."""
    for k in range(retune[TO, r] - 1, retune[FROM, r] - 1, -1):
        if way_inst[way[order[k]]] != retune[INST, r] and spare[k] >= work[r]:
            spare[k] -= work[r]
            return True
    return False


@jit
def _split(base, count, strings, lo, hi, room):
    """Moves strings of a retune that shows to another gap with talk to spare: with a retune there, or on their own."""
    retune, work, load, hide = room[3], room[4], room[7], room[8]
    own = count
    for k in range(lo, hi):
        if hide[k] <= load[k]:
            continue
        for r in range(own):
            then, i = retune[GAP, r], retune[INST, r]
            if k == then or load[then] <= hide[then] or count == MOST_RETUNES:
                continue
            into = _retune_at(retune, count, i, k)
            if into == NOT_READY:
                continue
            more = base[i] if into < 0 else 0.0
            into = count if into < 0 else into
            moved = _strings_at(r, k, more, strings, into, room)
            if moved > 0.0:
                work[r] -= moved
                load[then] -= moved
                load[k] += more + moved
            if moved > 0.0 and into == count:
                retune[INST, count], retune[GAP, count], retune[SINCE, count] = i, k, hi
                count += 1


@jit
def _retune_at(retune, count, i, k):
    """The retune of instrument i at gap k, -1 if none; NOT_READY when the next song waits for one still to come."""
    found = -1
    for r in range(count):
        if retune[INST, r] != i:
            continue
        if retune[SINCE, r] < k < retune[GAP, r]:
            return NOT_READY
        if retune[GAP, r] == k:
            found = r
    return found


@jit
def _strings_at(r, k, more, strings, new, room):
    """Gives the strings of retune r that may be moved at gap k, and fit in beside `more`, to another. Returns their time."""
    retune, string, seconds, load, hide = room[3], room[5], room[6], room[7], room[8]
    left = hide[k] - load[k] - more
    # the song that the retune is made for finds all its strings ready
    needed = retune[TO, r] if k > retune[GAP, r] else -1
    moved = 0.0
    for x in range(strings):
        if string[MOVED, x] != r or string[DUE, x] == needed:
            continue
        if string[FREE, x] < k <= string[DUE, x] and seconds[x] <= left:
            string[MOVED, x] = new
            left -= seconds[x]
            moved += seconds[x]
    return moved


@jit
def _dead_air(max_dead, lo, hi, room):
    """Dead air and work of the gaps."""
    load, hide = room[7], room[8]
    total = 0.0
    for k in range(lo, hi):
        dead = max(0.0, load[k] - hide[k])
        total += dead + WORK_WEIGHT * load[k]
        if dead > max_dead + 1e-9:
            total += OVER * (dead - max_dead)
    return total
