"""One guitar on its own through the parts of a night, compiled (see decomposition.py).

A *set* is a mask of demands that have been in tune at some time. A *use* is a number in base `levels + 1` with one
digit for each token: 0 not used, else how much of its cover (rising levels).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.planning.model.objective import WORK_WEIGHT

jit = nb.njit(cache=True, nogil=True)
_fast = nb.njit(cache=True, nogil=True, fastmath={"nnan", "nsz"})
INFEASIBLE = 1e9


@jit
def in_steps(cost):
    """The least cost of any number of retunes one after the other (Floyd 1962), in place."""
    n = len(cost)
    for k in range(n):
        for i in range(n):
            x = cost[i, k]
            if x < INFEASIBLE:
                for j in range(n):
                    cost[i, j] = min(cost[i, j], x + cost[k, j])


@jit
def chain_costs(space, begins, finals, met, work, usual, at_own, covers, levels, longest, limit, stop):
    """Least seconds of retuning by which one guitar gets through a set in one part, for every use of the tokens.

    `space` is (kind, kind_start, rows, where) and `met` as in TuningSpace; `begins` (m,) the tunings to begin with, and
    `finals` (tunings,) 0 where the part may not end; `work` (tunings, tunings) the
    seconds of a retune and `usual` what it costs in a gap with the usual cover; `covers` (tokens, most levels) how much
    of a token's cover each level hides, `levels` (tokens,) how many it has and `longest` (tokens,) the retune it can
    hold; `at_own` (tokens, kinds, tunings) is 0 where a token cannot be used from a tuning. A retune in a usual gap
    that brings nothing new into tune is of use before a token only. Returns (uses, sets), INFEASIBLE from `limit` on.
    """
    kind, kind_start, rows, where = space
    tokens, sets, tunings = len(levels), len(kind), len(met)
    uses = np.int64(1)
    for k in range(tokens):
        uses *= levels[k]
    start = np.zeros(sets + 1, np.int64)
    for a in range(sets):
        start[a + 1] = start[a] + kind_start[kind[a] + 1] - kind_start[kind[a]]
    d = np.full(start[sets] * uses, np.float32(INFEASIBLE), np.float32)
    for w in begins:
        d[start[met[w]] * uses + where[kind[met[w]], w]] = 0.0
    best = np.full((uses, sets), INFEASIBLE)
    near, shown = np.empty_like(work), np.empty_like(work)
    moved, event = np.empty(tunings, np.float32), np.empty((covers.shape[1], tunings), np.float32)
    copied = np.int64(-1)
    for a in range(sets):
        here = rows[kind_start[kind[a]] : kind_start[kind[a] + 1]]
        n = len(here)
        if copied != kind[a]:
            copied = kind[a]
            for p in range(n):
                for q in range(n):
                    near[p, q], shown[p, q] = work[here[p], here[q]], usual[here[p], here[q]]
        for use in range(uses):
            if stop[0] != 0:
                return best
            costs = d[start[a] * uses + use * n : start[a] * uses + (use + 1) * n]
            if costs.min() >= limit:
                continue
            event[0, :n] = np.float32(INFEASIBLE)
            _usual_moves(costs, shown, event[0], limit)
            for q in range(n):
                moved[q] = min(costs[q], event[0, q])
                if finals[here[q]] != 0:
                    best[use, a] = min(best[use, a], moved[q])
            _enter(d, event[0], a, use, uses, here, start, kind, where, met, False)
            digit = 1
            for k in range(tokens):
                if use // digit % levels[k] == 0:
                    event[1:, :n] = np.float32(INFEASIBLE)
                    for p in range(n):
                        if moved[p] < limit and at_own[k, kind[a], here[p]] != 0:
                            _token_moves(moved[p], near[p, :n], covers[k], levels[k], longest[k], event)
                    for level in range(1, levels[k]):
                        _enter(d, event[level], a, use + level * digit, uses, here, start, kind, where, met, True)
                digit *= levels[k]
    _close(best, levels)
    return best


@_fast
def _usual_moves(costs, shown, event, limit):
    n = len(costs)
    for p in range(n):
        x = costs[p]
        if x < limit:
            row = shown[p]
            for q in range(n):
                event[q] = min(event[q], x + row[q])


@_fast
def _token_moves(x, near, covers, levels, longest, event):
    for level in range(1, levels):
        cover, into = covers[level], event[level]
        for q in range(len(near)):
            seconds = near[q] if near[q] <= longest else np.float32(INFEASIBLE)
            into[q] = min(into[q], x + max(np.float32(0.0), seconds - cover) + np.float32(WORK_WEIGHT) * seconds)


@jit
def _enter(d, event, a, use, uses, here, start, kind, where, met, same):
    """Keeps what retunes cost that end at each tuning, under the set that is done then (`same`: also if no more)."""
    for q in range(len(here)):
        b = a | met[here[q]]
        if b != a or same:
            to = start[b] * uses + use * (start[b + 1] - start[b]) + where[kind[b], here[q]]
            d[to] = min(d[to], event[q])


@jit
def _close(best, levels):
    """A larger set does what a smaller one does; more of a token does what less does."""
    uses, sets = best.shape
    bit = 1
    while bit < sets:
        for a in range(sets):
            if not a & bit:
                for use in range(uses):
                    best[use, a] = min(best[use, a], best[use, a | bit])
        bit <<= 1
    digit = 1
    for k in range(len(levels)):
        for use in range(uses):
            if use // digit % levels[k]:
                for a in range(sets):
                    best[use, a] = min(best[use, a], best[use - digit, a])
        digit *= levels[k]


@jit
def over_parts(chains, forced, demands, levels, own, played, swap, stop):
    """Least seconds of one guitar over all parts, for every spread of the tokens and choice of the further demands.

    `chains` (parts, uses, sets) are its seconds in each part. A spread has for each token a digit
    `part * levels + level`, in base `parts * levels`. `own` (tokens,) is the demand in tune before the token's gap, as
    a mask, or 0. `swap` is paid for every part the guitar is played in: where it must be, `played` (parts,) is 1.
    """
    tokens, parts = len(levels), len(chains)
    spreads = 1
    for k in range(tokens):
        spreads *= parts * levels[k]
    choices = 1 << (demands - forced)
    must = (1 << forced) - 1
    sets = 1 << demands
    out = np.full((spreads, choices), INFEASIBLE)
    now, then = np.empty(sets), np.empty(sets)
    use, add = np.empty(parts, np.int64), np.empty(parts, np.int64)
    for spread in range(spreads):
        if stop[0] != 0:
            return out
        use[:] = 0
        add[:] = 0
        rest, digit = spread, 1
        for k in range(tokens):
            part, level = rest % (parts * levels[k]) // levels[k], rest % levels[k]
            use[part] += level * digit
            add[part] |= own[k]
            rest //= parts * levels[k]
            digit *= levels[k]
        for a in range(sets):
            now[a] = _in_part(chains[0, use[0]], a | add[0], played[0], swap)
        for p in range(1, parts):
            for a in range(sets):
                least, part_of = INFEASIBLE, a
                while True:
                    x = now[a ^ part_of] + _in_part(chains[p, use[p]], part_of | add[p], played[p], swap)
                    least = min(least, x)
                    if part_of == 0:
                        break
                    part_of = (part_of - 1) & a
                then[a] = least
            now, then = then, now
        for choice in range(choices):
            out[spread, choice] = now[must | choice << forced]
    return out


@jit
def _in_part(chain, a, played, swap):
    return 0.0 if a == 0 and played == 0 else chain[a] + swap
