"""The compiled heart of the search: what can follow a state, and what it costs.

A state's key is a row of 64-bit words: the songs played, the signature of the song just played, and
one word for each instrument (see compiled.py). Everything here is plain loops over those words.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.planning.compiled import FREE_CAPO, Tables

_jit = nb.njit(cache=True, nogil=True)
_FIELDS = Tables._fields
(
    ALLOWED,
    BLANK,
    BY_COVER,
    BY_ENERGY,
    CLASSES,
    CLASS_INST,
    CLASS_MASK,
    CLASS_PITCH,
    COST,
    COVER,
    CURVE,
    CURVE_SORTED,
    CURVE_WEIGHT,
    ENERGY,
    EVENT,
    FOLLOWS,
    INSTS,
    INST_MASK,
    LAST_IN_PART,
    LEAST_COMP,
    LENGTH,
    MAX_DEAD,
    N,
    OFFSET,
    PARTS_LEFT,
    PITCH,
    PITCH_COUNT,
    PITCH_MASK,
    READY_BIT,
    SIG_APART,
    SIG_COVER,
    SIG_INST,
    SIG_NEXT,
    SINGLE_CLASS,
    SOLE_MASK,
    STRINGS,
    TECH,
    USE_MASK,
    WAY_CAPO,
    WAY_CLASS,
    WAY_COMP,
    WAY_INST,
    WAY_SIG,
    WAY_START,
    WIDTH,
    WORDS,
) = (
    _FIELDS.index(name)
    for name in (
        "allowed",
        "blank",
        "by_cover",
        "by_energy",
        "classes",
        "class_inst",
        "class_mask",
        "class_pitch",
        "cost",
        "cover",
        "curve",
        "curve_sorted",
        "curve_weight",
        "energy",
        "event",
        "follows",
        "insts",
        "inst_mask",
        "last_in_part",
        "least_comp",
        "length",
        "max_dead",
        "n",
        "offset",
        "parts_left",
        "pitch",
        "pitch_count",
        "pitch_mask",
        "ready_bit",
        "sig_apart",
        "sig_cover",
        "sig_inst",
        "sig_next",
        "single_class",
        "sole_mask",
        "strings",
        "tech",
        "use_mask",
        "way_capo",
        "way_class",
        "way_comp",
        "way_inst",
        "way_sig",
        "way_start",
        "width",
        "words",
    )
)
ONE = np.uint64(1)
ZERO = np.uint64(0)
EPS = 1e-9
MOST_EXTRAS = 4096
MOST_OPTIONS = 1 << 15


# Readers of the packed tables: i for whole numbers, f for seconds and pitches, m for masks; at1 to at3
# give the place of a mask's first word.
@_jit
def i0(t, field):
    return t.ints[t.ints[4 * field]]


@_jit
def i1(t, field, a):
    return t.ints[t.ints[4 * field] + a * t.ints[4 * field + 1]]


@_jit
def i2(t, field, a, b):
    return t.ints[t.ints[4 * field] + a * t.ints[4 * field + 1] + b]


@_jit
def f0(t, field):
    return t.floats[t.ints[4 * field]]


@_jit
def f1(t, field, a):
    return t.floats[t.ints[4 * field] + a]


@_jit
def f2(t, field, a, b):
    return t.floats[t.ints[4 * field] + a * t.ints[4 * field + 1] + b]


@_jit
def f3(t, field, a, b, c):
    return t.floats[t.ints[4 * field] + a * t.ints[4 * field + 1] + b * t.ints[4 * field + 2] + c]


@_jit
def m1(t, field, a):
    return t.masks[t.ints[4 * field] + a]


@_jit
def at1(t, field, a):
    return t.ints[4 * field] + a * t.ints[4 * field + 1]


@_jit
def at2(t, field, a, b):
    return at1(t, field, a) + b * t.ints[4 * field + 2]


@_jit
def at3(t, field, a, b, c):
    return at2(t, field, a, b) + c * t.ints[4 * field + 3]


@_jit
def _bit(mask, v):
    return (mask[v >> 6] >> np.uint64(v & 63)) & ONE != ZERO


@_jit
def _bit_at(t, at, v):
    return (t.masks[at + (v >> 6)] >> np.uint64(v & 63)) & ONE != ZERO


@_jit
def _meets(t, at, left):
    """True when the mask stored at a place shares a song with `left`."""
    for w in range(i0(t, WORDS)):
        if t.masks[at + w] & left[w] != ZERO:
            return True
    return False


@_jit
def _get(t, i, s, word):
    """Pitch index of a string, -1 when not decided."""
    width = np.uint64(i2(t, WIDTH, i, s))
    top = (ONE << width) - ONE
    value = (word >> np.uint64(i2(t, OFFSET, i, s))) & top
    return -1 if value == top else np.int64(value)


@_jit
def _locked(t, i, s, word):
    return (word >> np.uint64(i2(t, OFFSET, i, s) + i2(t, WIDTH, i, s))) & ONE != ZERO


@_jit
def _late(t, i, s, word):
    return (word >> np.uint64(i2(t, OFFSET, i, s) + i2(t, WIDTH, i, s) + 1)) & ONE != ZERO


@_jit
def _put(t, i, s, word, value, marks):
    """The state with one string's pitch index (-1: not decided) and marks (1 moved, 2 moved late) set."""
    width = np.uint64(i2(t, WIDTH, i, s))
    top = (ONE << width) - ONE
    field = (ONE << (width + ONE + ONE)) - ONE
    at = np.uint64(i2(t, OFFSET, i, s))
    index = top if value < 0 else np.uint64(value)
    index |= np.uint64(marks) << width
    return (word & ~(field << at)) | (index << at)


