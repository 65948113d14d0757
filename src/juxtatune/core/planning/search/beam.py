"""Layered search: from all kept states with p songs played to those with p + 1, compiled.

One layer holds every state once, with the least cost found for it. When a layer outgrows its width the
worst states by rank are dropped, and the least bound among those dropped is remembered: what the search
then finds is optimal only if it costs no more than that.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.planning.bounds.to_go import bound_ahead, bound_scratch, rough_cost_to_go
from juxtatune.core.planning.model.access import i0
from juxtatune.core.planning.model.fields import DEMANDS, INSTS, WORDS, N
from juxtatune.core.planning.model.hashtable import find
from juxtatune.core.planning.model.transitions import MOST_OPTIONS
from juxtatune.core.planning.search.successors import successors

_jit = nb.njit(cache=True, nogil=True)
MOST_SUCCESSORS = 1 << 16


@_jit
def scratch(insts):
    return (
        np.empty(MOST_OPTIONS, np.uint64), np.empty(MOST_OPTIONS), np.empty(MOST_OPTIONS, np.int64),
        np.empty((MOST_OPTIONS, insts), np.uint64), np.empty(MOST_OPTIONS), np.empty(MOST_OPTIONS),
        np.empty((insts, MOST_OPTIONS), np.uint64), np.empty((insts, MOST_OPTIONS)), np.empty(insts, np.int64),
    )  # fmt: skip


@_jit
def successor_store(columns, insts):
    return (
        np.empty((MOST_SUCCESSORS, columns), np.uint64), np.empty(MOST_SUCCESSORS),
        np.empty(MOST_SUCCESSORS, np.int64), np.empty((MOST_SUCCESSORS, insts), np.uint64),
        np.empty((MOST_SUCCESSORS, insts), np.uint64),
    )  # fmt: skip


@_jit
def smallest(values, place):
    """The value at `place` (from 0) were `values` (N,) sorted, which it puts in another order (Hoare 1961).

    numpy's partition takes ten seconds to compile.
    """
    low, high = 0, len(values) - 1
    while low < high:
        pivot = values[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while values[i] < pivot:
                i += 1
            while values[j] > pivot:
                j -= 1
            if i <= j:
                values[i], values[j] = values[j], values[i]
                i, j = i + 1, j - 1
        if place <= j:
            high = j
        elif place >= i:
            low = i
        else:
            break
    return values[place]


@_jit
def _shrink(keep, count, keys, g, f, rank, parent, option, table, dropped_bound):
    """Keeps the best rows by rank, in their order, and rebuilds the table. Returns (rows kept, dropped bound)."""
    cut = smallest(rank[:count].copy(), keep - 1)
    room = keep
    for r in range(count):
        if rank[r] < cut:
            room -= 1
    end = 0
    for r in range(count):
        take = rank[r] < cut
        if not take and rank[r] == cut and room > 0:
            take, room = True, room - 1
        if not take:
            dropped_bound = min(dropped_bound, f[r])
            continue
        if end != r:
            keys[end] = keys[r]
            g[end], f[end], rank[end] = g[r], f[r], rank[r]
            parent[end], option[end] = parent[r], option[r]
        end += 1
    if len(table) > 0:
        table[:] = -1
        for r in range(end):
            table[find(table, keys, keys[r], len(table))] = r
    return end, dropped_bound


@_jit
def advance(
    t, pred, place, old, rows, limit, most_cost, extras, width, heuristic_weight, song_penalty, stop, new, table, out, store
):
    """Expands a layer. `old` and `new` are (keys, g, f, rank, parent, option).

    Left out is what can only lead to `limit` or more, and what costs `most_cost` or more so far. `song_penalty` (n,)
    estimates what each song left will cost, for ranking only.

    Returns (rows in the new layer, least bound among the dropped, incomplete, stopped).
    """
    keys, g, f, rank, parent, option = new
    most = len(g)
    table[:] = -1
    count = np.int64(0)
    dropped_bound = np.inf
    incomplete = False
    words = i0(t, WORDS)
    left = np.empty(words, np.uint64)
    must = np.empty(words, np.uint64)
    room = bound_scratch(i0(t, N), i0(t, DEMANDS), i0(t, INSTS), i0(t, WORDS))
    for row in range(rows):
        if stop[0] != 0:
            return count, dropped_bound, incomplete, True
        made, lost = successors(t, pred, old[0][row], old[1][row], place, most_cost, extras, out, store)
        incomplete = incomplete or lost
        for k in range(made):
            key, cost = store[0][k], store[1][k]
            at = find(table, keys, key, len(table))
            known = table[at]
            if known >= 0:
                if cost < g[known] - 1e-12:
                    change = cost - g[known]
                    g[known] = cost
                    f[known] += change
                    rank[known] += change
                    parent[known], option[known] = row, k
                continue
            for w in range(words):
                left[w] = ~key[w]
            bound = cost + bound_ahead(t, key, place + 1, left, must, room)
            if bound >= limit:
                continue
            if count == most:
                count, dropped_bound = _shrink(
                    max(width, most // 2), count, keys, g, f, rank, parent, option, table, dropped_bound
                )
                at = find(table, keys, key, len(table))
            keys[count] = key
            g[count], f[count] = cost, bound
            rank[count] = bound + (heuristic_weight * rough_cost_to_go(t, key, left) if heuristic_weight > 0 else 0.0)
            for v in range(len(song_penalty)):
                if (left[v >> 6] >> np.uint64(v & 63)) & np.uint64(1) != 0:
                    rank[count] += song_penalty[v]
            parent[count], option[count] = row, k
            table[at] = count
            count += 1
    if count > width:
        count, dropped_bound = _shrink(width, count, keys, g, f, rank, parent, option, table[:0], dropped_bound)
    return count, dropped_bound, incomplete, False
