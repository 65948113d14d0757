"""Which guitar plays each song that several could play, and where tokens are used, at least cost; compiled, best-first.

A node stands for the songs decided so far, in order: the further demands that each guitar then has, and the
compromises. What the guitars cost for these is never more than what they cost with more demands, so that the least
node still open bounds the whole at any moment (Hart, Nilsson and Raphael 1968). Nodes with the same demands meet.
"""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.bounds.guitar_dp import INFEASIBLE, jit
from juxtatune.core.planning.bounds.heap import pop, push
from juxtatune.core.planning.model.hashtable import find

MOST_NODES = 400_000


@jit
def least_allocation(over, mixes, gains, start, guitar, mask, seconds, always, limit, stop):
    """The least sum over all guitars, never above `limit`.

    `over` (guitars, choices, digits of the first, second and third token) are seconds; `mixes` three arrays
    (m, guitars) of the digits at a token that go together, `gains` the seconds saved beside each. Songs with several
    ways: `start` (songs + 1,), and for every way its `guitar`, the `mask` of demands it makes there, and `seconds`
    of compromise. `always` is paid in any case. The bound reached when nodes run out, or 0 when stopped.
    """
    guitars, songs = len(over), len(start) - 1
    one, two, none = _least_last(over)
    saved = gains[0].max() + gains[1].max() + gains[2].max()
    size = 1 << 20
    table = np.full(size, np.int64(-1))
    keys = np.zeros((MOST_NODES, guitars + 1), np.uint64)
    paid = np.empty(MOST_NODES)
    fs, rows = np.empty(2 * MOST_NODES), np.empty(2 * MOST_NODES, np.int64)
    key = np.zeros(guitars + 1, np.uint64)
    paid[0] = always
    table[find(table, keys, key, size)] = 0
    count, waiting = np.int64(1), push((fs, rows), np.int64(0), _at_least(none, key, always - saved), np.int64(0))
    while waiting > 0:
        row, f, waiting = pop((fs, rows), waiting)
        if stop[0] != 0:
            return 0.0
        if f >= limit:
            return limit
        song = np.int64(keys[row, guitars])
        if song > songs:
            return f
        if song < songs and f > _at_least(none, keys[row], paid[row] - saved) + 1e-9:
            continue  # reached cheaper since
        for w in range(start[song], start[song + 1] if song < songs else start[song] + 1):
            key[:] = keys[row]
            key[guitars] += np.uint64(1)
            if song < songs:
                key[guitar[w]] |= np.uint64(mask[w])
                cost = paid[row] + seconds[w]
                bound = max(f, _at_least(none, key, cost - saved))
            else:
                cost = paid[row]
                bound = max(f, _mixed(over, one, two, none, mixes, gains, key, cost, limit))
            if bound >= limit:
                continue
            at = find(table, keys, key, size)
            known = table[at]
            if known >= 0 and cost >= paid[known]:
                continue
            if known < 0:
                if count == MOST_NODES or waiting == len(fs):
                    return min(f, limit)
                known, table[at] = count, count
                keys[known] = key
                count += 1
            paid[known] = cost
            if waiting == len(fs):
                return min(f, limit)
            waiting = push((fs, rows), waiting, bound, known)
    return limit


@jit
def _at_least(none, key, cost):
    for i in range(len(none)):
        cost += none[i, np.int64(key[i])]
    return cost


@jit
def _mixed(over, one, two, none, mixes, gains, key, cost, limit):
    """The least over the ways to use the tokens, when each guitar has these demands."""
    first, second, third = mixes
    saved, saved_then, saved_last = gains
    guitars, best = len(over), limit
    after = saved_last.max()
    beside = saved_then.max() + after
    for k in range(len(first)):
        x = cost - saved[k] - beside
        for i in range(guitars):
            x += one[i, np.int64(key[i]), first[k, i]]
        if x >= best:
            continue
        for m in range(len(second)):
            x = cost - saved[k] - saved_then[m] - after
            for i in range(guitars):
                x += two[i, np.int64(key[i]), first[k, i], second[m, i]]
            if x >= best:
                continue
            for n in range(len(third)):
                x = cost - saved[k] - saved_then[m] - saved_last[n]
                for i in range(guitars):
                    x += over[i, np.int64(key[i]), first[k, i], second[m, i], third[n, i]]
                best = min(best, x)
    return best


@jit
def _least_last(over):
    """The least over the third token's digits, over the second's and third's, and over all."""
    guitars, choices, a, b, c = over.shape
    one, two = np.full((guitars, choices, a), INFEASIBLE), np.full((guitars, choices, a, b), INFEASIBLE)
    none = np.full((guitars, choices), INFEASIBLE)
    for i in range(guitars):
        for o in range(choices):
            for k in range(a):
                for m in range(b):
                    for n in range(c):
                        two[i, o, k, m] = min(two[i, o, k, m], over[i, o, k, m, n])
                    one[i, o, k] = min(one[i, o, k], two[i, o, k, m])
                none[i, o] = min(none[i, o], one[i, o, k])
    return one, two, none