@_jit
def _capo(t, i, word):
    return np.int64((word >> np.uint64(i1(t, READY_BIT, i) + 1)) & np.uint64(FREE_CAPO))


@_jit
def _string_cost(t, i, s, a, b):
    move = abs(f3(t, PITCH, i, s, b) - f3(t, PITCH, i, s, a))
    return f2(t, COST, i, 4) * (f2(t, COST, i, 1) + f2(t, COST, i, 2) * move)


@_jit
def _retunes(t, i, word, c, left, extras, states, costs, needs, count):
    """Ways to make instrument i ready for class c, written from `count` on. Returns the new count.

    Each moves the strings the class needs (none when already at pitch) and perhaps others that a song
    still to come will use. `extras`: 0 none, 1 all towards one other class, 2 every choice.
    `needs[k]` is 1 when the retune holds a string the class itself needs.
    """
    strings = i1(t, STRINGS, i)
    ready = (word >> np.uint64(i1(t, READY_BIT, i))) & ONE != ZERO
    base = f2(t, COST, i, 0) + f2(t, COST, i, 3) * strings
    required = 0.0
    moved = word
    any_moved = False
    for s in range(strings):
        want = i2(t, CLASS_PITCH, c, s)
        if want < 0:
            continue
        have = _get(t, i, s, word)
        if have >= 0 and _late(t, i, s, word):
            return count
        if have < 0 or have == want:
            continue
        if ready or _locked(t, i, s, word):
            return count
        required += _string_cost(t, i, s, have, want)
        moved = _put(t, i, s, moved, want, 1)
        any_moved = True
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
        if i2(t, CLASS_PITCH, c, s) >= 0 or _locked(t, i, s, word):
            continue
        have = _get(t, i, s, word)
        if have < 0:
            continue
        end = count
        for b in range(i2(t, PITCH_COUNT, i, s)):
            if b == have or not _meets(t, at3(t, PITCH_MASK, i, s, b), left):
                continue
            more = _string_cost(t, i, s, have, b)
            for k in range(first, end):
                if count - first >= MOST_EXTRAS:
                    return -count
                plain = k == first
                source = moved if plain else states[k]
                states[count] = _put(t, i, s, source, b, marks)
                costs[count] = (base + required if plain else costs[k]) + more
                needs[count] = needs[first]
                count += 1
    return count


