"""The compiled heart of the search: what can follow a state, and what it costs."""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.model.access import (
    CAPO_S,
    EPS,
    ONE,
    SWAP_S,
    ZERO,
    at1,
    capo_of,
    f0,
    f1,
    f2,
    has,
    has_at,
    i0,
    i1,
    jit,
    m1,
    meets,
)
from juxtatune.core.planning.model.fields import (
    ALLOWED,
    BLANK,
    COST,
    CURVE,
    CURVE_WEIGHT,
    ENERGY,
    FOLLOWS,
    INST_MASK,
    INSTS,
    LAST_IN_PART,
    LENGTH,
    MAX_DEAD,
    SIG_APART,
    SIG_COVER,
    SIG_INST,
    SIG_NEXT,
    TECH,
    WAY_CAPO,
    WAY_COMP,
    WAY_DEMAND,
    WAY_INST,
    WAY_SIG,
    WAY_START,
    WORDS,
    N,
)
from juxtatune.core.planning.model.objective import WORK_WEIGHT
from juxtatune.core.planning.model.tables import FREE_CAPO
from juxtatune.core.planning.model.transitions import MOST_OPTIONS, early, play, project_state, retunes

NOT_KNOWN = 1 << 40


@jit
def successors(t, pred, key, g, place, limit, extras, out, store):
    """Everything that can follow a state at a place. Returns (count, incomplete).

    `store` is (keys, g, way, gap, idle): for each successor its key, the cost so far, the way played, and
    the instruments' states after the gap and after the idle work. `out` is scratch.
    """
    _keys, _costs_so_far, _ways, _gap_states, _idle_states = store
    combo_cost, early_count = out[4], out[8]
    words, _insts = i0(t, WORDS), i0(t, INSTS)
    count = np.int64(0)
    incomplete = extras < 2
    sig = np.int64(key[words])
    at_start = sig == 0
    must = -1 if at_start else i1(t, SIG_NEXT, sig)
    left = np.empty(words, np.uint64)
    early_count[:] = NOT_KNOWN
    for v in range(i0(t, N)):
        if has(key, v) or not has_at(t, at1(t, ALLOWED, place), v):
            continue
        if must >= 0 and v != must:
            continue
        if i1(t, FOLLOWS, v) >= 0 and must != v:
            continue
        if not at_start and has_at(t, at1(t, SIG_APART, sig), v):
            continue
        open_pred = False
        for w in range(words):
            if pred[v, w] & ~key[w] != ZERO:
                open_pred = True
        if open_pred:
            continue
        for w in range(words):
            left[w] = ~key[w]
        left[v >> 6] &= ~(ONE << np.uint64(v & 63))
        for w in range(i1(t, WAY_START, v), i1(t, WAY_START, v + 1)):
            made, lost = _gap_combos(t, key, at_start, sig, w, left, extras, out)
            incomplete = incomplete or lost
            song_cost = f1(t, WAY_COMP, w) + f0(t, CURVE_WEIGHT) * abs(f1(t, ENERGY, v) - f1(t, CURVE, place))
            cover = 0.0 if at_start else f1(t, SIG_COVER, sig)
            for m in range(made):
                dead = max(0.0, combo_cost[m] - cover)
                if dead > f0(t, MAX_DEAD) + EPS:
                    continue
                total = g + dead + WORK_WEIGHT * combo_cost[m] + song_cost
                if total >= limit:
                    continue
                count, lost = _finish(t, key, place, v, w, m, total, left, extras, out, store, count)
                incomplete = incomplete or lost
    return count, incomplete


