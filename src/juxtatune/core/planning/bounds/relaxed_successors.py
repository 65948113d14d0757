"""What can follow a state of a relaxed night, compiled.

A relaxed night (see relax.py) has songs that may be played again and again, and it lets work be done in ways that
cost no more than the true ones:

- no rule says when a string may be moved again, or that a retuned instrument must be ready;
- a retune may wait until the song that needs it: with a swap in the same gap, each of the two hides the usual
  cover as if it had a gap of its own; where spreading a retune over gaps costs less than a usual cover hides,
  every string hides one;
- strings moved along with a retune are chosen when they are next wanted, for their own seconds; where talk is left
  over in the gap, for no more than the cheapest of them costs;
- a technician leaves idle instruments wherever they will be wanted.
"""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.model.access import (
    CAPO_S,
    EPS,
    NO,
    ONE,
    SWAP_S,
    YES,
    ZERO,
    at1,
    at3,
    capo_of,
    f0,
    f1,
    f2,
    handling_cost,
    has,
    has_at,
    i0,
    i1,
    i2,
    jit,
    locked,
    m1,
    meets,
    pitch_of,
    put,
    string_cost,
)
from juxtatune.core.planning.model.fields import (
    ALLOWED,
    BLANK,
    COST,
    CURVE,
    CURVE_WEIGHT,
    DEMAND_INST,
    DEMAND_MASK,
    DEMAND_PITCH,
    DEMANDS,
    ENERGY,
    FOLLOWS,
    INST_MASK,
    INSTS,
    LAST_IN_PART,
    PITCH_COUNT,
    PITCH_MASK,
    READY_BIT,
    REPEAT,
    REPEAT_COVER,
    SIG_APART,
    SIG_COVER,
    SIG_INST,
    SIG_NEXT,
    STRINGS,
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
from juxtatune.core.planning.model.transitions import play, project_state

PENDING = 1  # mark: moved along with an earlier retune, to wherever it is wanted next


MOST_CHOICES = 1 << 15
MOST_READY = 8


@jit
def loose_scratch(insts, strings):
    """Scratch: states, cost and work of the gap's choices; states, work and charges of one instrument's.

    And the pitches of every string that songs left want, as bits.
    """
    return (
        np.empty((MOST_CHOICES, insts), np.uint64), np.empty(MOST_CHOICES), np.empty(MOST_CHOICES),
        np.empty(MOST_READY, np.uint64), np.empty(MOST_READY), np.empty(MOST_READY),
        np.empty((insts, strings), np.uint64),
    )  # fmt: skip


@jit
def loose_store(columns):
    return (
        np.empty((MOST_CHOICES, columns), np.uint64),
        np.empty(MOST_CHOICES),
        np.empty(MOST_CHOICES, np.int64),
    )


@jit
def loose_successors(t, pred, key, g, place, limit, out, store):
    """Everything that can follow a state at a place of a relaxed night. Returns how many (-1: more than fit).

    `store` is (keys, g, way); `out` is scratch (see loose_scratch).
    """
    words = i0(t, WORDS)
    sig = np.int64(key[words])
    must = -1 if sig == 0 else i1(t, SIG_NEXT, sig)
    left = np.empty(words, np.uint64)
    for w in range(words):
        left[w] = ~key[w]
    _wanted(t, left, out[6])
    count = np.int64(0)
    for v in range(i0(t, N)):
        if (
            has(key, v)
            or not has_at(t, at1(t, ALLOWED, place), v)
            or not _may_follow(t, pred, key, sig, must, v)
        ):
            continue
        for w in range(words):
            left[w] = ~key[w]
        if not has_at(t, at1(t, REPEAT, 0), v):
            left[v >> 6] &= ~(ONE << np.uint64(v & 63))
        for w in range(i1(t, WAY_START, v), i1(t, WAY_START, v + 1)):
            count = _follow(t, key, g, place, limit, sig, v, w, left, out, store, count)
            if count < 0:
                return count
    return count


@jit
def _may_follow(t, pred, key, sig, must, v):
    if (must >= 0 and v != must) or (i1(t, FOLLOWS, v) >= 0 and must != v):
        return False
    if sig != 0 and has_at(t, at1(t, SIG_APART, sig), v):
        return False
    for w in range(i0(t, WORDS)):
        if pred[v, w] & ~key[w] != ZERO:
            return False
    return True


@jit
def _follow(t, key, g, place, limit, sig, v, w, left, out, store, count):
    """Writes the successors by one way of a song from `count` on."""
    combo, cost = out[0], out[1]
    keys, costs, ways = store
    words, insts = i0(t, WORDS), i0(t, INSTS)
    i = i1(t, WAY_INST, w)
    away = f0(t, CURVE_WEIGHT) * abs(f1(t, ENERGY, v) - f1(t, CURVE, place))
    made = _choices(t, key, sig, w, left, out)
    if made < 0:
        return -1
    for m in range(made):
        total = g + cost[m] + f1(t, WAY_COMP, w) + away
        if total >= limit:
            continue
        if count == len(ways):
            return -1
        for q in range(words):
            keys[count, q] = key[q]
        if not has_at(t, at1(t, REPEAT, 0), v):
            keys[count, v >> 6] |= ONE << np.uint64(v & 63)
        last = i1(t, LAST_IN_PART, place)
        keys[count, words] = ZERO if last else np.uint64(i1(t, WAY_SIG, w))
        for q in range(insts):
            word = combo[m, q]
            if q == i:
                word = play(t, i, word, i1(t, WAY_DEMAND, w), i1(t, WAY_CAPO, w))
            elif i0(t, TECH):
                word = _anywhere(t, q, word)
            keys[count, words + 1 + q] = m1(t, BLANK, q) if last else project_state(t, q, word, left)
        costs[count], ways[count] = total, w
        count += 1
    return count


@jit
def _anywhere(t, i, word):
    """The instrument with no string decided, its capo where it is."""
    capo = np.uint64(capo_of(t, i, word))
    at = np.uint64(i1(t, READY_BIT, i) + 1)
    return (m1(t, BLANK, i) & ~(np.uint64(FREE_CAPO) << at)) | (capo << at)


@jit
def _choices(t, key, sig, w, left, out):
    """The useful choices of work in the gap before a way is played, with what each costs."""
    combo, cost, spent, states, works, charges, wanted = out
    words, insts = i0(t, WORDS), i0(t, INSTS)
    i, c = i1(t, WAY_INST, w), i1(t, WAY_DEMAND, w)
    word = key[words + 1 + i]
    fixed = 0.0
    if sig != 0 and i1(t, SIG_INST, sig) != i and i1(t, SIG_INST, sig) >= 0:
        fixed += f2(t, COST, i, SWAP_S)
    capo = capo_of(t, i, word)
    if capo != FREE_CAPO and capo != i1(t, WAY_CAPO, w):
        fixed += f2(t, COST, i, CAPO_S)
    cover = 0.0 if sig == 0 else f1(t, SIG_COVER, sig)
    usual = f0(t, REPEAT_COVER)
    made = _ready(t, i, word, c, wanted, cover - fixed if cover > usual else -1.0, NO, states, works, charges)
    for k in range(made):
        for q in range(insts):
            combo[k, q] = key[words + 1 + q]
        combo[k, i] = states[k]
        spent[k] = fixed + works[k]
        hidden = min(cover, spent[k])
        if fixed > 0 and works[k] > 0:
            hidden = max(
                hidden, min(cover, fixed) + min(usual, works[k]), min(cover, works[k]) + min(usual, fixed)
            )
        cost[k] = spent[k] - hidden + WORK_WEIGHT * spent[k] + charges[k]
    if sig == 0 or cover <= usual:
        return made
    for j in range(insts):
        if j == i or not meets(t, at1(t, INST_MASK, j), left):
            continue
        end = made
        for k in range(end):
            if spent[k] >= cover - EPS:
                continue
            for other in range(i0(t, DEMANDS)):
                if i1(t, DEMAND_INST, other) != j or not meets(t, at1(t, DEMAND_MASK, other), left):
                    continue
                options = _ready(
                    t, j, combo[k, j], other, wanted, cover - spent[k], YES, states, works, charges
                )
                for m in range(options):
                    if works[m] <= 0 or charges[m] > 0:
                        continue
                    if made == len(cost):
                        return -1
                    for q in range(insts):
                        combo[made, q] = combo[k, q]
                    combo[made, j] = states[m]
                    spent[made] = spent[k] + works[m]
                    over = max(0.0, spent[made] - cover) - max(0.0, spent[k] - cover)
                    cost[made] = cost[k] + over + WORK_WEIGHT * works[m]
                    made += 1
    return made


@jit
def _ready(t, i, word, c, wanted, slack, early, states, works, charges):
    """Ways to make an instrument ready for class c: states, work in this gap, and seconds charged beside it.

    `early`, while another is played next, the strings that move along cost nothing: fewer ways to tell apart.
    """
    strings = i1(t, STRINGS, i)
    again = handling_cost(t, i)
    usual = f0(t, REPEAT_COVER)
    apart = again < usual  # every string gains by a gap of its own
    required, owed, count, fresh = 0.0, 0.0, 0, 0
    state = word
    for s in range(strings):
        want = i2(t, DEMAND_PITCH, c, s)
        have = pitch_of(t, i, s, word)
        if want < 0 or have < 0 or have == want:
            continue
        move = string_cost(t, i, s, have, want)
        required += max(0.0, again + move - usual) if apart else move
        owed += move
        if not locked(t, i, s, word):
            fresh += 1
        state = put(t, i, s, state, want, 0)
        count += 1
    made = 0
    if count == 0:
        states[0], works[0], charges[0] = word, 0.0, 0.0
        made = 1
    elif apart:
        states[0], works[0], charges[0] = state, required, 0.0
        made = 1
    else:
        if fresh == 0:
            states[made], works[made], charges[made] = state, 0.0, (1 + WORK_WEIGHT) * owed
            made += 1
        states[made], works[made], charges[made] = _pend(t, i, c, wanted, state), again + required, 0.0
        made += 1
    if slack > (0.0 if apart else again + required) + EPS:
        loose, least = _loosened(t, i, c, wanted, word, state)
        if least < np.inf and early and count > 0:
            states[made - 1] = loose
        elif least < np.inf:
            states[made], charges[made] = loose, 0.0
            works[made] = required + (max(0.0, again + least - usual) if apart else again + least)
            made += 1
    return made


@jit
def _pend(t, i, c, wanted, state):
    """Strings that class c leaves alone may move along, when they are next wanted."""
    for s in range(i1(t, STRINGS, i)):
        have = pitch_of(t, i, s, state)
        if i2(t, DEMAND_PITCH, c, s) < 0 and have >= 0 and wanted[i, s] & ~(ONE << np.uint64(have)) != ZERO:
            state = put(t, i, s, state, have, PENDING)
    return state


@jit
def _loosened(t, i, c, wanted, word, state):
    """The strings that class c leaves alone not decided, and the least seconds of moving one of them."""
    least = np.inf
    for s in range(i1(t, STRINGS, i)):
        have = pitch_of(t, i, s, word)
        if i2(t, DEMAND_PITCH, c, s) >= 0 or have < 0:
            continue
        for b in range(i2(t, PITCH_COUNT, i, s)):
            if b != have and (wanted[i, s] >> np.uint64(b)) & ONE != ZERO:
                least = min(least, string_cost(t, i, s, have, b))
                state = put(t, i, s, state, -1, 0)
    return state, least


@jit
def _wanted(t, left, wanted):
    for i in range(i0(t, INSTS)):
        for s in range(i1(t, STRINGS, i)):
            wanted[i, s] = ZERO
            for b in range(i2(t, PITCH_COUNT, i, s)):
                if meets(t, at3(t, PITCH_MASK, i, s, b), left):
                    wanted[i, s] |= ONE << np.uint64(b)