@_jit
def _towards(t, i, word, c, left, moved, cost, any_moved, marks, states, costs, needs, count):
    for other in range(i0(t, CLASSES)):
        if i1(t, CLASS_INST, other) != i or other == c or not _meets(t, at1(t, CLASS_MASK, other), left):
            continue
        state, total, some = moved, cost, False
        for s in range(i1(t, STRINGS, i)):
            want = i2(t, CLASS_PITCH, other, s)
            have = _get(t, i, s, word)
            if (
                want < 0
                or i2(t, CLASS_PITCH, c, s) >= 0
                or have < 0
                or have == want
                or _locked(t, i, s, word)
            ):
                continue
            total += _string_cost(t, i, s, have, want)
            state = _put(t, i, s, state, want, marks)
            some = True
        if some:
            states[count], costs[count], needs[count] = state, total, 1 if any_moved else 0
            count += 1
    return count


@_jit
def _early(t, i, word, left, extras, states, costs, needs):
    """Ways to retune instrument i while it is not played next. Slot 0: leave it. Negative: too many."""
    states[0], costs[0], needs[0] = word, 0.0, 0
    count = 1
    lossy = False
    for c in range(i0(t, CLASSES)):
        if i1(t, CLASS_INST, c) != i or not _meets(t, at1(t, CLASS_MASK, c), left):
            continue
        start = count
        count = _retunes(t, i, word, c, left, extras, states, costs, needs, count)
        if count < 0:
            count, lossy = -count, True
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
    return -end if lossy else end


@_jit
def _play(t, i, word, c, capo):
    """The instrument's state once a song of class c is played on it."""
    for s in range(i1(t, STRINGS, i)):
        want = i2(t, CLASS_PITCH, c, s)
        if want >= 0:
            word = _put(t, i, s, word, want, 0)
        elif _late(t, i, s, word):
            word = _put(t, i, s, word, _get(t, i, s, word), 1)
    word &= ~(ONE << np.uint64(i1(t, READY_BIT, i)))
    at = np.uint64(i1(t, READY_BIT, i) + 1)
    return (word & ~(np.uint64(FREE_CAPO) << at)) | (np.uint64(capo) << at)


@_jit
def _settle(t, i, word, left):
    """Forgets what no song still to come can feel, so that alike states meet."""
    if not _meets(t, at1(t, INST_MASK, i), left):
        return m1(t, BLANK, i)
    for s in range(i1(t, STRINGS, i)):
        if not _meets(t, at2(t, USE_MASK, i, s), left):
            word = _put(t, i, s, word, -1, 0)
    return word


@_jit
def events_ahead(t, key, left, at_start, parts_left, events):
    """Fills `events` with least seconds of swaps and retunes that the songs left must cost. Returns how many.

    Swaps: every instrument that some song cannot do without must be picked up. Retunes: a string that
    must sound at d pitches moves at least d - 1 times, less one for every free start still to come.
    """
    count = 0
    insts = i0(t, INSTS)
    hand = -1 if at_start else i1(t, SIG_INST, np.int64(key[i0(t, WORDS)]))
    first = count
    for i in range(insts):
        if i != hand and _meets(t, at1(t, SOLE_MASK, i), left):
            events[count] = f2(t, COST, i, 5)
            count += 1
    free = parts_left - 1 + (1 if at_start or hand < 0 else 0)
    if free > 0:
        events[first:count].sort()
        count = max(first, count - free)
    if i0(t, TECH) and insts > 1:
        return count
    for i in range(insts):
        most = 0
        for s in range(i1(t, STRINGS, i)):
            distinct = 0
            have = _get(t, i, s, key[i0(t, WORDS) + 1 + i])
            for b in range(i2(t, PITCH_COUNT, i, s)):
                if b != have and _needed(t, i, s, b, left):
                    distinct += 1
            if have < 0:
                distinct -= 1
            most = max(most, distinct - (parts_left - 1))
        for _ in range(most):
            if count < len(events):
                events[count] = f1(t, EVENT, i)
                count += 1
    return count


@_jit
def _needed(t, i, s, b, left):
    """True when a song left has no choice but to want string s of instrument i at pitch b."""
    for w in range(i0(t, WORDS)):
        word = t.masks[at3(t, PITCH_MASK, i, s, b) + w] & left[w]
        while word != ZERO:
            low = word & (~word + ONE)
            v = w << 6
            bit = low
            while bit > ONE:
                bit >>= ONE
                v += 1
            c = i1(t, SINGLE_CLASS, v)
            if c >= 0 and i1(t, CLASS_INST, c) == i and i2(t, CLASS_PITCH, c, s) == b:
                return True
            word ^= low
    return False


