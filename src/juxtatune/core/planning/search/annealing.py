"""Simulated annealing (Kirkpatrick, Gelatt and Vecchi 1983) over order and ways on the lazy price, compiled.

Some hundred thousand orders a second; small changes that break a rule are turned down.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np

from juxtatune.core.planning.model.tables import I64
from juxtatune.core.planning.pricing.just_in_time import lazy_room, part_cost

jit = nb.njit(cache=True, nogil=True)
LONGEST = np.int64(4)  # neighbours moved at a time
LONGEST_TURN = np.int64(12)  # songs turned round at a time
SHIFT, SWAP, TURN, EXCHANGE = 0.5, 0.72, 0.8, 0.88  # shares of the moves, up to; the rest change a way
MIX = np.uint64(0x9E3779B97F4A7C15)


class Rules(NamedTuple):
    """What an order must keep to. Songs are tied to a place by a pin, or to the song before by a medley."""

    places: I64  # (m,) places without a pin
    many: I64  # songs with several ways
    tied: I64  # (n,) 1 for a song that must come straight after another
    adjacent: I64  # (., 2) songs, the second straight after the first
    before: I64  # (., 2)
    apart: I64  # (., 2)


@jit
def _random(state):
    """The next of a row of random numbers from 0 to 1 (splitmix64: Steele, Lea and Flood 2014)."""
    state[0] += MIX
    z = state[0]
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return np.float64((z ^ (z >> np.uint64(31))) >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@jit
def _below(state, n):
    return np.int64(_random(state) * n)


@jit
def _put(row, places, a, size, to, turned):
    """Moves `size` neighbours from `a` to `to`."""
    held = np.empty(size, np.int64)
    for k in range(size):
        held[k] = row[places[a + (size - 1 - k if turned else k)]]
    for k in range(a - 1, to - 1, -1):
        row[places[k + size]] = row[places[k]]
    for k in range(a, to):
        row[places[k]] = row[places[k + size]]
    for k in range(size):
        row[places[to + k]] = held[k]


@jit
def _shift(state, row, rules):
    """Moves some neighbours, a medley as a whole, elsewhere, perhaps turned round."""
    places, m = rules.places, len(rules.places)
    a = _below(state, m)
    b = min(m, a + 1 + (_below(state, LONGEST) if _random(state) < 0.4 else 0))
    while a > 0 and rules.tied[row[places[a]]] == 1:
        a -= 1
    while b < m and rules.tied[row[places[b]]] == 1:
        b += 1
    _put(row, places, a, b - a, _below(state, m - (b - a) + 1), b - a > 1 and _random(state) < 0.3)


@jit
def _turn(state, row, places):
    a = _below(state, len(places))
    b = min(len(places), a + 2 + _below(state, LONGEST_TURN)) - 1
    while a < b:
        row[places[a]], row[places[b]] = row[places[b]], row[places[a]]
        a, b = a + 1, b - 1


@jit
def _exchange(state, row, places):
    """Swaps two stretches of the same length."""
    m = len(places)
    size = 1 + _below(state, LONGEST)
    a, b = _below(state, m), _below(state, m)
    a, b = min(a, b), max(a, b)
    if a + size > b or b + size > m:
        return
    for k in range(size):
        row[places[a + k]], row[places[b + k]] = row[places[b + k]], row[places[a + k]]


@jit
def _another_way(state, q, row, way, rules):
    """Plays a song another way, and perhaps elsewhere."""
    v = rules.many[_below(state, len(rules.many))]
    ways = q.way_start[v + 1] - q.way_start[v]
    way[v] = q.way_start[v] + (way[v] - q.way_start[v] + 1 + _below(state, ways - 1)) % ways
    places = rules.places
    if len(places) < 2 or rules.tied[v] == 1 or _random(state) < 0.4:
        return
    for k in range(len(places)):
        if row[places[k]] == v:
            _put(row, places, k, 1, _below(state, len(places)), False)
            return


@jit
def _change(state, q, row, way, rules):
    kind = _random(state)
    places = rules.places
    if len(rules.many) > 0 and (kind >= EXCHANGE or len(places) < 2):
        _another_way(state, q, row, way, rules)
    elif kind < SHIFT:
        _shift(state, row, rules)
    elif kind < SWAP or kind >= EXCHANGE:
        a, b = places[_below(state, len(places))], places[_below(state, len(places))]
        row[a], row[b] = row[b], row[a]
    elif kind < TURN:
        _turn(state, row, places)
    else:
        _exchange(state, row, places)


@jit
def _holds(q, row, rules, place):
    """True when an order keeps to the rules."""
    if len(rules.adjacent) + len(rules.before) + len(rules.apart) == 0:
        return True
    for k in range(len(row)):
        place[row[k]] = k
    for r in range(len(rules.adjacent)):
        a, b = place[rules.adjacent[r, 0]], place[rules.adjacent[r, 1]]
        if b != a + 1 or q.part[a] != q.part[b]:
            return False
    for r in range(len(rules.before)):
        if place[rules.before[r, 0]] > place[rules.before[r, 1]]:
            return False
    for r in range(len(rules.apart)):
        a, b = place[rules.apart[r, 0]], place[rules.apart[r, 1]]
        if abs(a - b) == 1 and q.part[a] == q.part[b] and max(a, b) >= q.first:
            return False
    return True


@jit
def _is_other(row, way, new_row, new_way, lo, hi):
    for k in range(lo, hi):
        v = new_row[k]
        if row[k] != v or way[v] != new_way[v]:
            return True
    return False


@jit
def _price(q, row, way, new_row, new_way, known, parts, limit, room):
    """What a changed order costs: parts left as they were cost what is `known`. Gives up above `limit`."""
    total = 0.0
    for p in range(len(parts)):
        lo, hi = q.ends[p], q.ends[p + 1]
        parts[p] = known[p]
        if _is_other(row, way, new_row, new_way, lo, hi):
            parts[p] = part_cost(q, new_row, new_way, lo, hi, room)
        total += parts[p]
        if total > limit:
            break
    return total


@jit
def lazy_cost(q, row, way):
    """The lazy objective of a whole night."""
    room, total = lazy_room(q), 0.0
    for p in range(len(q.ends) - 1):
        total += part_cost(q, row, way, q.ends[p], q.ends[p + 1], room)
    return total


@jit
def anneal(q, rules, row, way, steps, hot, cold, seed, stop):
    """Changes `row` and `way` to the best order found in so many steps, cooling from `hot` to `cold` seconds.

    Returns its lazy cost.
    """
    state = np.array([np.uint64(seed)])
    room = lazy_room(q)
    place = np.empty(len(row), np.int64)
    known = np.zeros(len(q.ends) - 1)
    for p in range(len(known)):
        known[p] = part_cost(q, row, way, q.ends[p], q.ends[p + 1], room)
    parts = known.copy()
    new_row, new_way = row.copy(), way.copy()
    best_row, best_way = row.copy(), way.copy()
    cost = best = known.sum()
    cooling = (cold / hot) ** (1.0 / max(1, steps))
    heat = hot
    for _ in range(steps):
        if stop[0] != 0:
            break
        heat *= cooling
        _change(state, q, new_row, new_way, rules)
        limit = cost - heat * np.log(max(_random(state), 1e-300))
        fits = _holds(q, new_row, rules, place)
        new = _price(q, row, way, new_row, new_way, known, parts, limit, room) if fits else np.inf
        if new <= limit:
            cost = new
            known[:] = parts
            row[:], way[:] = new_row, new_way
            if cost < best - 1e-9:
                best = cost
                best_row[:], best_way[:] = row, way
        else:
            new_row[:], new_way[:] = row, way
    row[:], way[:] = best_row, best_way
    return best
