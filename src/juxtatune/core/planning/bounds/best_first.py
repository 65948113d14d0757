"""Best-first search of a relaxed night, compiled: states in the order of what they could lead to at least.

Where songs may be played again a night does not count places, only parts: a part opens with its first place, goes on
at a middle place for as long as one likes, and closes with its last. Where every song is played once, places count.
The least bound still open is a lower bound of the whole night at any moment (Hart, Nilsson and Raphael 1968), so the
search may end whenever time is up.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.planning.bounds.heap import pop, push
from juxtatune.core.planning.bounds.relaxed_successors import loose_successors
from juxtatune.core.planning.bounds.to_go import bound_ahead, bound_scratch
from juxtatune.core.planning.model.access import i0
from juxtatune.core.planning.model.fields import DEMANDS, INSTS, WORDS, N
from juxtatune.core.planning.model.hashtable import find

_jit = nb.njit(cache=True, nogil=True)
EMPTY, GOAL, FULL, STOPPED, PAUSED = 0, 1, 2, 3, 4


@_jit
def _owed(t, key, must):
    """How many songs that must be played are left."""
    count = 0
    for w in range(i0(t, WORDS)):
        word = ~key[w] & must[w]
        while word != np.uint64(0):
            word &= word - np.uint64(1)
            count += 1
    return count


@_jit
def _place(turn, opened, place_at, at, opening, middle, closing):
    """The place a state of a part goes on at, of at most two in turn; -1 for none."""
    if len(place_at) > 0:
        return place_at[at] if turn == 0 else -1
    if opened == 0:
        return opening if turn == 0 else -1
    return middle if turn == 0 else closing


@_jit
def begin(nodes, heap, table, extent):
    """Row 0 holds the start: it is the only one known and waiting."""
    keys, _, f, _, _ = nodes
    table[:] = -1
    table[find(table, keys, keys[0], len(table))] = 0
    extent[0], extent[1] = 1, push(heap, np.int64(0), f[0], np.int64(0))


@_jit
def explore(t, pred, must, parts_of, place_at, starts, nodes, heap, table, extent, limits, stop, best, out, store):
    """Goes on until the goal, the limit, or the end of its memory. `nodes` are (keys, g, f, parent, way).

    `parts_of` is (opening, middle, closing, room_after, least_owed, opened_before): for every part its places
    (middle -1: none), the places after it, how many tracked songs it must leave, and 1 when it is under way;
    `place_at` every place in the order explored, empty where places do not count; `starts` the key each part begins
    with. The first part explored is taken to be the one that costs least. A key's last word is 2 q, or 2 q + 1 once
    part q has opened. `must` (words,) marks the songs tracked. `extent` holds how many
    rows are known and waiting, `best[0]` follows the bound. `limits`: what costs as much is of no
    interest, and the bound at which to pause. Returns (outcome, goal's row).
    """
    opening, middle, closing, room_after, least_owed, opened_before = parts_of
    keys, g, f, parent, ways = nodes
    parts = len(opening)
    words, columns = i0(t, WORDS), keys.shape[1] - 1
    left, owing, room = (
        np.empty(words, np.uint64),
        np.empty(words, np.uint64),
        bound_scratch(i0(t, N), i0(t, DEMANDS), i0(t, INSTS), i0(t, WORDS)),
    )
    limit, pause = limits[0], limits[1]
    rows, waiting = extent[0], extent[1]
    key = np.empty(columns + 1, np.uint64)
    while waiting > 0:
        extent[0], extent[1] = rows, waiting
        if stop[0] != 0:
            return STOPPED, -1
        if heap[0][0] > pause:
            best[0] = max(best[0], pause)
            return PAUSED, -1
        row, least, waiting = pop(heap, waiting)
        if least > f[row]:
            continue
        best[0] = max(best[0], least)
        stage = np.int64(keys[row, columns])
        part = stage >> 1
        if part == parts:
            return GOAL, row
        at = len(place_at) - _owed(t, keys[row], must)
        for turn in range(2):
            place = _place(turn, stage & 1, place_at, at, opening[part], middle[part], closing[part])
            if place < 0:
                continue
            closes = place == closing[part]
            now = keys[row, :columns]
            made = loose_successors(t, pred, now, g[row], place, limit, out, store)
            if made < 0:
                return FULL, -1
            for k in range(made):
                for q in range(columns):
                    key[q] = store[0][k, q]
                key[columns] = np.uint64(2 * part + 1)
                if closes:
                    key[columns] = np.uint64(2 * part + 2)
                    if part + 1 < parts:
                        key[columns] += np.uint64(opened_before[part + 1])
                        key[words:columns] = starts[part + 1]
                cost = store[1][k]
                owed = _owed(t, key, must)
                if owed < least_owed[part] or (closes and owed > room_after[part]):
                    continue
                slot = find(table, keys, key, len(table))
                known = table[slot]
                if known >= 0 and cost >= g[known] - 1e-12:
                    continue
                for w in range(words):
                    left[w] = ~key[w]
                after = opening[part] + 1
                if len(place_at) > 0:
                    after = place_at[at + 1] if at + 1 < len(place_at) else i0(t, N)
                elif closes:
                    after = opening[part + 1] if part + 1 < parts else i0(t, N)
                bound = max(cost + bound_ahead(t, key, after, left, owing, room), least)
                if part == 0:
                    bound = max(bound, parts * cost)
                if bound >= limit:
                    continue
                if waiting == len(heap[0]) or (known < 0 and rows == len(g)):
                    return FULL, -1
                if known < 0:
                    known = rows
                    for q in range(columns + 1):
                        keys[rows, q] = key[q]
                    table[slot] = rows
                    rows += 1
                g[known], f[known], parent[known], ways[known] = cost, bound, row, store[2][k]
                waiting = push(heap, waiting, bound, known)
    return EMPTY, -1