@_jit
def bound_ahead(t, key, place, left, events):
    """A lower bound of what is still to be paid from a state on."""
    total = 0.0
    for v in range(i0(t, N)):
        if _bit(left, v):
            total += f1(t, LEAST_COMP, v)
    if f0(t, CURVE_WEIGHT) > 0:
        k = 0
        away = 0.0
        for j in range(i0(t, N)):
            v = i1(t, BY_ENERGY, j)
            if _bit(left, v):
                away += abs(f1(t, ENERGY, v) - f2(t, CURVE_SORTED, place, k))
                k += 1
        total += f0(t, CURVE_WEIGHT) * away
    if place >= i0(t, N):
        return total
    sig = np.int64(key[i0(t, WORDS)])
    at_start = sig == 0
    count = events_ahead(t, key, left, at_start, i1(t, PARTS_LEFT, place), events)
    if count == 0:
        return total
    ordered = np.sort(events[:count])
    own = -1.0 if at_start else f1(t, SIG_COVER, sig)
    j = 0
    for e in range(count - 1, -1, -1):
        while j < i0(t, N) and not _bit(left, i1(t, BY_COVER, j)):
            j += 1
        cover = f1(t, COVER, i1(t, BY_COVER, j)) if j < i0(t, N) else 0.0
        if own >= cover:
            cover = own
            own = -1.0
        else:
            j += 1
        total += max(0.0, ordered[e] - cover) + 0.01 * ordered[e]
    return total


@_jit
def guess_ahead(t, key, left):
    """A rough price of the kinds of songs left, for ranking only."""
    total = 0.0
    k = i0(t, INSTS)
    for c in range(i0(t, CLASSES)):
        i = i1(t, CLASS_INST, c)
        if not _meets(t, at1(t, CLASS_MASK, c), left):
            continue
        word = key[i0(t, WORDS) + 1 + i]
        work = 0.0
        for s in range(i1(t, STRINGS, i)):
            want = i2(t, CLASS_PITCH, c, s)
            have = _get(t, i, s, word)
            if want >= 0 and have >= 0 and have != want:
                work += _string_cost(t, i, s, have, want)
        if work > 0:
            total += f2(t, COST, i, 0) + f2(t, COST, i, 3) * i1(t, STRINGS, i) + work
    return total / max(1, k)


@_jit
def successors(t, pred, key, g, place, limit, extras, out, store):
    """Everything that can follow a state at a place. Returns (count, lossy).

    `store` is (keys, g, way, gap, idle): for each successor its key, the cost so far, the way played, and
    the instruments' states after the gap and after the idle work. `out` is scratch.
    """
    _keys, _costs_so_far, _ways, _gap_states, _idle_states = store
    _opt_state, _opt_cost, _opt_need, _combo_state, combo_cost, _combo_extra = out
    words, _insts = i0(t, WORDS), i0(t, INSTS)
    count = 0
    lossy = extras < 2
    sig = np.int64(key[words])
    at_start = sig == 0
    must = -1 if at_start else i1(t, SIG_NEXT, sig)
    left = np.empty(words, np.uint64)
    for v in range(i0(t, N)):
        if _bit(key, v) or not _bit_at(t, at1(t, ALLOWED, place), v):
            continue
        if must >= 0 and v != must:
            continue
        if i1(t, FOLLOWS, v) >= 0 and must != v:
            continue
        if not at_start and _bit_at(t, at1(t, SIG_APART, sig), v):
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
            lossy = lossy or lost
            song_cost = f1(t, WAY_COMP, w) + f0(t, CURVE_WEIGHT) * abs(f1(t, ENERGY, v) - f1(t, CURVE, place))
            cover = 0.0 if at_start else f1(t, SIG_COVER, sig)
            for m in range(made):
                dead = max(0.0, combo_cost[m] - cover)
                if dead > f0(t, MAX_DEAD) + EPS:
                    continue
                total = g + dead + 0.01 * combo_cost[m] + song_cost
                if total >= limit:
                    continue
                count, lost = _finish(t, key, place, v, w, m, total, left, extras, out, store, count)
                lossy = lossy or lost
    return count, lossy