@jit
def _gap_combos(t, key, at_start, sig, w, left, extras, out):
    """Every useful choice of retunes in the gap before a way is played, as rows of instrument states."""
    (
        opt_state, opt_cost, opt_need, combo_state, combo_cost, combo_extra, early_state, early_cost, early_count,
    ) = out  # fmt: skip
    words, insts = i0(t, WORDS), i0(t, INSTS)
    i = i1(t, WAY_INST, w)
    word = key[words + 1 + i]
    fixed = 0.0
    if not at_start and i1(t, SIG_INST, sig) != i and i1(t, SIG_INST, sig) >= 0:
        fixed += f2(t, COST, i, SWAP_S)
    capo = capo_of(t, i, word)
    if capo != FREE_CAPO and capo != i1(t, WAY_CAPO, w):
        fixed += f2(t, COST, i, CAPO_S)
    incomplete = False
    cover = 0.0 if at_start else f1(t, SIG_COVER, sig)
    made = retunes(
        t, i, word, i1(t, WAY_DEMAND, w), left, 0 if at_start else extras, opt_state, opt_cost, opt_need,
        np.int64(0),
    )  # fmt: skip
    if made < 0:
        made, incomplete = -made, True
    spread = i0(t, TECH) or f0(t, MAX_DEAD) < np.inf
    total = 0
    for k in range(made):
        # only strings the song does not need: worth moving now only while talk covers some of it
        if opt_need[k] == 0 and opt_cost[k] > 0 and not spread and fixed >= cover - EPS:
            continue
        for j in range(insts):
            combo_state[total, j] = key[words + 1 + j]
        combo_state[total, i] = opt_state[k]
        combo_cost[total] = fixed + opt_cost[k]
        combo_extra[total] = opt_cost[k] if opt_need[k] == 0 else 0.0
        total += 1
    if at_start:
        return total, incomplete
    for j in range(insts):
        if j == i or not meets(t, at1(t, INST_MASK, j), left):
            continue
        if not spread and fixed >= cover - EPS:
            continue
        if early_count[j] == NOT_KNOWN:
            _early_of_state(t, key, j, extras, out)
        options = early_count[j]
        if options < 0:
            options, incomplete = -options, True
        end = total
        for m in range(end):
            if not spread and combo_cost[m] >= cover - EPS:
                continue
            for k in range(1, options):
                work = combo_cost[m] + early_cost[j, k]
                least = early_cost[j, k] if combo_extra[m] == 0 else min(combo_extra[m], early_cost[j, k])
                if not spread and work - least >= cover - EPS:
                    continue
                if work - cover > f0(t, MAX_DEAD) + EPS:
                    continue
                if total >= MOST_OPTIONS - 1:
                    return total, True
                for q in range(insts):
                    combo_state[total, q] = combo_state[m, q]
                combo_state[total, j] = early_state[j, k]
                combo_cost[total] = work
                combo_extra[total] = least
                total += 1
    return total, incomplete


@jit
def _early_of_state(t, key, j, extras, out):
    """Keeps the early work on instrument j that a state allows, whatever is played next."""
    opt_state, opt_cost, opt_need = out[0], out[1], out[2]
    early_state, early_cost, early_count = out[6], out[7], out[8]
    words = i0(t, WORDS)
    left = np.empty(words, np.uint64)
    for w in range(words):
        left[w] = ~key[w]
    early_count[j] = early(t, j, key[words + 1 + j], left, extras, opt_state, opt_cost, opt_need)
    for k in range(abs(early_count[j])):
        early_state[j, k], early_cost[j, k] = opt_state[k], opt_cost[k]


@jit
def _finish(t, key, place, v, w, m, total, left, extras, out, store, count):
    """Plays the song after gap choice m, lets the technician work, and writes the successors."""
    keys, costs_so_far, ways, gap_states, idle_states = store
    combo_state = out[3]
    words, insts = i0(t, WORDS), i0(t, INSTS)
    i = i1(t, WAY_INST, w)
    first = count
    if count >= len(ways) - 1:
        return count, True
    for q in range(insts):
        gap_states[count, q] = combo_state[m, q]
        idle_states[count, q] = combo_state[m, q]
    idle_states[count, i] = play(t, i, combo_state[m, i], i1(t, WAY_DEMAND, w), i1(t, WAY_CAPO, w))
    ways[count] = w
    costs_so_far[count] = total
    count += 1
    incomplete = False
    if i0(t, TECH) and not i1(t, LAST_IN_PART, place):
        count, incomplete = _technician(t, v, i, left, extras, out, store, first, count)
    for k in range(first, count):
        for q in range(words):
            keys[k, q] = key[q]
        keys[k, v >> 6] |= ONE << np.uint64(v & 63)
        if i1(t, LAST_IN_PART, place):
            keys[k, words] = ZERO
            for q in range(insts):
                keys[k, words + 1 + q] = m1(t, BLANK, q)
        else:
            keys[k, words] = np.uint64(i1(t, WAY_SIG, w))
            for q in range(insts):
                keys[k, words + 1 + q] = project_state(t, q, idle_states[k, q], left)
    return count, incomplete


@jit
def _technician(t, v, i, left, extras, out, store, first, count):
    """Adds the choices of idle work during song v on all instruments but i, within its length."""
    _keys, costs_so_far, ways, gap_states, idle_states = store
    opt_state, opt_cost, opt_need = out[0], out[1], out[2]
    insts = i0(t, INSTS)
    incomplete = False
    spent = np.zeros(MOST_OPTIONS)
    for j in range(insts):
        if j == i or not meets(t, at1(t, INST_MASK, j), left):
            continue
        options = early(t, j, idle_states[first, j], left, extras, opt_state, opt_cost, opt_need)
        if options < 0:
            options, incomplete = -options, True
        end = count
        for m in range(first, end):
            for k in range(1, options):
                work = spent[m - first] + opt_cost[k]
                if work > f1(t, LENGTH, v) + EPS:
                    continue
                if count >= len(ways) - 1 or count - first >= MOST_OPTIONS:
                    return count, True
                for q in range(insts):
                    gap_states[count, q] = gap_states[m, q]
                    idle_states[count, q] = idle_states[m, q]
                idle_states[count, j] = opt_state[k]
                ways[count] = ways[m]
                costs_so_far[count] = costs_so_far[m]
                spent[count - first] = work
                count += 1
    return count, incomplete
