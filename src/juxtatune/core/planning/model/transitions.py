"""Compiled: what retuning one instrument can do and what it costs; its state once it is played."""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.model.access import (
    EPS,
    ONE,
    ZERO,
    at1,
    at2,
    at3,
    handling_cost,
    i0,
    i1,
    i2,
    jit,
    late,
    locked,
    m1,
    meets,
    pitch_of,
    put,
    string_cost,
)
from juxtatune.core.planning.model.fields import (
    BLANK,
    DEMAND_INST,
    DEMAND_MASK,
    DEMAND_PITCH,
    DEMANDS,
    INST_MASK,
    PITCH_COUNT,
    PITCH_MASK,
    READY_BIT,
    STRINGS,
    USE_MASK,
)
from juxtatune.core.planning.model.tables import FREE_CAPO

MOST_EXTRAS = 4096
MOST_OPTIONS = 1 << 15


@jit
def retunes(t, i, word, c, left, extras, states, costs, needs, count):
    """Ways to make instrument i ready for class c, written from `count` on. Returns the new count.

    Each moves the strings the class needs (none when already at pitch) and perhaps others that a song
    still to come will use. `extras`: 0 none, 1 all towards one other class, 2 every choice.
    `needs[k]` is 1 when the retune holds a string the class itself needs.
    """
    strings = i1(t, STRINGS, i)
    ready = (word >> np.uint64(i1(t, READY_BIT, i))) & ONE != ZERO
    base = handling_cost(t, i)
    required = 0.0
    moved = word
    for s in range(strings):
        want = i2(t, DEMAND_PITCH, c, s)
        if want < 0:
            continue
        have = pitch_of(t, i, s, word)
        if have >= 0 and late(t, i, s, word):
            return count
        if have < 0 or have == want:
            continue
        if ready or locked(t, i, s, word):
            return count
        required += string_cost(t, i, s, have, want)
        moved = put(t, i, s, moved, want, 1)
    any_moved = moved != word
    moved |= ONE << np.uint64(i1(t, READY_BIT, i))
    # once made ready, a string moved after that must not be one the next song uses
    marks = 3 if ready else 1
    if count >= MOST_OPTIONS - MOST_EXTRAS - 8:
        return -count
    states[count] = moved if any_moved else word
    costs[count] = base + required if any_moved else 0.0
    needs[count] = 1 if any_moved else 0
    first = count
    count += 1
    if extras == 0:
        return count
    if extras == 1:
        return _towards(
            t, i, word, c, left, moved, base + required, any_moved, marks, states, costs, needs, count
        )
    for s in range(strings):
        if i2(t, DEMAND_PITCH, c, s) >= 0 or locked(t, i, s, word):
            continue
        have = pitch_of(t, i, s, word)
        if have < 0:
            continue
        end = count
        for b in range(i2(t, PITCH_COUNT, i, s)):
            if b == have or not meets(t, at3(t, PITCH_MASK, i, s, b), left):
                continue
            more = string_cost(t, i, s, have, b)
            for k in range(first, end):
                if count - first >= MOST_EXTRAS:
                    return -count
                plain = k == first
                source = moved if plain else states[k]
                states[count] = put(t, i, s, source, b, marks)
                costs[count] = (base + required if plain else costs[k]) + more
                needs[count] = needs[first]
                count += 1
    return count


@jit
def _towards(t, i, word, c, left, moved, cost, any_moved, marks, states, costs, needs, count):
    for other in range(i0(t, DEMANDS)):
        if i1(t, DEMAND_INST, other) != i or other == c or not meets(t, at1(t, DEMAND_MASK, other), left):
            continue
        state, total, some = moved, cost, False
        for s in range(i1(t, STRINGS, i)):
            want = i2(t, DEMAND_PITCH, other, s)
            have = pitch_of(t, i, s, word)
            if want < 0 or i2(t, DEMAND_PITCH, c, s) >= 0 or have < 0 or have == want or locked(t, i, s, word):
                continue
            total += string_cost(t, i, s, have, want)
            state = put(t, i, s, state, want, marks)
            some = True
        if some:
            states[count], costs[count], needs[count] = state, total, 1 if any_moved else 0
            count += 1
    return count


@jit
def early(t, i, word, left, extras, states, costs, needs):
    """Ways to retune instrument i while it is not played next. Slot 0: leave it. Negative: too many."""
    states[0], costs[0], needs[0] = word, 0.0, 0
    count = np.int64(1)
    incomplete = False
    for c in range(i0(t, DEMANDS)):
        if i1(t, DEMAND_INST, c) != i or not meets(t, at1(t, DEMAND_MASK, c), left):
            continue
        start = count
        count = retunes(t, i, word, c, left, extras, states, costs, needs, count)
        if count < 0:
            count, incomplete = -count, True
        # the plain "already ready" entry is the same as leaving it
        if count > start and costs[start] == 0.0:
            count -= 1
            states[start], costs[start], needs[start] = states[count], costs[count], needs[count]
    end = 1
    for k in range(1, count):
        same = False
        for m in range(1, end if count < 300 else 1):
            if states[m] == states[k] and abs(costs[m] - costs[k]) < EPS:
                same = True
                break
        if not same:
            states[end], costs[end], needs[end] = states[k], costs[k], needs[k]
            end += 1
    return -end if incomplete else end


@jit
def play(t, i, word, c, capo):
    """The instrument's state once a song of class c is played on it."""
    for s in range(i1(t, STRINGS, i)):
        want = i2(t, DEMAND_PITCH, c, s)
        if want >= 0:
            word = put(t, i, s, word, want, 0)
        elif late(t, i, s, word):
            word = put(t, i, s, word, pitch_of(t, i, s, word), 1)
    word &= ~(ONE << np.uint64(i1(t, READY_BIT, i)))
    at = np.uint64(i1(t, READY_BIT, i) + 1)
    return (word & ~(np.uint64(FREE_CAPO) << at)) | (np.uint64(capo) << at)


@jit
def project_state(t, i, word, left):
    """Forgets what no song still to come can feel, so that alike states meet."""
    if not meets(t, at1(t, INST_MASK, i), left):
        return m1(t, BLANK, i)
    for s in range(i1(t, STRINGS, i)):
        if not meets(t, at2(t, USE_MASK, i, s), left):
            word = put(t, i, s, word, -1, 0)
    return word