@_jit
def _gap_combos(t, key, at_start, sig, w, left, extras, out):
    """Every useful choice of retunes in the gap before a way is played, as rows of instrument states."""
    opt_state, opt_cost, opt_need, combo_state, combo_cost, combo_extra = out
    words, insts = i0(t, WORDS), i0(t, INSTS)
    i = i1(t, WAY_INST, w)
    word = key[words + 1 + i]
    fixed = 0.0
    if not at_start and i1(t, SIG_INST, sig) != i and i1(t, SIG_INST, sig) >= 0:
        fixed += f2(t, COST, i, 5)
    capo = _capo(t, i, word)
    if capo != FREE_CAPO and capo != i1(t, WAY_CAPO, w):
        fixed += f2(t, COST, i, 6)
    lossy = False
    made = _retunes(
        t, i, word, i1(t, WAY_CLASS, w), left, 0 if at_start else extras, opt_state, opt_cost, opt_need, 0
    )
    if made < 0:
        made, lossy = -made, True
    cover = 0.0 if at_start else f1(t, SIG_COVER, sig)
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
        return total, lossy
    for j in range(insts):
        if j == i or not _meets(t, at1(t, INST_MASK, j), left):
            continue
        if not spread and fixed >= cover - EPS:
            continue
        options = _early(t, j, key[words + 1 + j], left, extras, opt_state, opt_cost, opt_need)
        if options < 0:
            options, lossy = -options, True
        end = total
        for m in range(end):
            if not spread and combo_cost[m] >= cover - EPS:
                continue
            for k in range(1, options):
                work = combo_cost[m] + opt_cost[k]
                least = opt_cost[k] if combo_extra[m] == 0 else min(combo_extra[m], opt_cost[k])
                if not spread and work - least >= cover - EPS:
                    continue
                if work - cover > f0(t, MAX_DEAD) + EPS:
                    continue
                if total >= MOST_OPTIONS - 1:
                    return total, True
                for q in range(insts):
                    combo_state[total, q] = combo_state[m, q]
                combo_state[total, j] = opt_state[k]
                combo_cost[total] = work
                combo_extra[total] = least
                total += 1
    return total, lossy


@_jit
def _finish(t, key, place, v, w, m, total, left, extras, out, store, count):
    """Plays the song after gap choice m, lets the technician work, and writes the successors."""
    keys, costs_so_far, ways, gap_states, idle_states = store
    _opt_state, _opt_cost, _opt_need, combo_state, _combo_cost, _combo_extra = out
    words, insts = i0(t, WORDS), i0(t, INSTS)
    i = i1(t, WAY_INST, w)
    first = count
    if count >= len(ways) - 1:
        return count, True
    for q in range(insts):
        gap_states[count, q] = combo_state[m, q]
        idle_states[count, q] = combo_state[m, q]
    idle_states[count, i] = _play(t, i, combo_state[m, i], i1(t, WAY_CLASS, w), i1(t, WAY_CAPO, w))
    ways[count] = w
    costs_so_far[count] = total
    count += 1
    lossy = False
    if i0(t, TECH) and not i1(t, LAST_IN_PART, place):
        count, lossy = _technician(t, v, i, left, extras, out, store, first, count)
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
                keys[k, words + 1 + q] = _settle(t, q, idle_states[k, q], left)
    return count, lossy


@_jit
def _technician(t, v, i, left, extras, out, store, first, count):
    """Adds the choices of idle work during song v on all instruments but i, within its length."""
    _keys, costs_so_far, ways, gap_states, idle_states = store
    opt_state, opt_cost, opt_need, _combo_state, _combo_cost, _combo_extra = out
    insts = i0(t, INSTS)
    lossy = False
    spent = np.zeros(MOST_OPTIONS)
    for j in range(insts):
        if j == i or not _meets(t, at1(t, INST_MASK, j), left):
            continue
        options = _early(t, j, idle_states[first, j], left, extras, opt_state, opt_cost, opt_need)
        if options < 0:
            options, lossy = -options, True
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
    return count, lossy
