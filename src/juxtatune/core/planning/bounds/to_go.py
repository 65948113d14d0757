"""What a state must still cost at least, compiled; and a rough guess of what it may cost.

Swaps and retunes that cannot be avoided are counted. A gap hides what its cover holds of the work in it, and it
holds at most one swap and one retune of each instrument; how much all covers can hide is bounded by a price for
every piece of work (linear-programming duality).
"""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.model.access import (
    SWAP_S,
    at1,
    f0,
    f1,
    f2,
    handling_cost,
    has,
    i0,
    i1,
    i2,
    jit,
    locked,
    meets,
    pitch_of,
    string_cost,
    width,
)
from juxtatune.core.planning.model.fields import (
    AGAIN,
    BY_COVER,
    BY_ENERGY,
    CLIQUE_DEMAND,
    CLIQUE_FULL,
    CLIQUE_LEAST,
    CLIQUE_START,
    COMP_TOTAL,
    COST,
    COVER,
    CURVE_SORTED,
    CURVE_WEIGHT,
    DEMAND_INST,
    DEMAND_MASK,
    DEMAND_PITCH,
    DEMANDS,
    ENERGY,
    INSTS,
    LEAST_COMP,
    PARTS_LEFT,
    RELAXED,
    REPEAT,
    REPEAT_COVER,
    SIG_COVER,
    SIG_INST,
    SINGLE_MASK,
    SOLE_DEMAND,
    SOLE_MASK,
    STRINGS,
    TECH,
    USUAL_COVER,
    WORDS,
    N,
)
from juxtatune.core.planning.model.objective import WORK_WEIGHT

MOST_EVENTS = 96
MOST_KINDS = 32
REMEMBERED, MOST_REMEMBERED = 512, 16
HASH = np.uint64(0x9E3779B97F4A7C15)


@jit
def bound_scratch(songs, classes, insts, words):
    """Scratch for bound_ahead: events (full, least seconds), kinds' largest (same), covers, spare, classes' reach.

    Sized from the night's own tables: a swap of every instrument and `MOST_EVENTS` retunes, and a clique of all classes.

    And what was found for an instrument's states before: its word, songs left, parts left (-1: nothing yet), count and events.
    """
    return (
        np.empty((2, MOST_EVENTS + insts)), np.empty((2, MOST_KINDS)), np.empty(songs + 2),
        np.empty((2, classes + 1)), np.empty((2, classes)), np.empty((insts, REMEMBERED), np.uint64),
        np.empty((insts, REMEMBERED, words), np.uint64), np.full((insts, REMEMBERED), -1, np.int64),
        np.empty((insts, REMEMBERED), np.int64), np.empty((insts, REMEMBERED, 2, MOST_REMEMBERED)),
    )  # fmt: skip


@jit
def bound_ahead(t, key, place, left, must, room):
    """A lower bound of what is still to be paid from a state on.

    `must` is scratch for the songs left that cannot be played again.
    """
    total = 0.0
    for w in range(i0(t, WORDS)):
        must[w] = left[w] & ~t.masks[at1(t, REPEAT, 0) + w]
    if f0(t, COMP_TOTAL) > 0:
        for v in range(i0(t, N)):
            if has(must, v):
                total += f1(t, LEAST_COMP, v)
    if f0(t, CURVE_WEIGHT) > 0:
        k = 0
        away = 0.0
        for j in range(i0(t, N)):
            v = i1(t, BY_ENERGY, j)
            if has(left, v):
                away += abs(f1(t, ENERGY, v) - f2(t, CURVE_SORTED, place, k))
                k += 1
        total += f0(t, CURVE_WEIGHT) * away
    if place >= i0(t, N):
        return total
    count, kinds = _events_ahead(t, key, must, i1(t, PARTS_LEFT, place), room)
    if count == 0:
        return total
    return total + _uncovered(t, key, left, must, count, kinds, room)


@jit
def _events_ahead(t, key, must, parts_left, room):
    """Fills in the swaps and retunes that the songs left must cost. Returns how many, and of how many kinds.

    Swaps: every instrument that some song cannot do without must be picked up. Retunes: see _arrivals.
    """
    events, kinds = room[0], room[1]
    sig = np.int64(key[i0(t, WORDS)])
    hand = -1 if sig == 0 else i1(t, SIG_INST, sig)
    insts = i0(t, INSTS)
    count = np.int64(0)
    for i in range(insts):
        if i != hand and meets(t, at1(t, SOLE_MASK, i), must):
            events[0, count] = f2(t, COST, i, SWAP_S)
            count += 1
    # a part starts with an instrument in hand for nothing: the dearest
    free = parts_left - 1 + (1 if hand < 0 else 0)
    for _ in range(min(free, count)):
        big = 0
        for k in range(1, count):
            if events[0, k] > events[0, big]:
                big = k
        count -= 1
        events[0, big] = events[0, count]
    made = 0
    if count > 0:
        made = 1
        kinds[0, 0] = 0.0
    for k in range(count):
        events[1, k] = events[0, k]
        kinds[0, 0] = kinds[1, 0] = max(kinds[0, 0], events[0, k])
    if i0(t, TECH) and insts > 1:
        return count, made
    for i in range(min(insts, MOST_KINDS - 1)):
        more = _arrivals(t, i, key[i0(t, WORDS) + 1 + i], must, parts_left, count, room)
        if more > count:
            kinds[0, made] = kinds[1, made] = 0.0
            for k in range(count, more):
                kinds[0, made] = max(kinds[0, made], events[0, k])
                kinds[1, made] = max(kinds[1, made], events[1, k])
            made += 1
            count = more
    for r in range(2):
        _sort_down(kinds[r], made)
    return count, made


@jit
def _sort_down(values, n):
    for a in range(1, n):
        x, b = values[a], a
        while b > 0 and values[b - 1] < x:
            values[b] = values[b - 1]
            b -= 1
        values[b] = x


@jit
def _arrivals(t, i, word, must, parts_left, count, room):
    """Retunes of one instrument that cannot be avoided, written from `count` on. Returns the new count.

    Classes of which every two clash are arrived at one after the other, each by a retune of its own; one may be
    in place already, and one more in every part to come starts free.
    """
    events = room[0]
    words_kept, left_kept, parts_kept, counts, kept = room[5], room[6], room[7], room[8], room[9]
    words = i0(t, WORDS)
    h = word * HASH
    for w in range(words):
        h = (h ^ (must[w] & t.masks[at1(t, SOLE_DEMAND, i) + w])) * HASH
    at = np.int64(h >> np.uint64(40)) & (REMEMBERED - 1)
    same = parts_kept[i, at] == parts_left and words_kept[i, at] == word
    for w in range(words):
        mine = must[w] & t.masks[at1(t, SOLE_DEMAND, i) + w]
        same = same and left_kept[i, at, w] == mine
        left_kept[i, at, w] = mine
    if not same:
        parts_kept[i, at], words_kept[i, at] = parts_left, word
        counts[i, at] = _fresh_arrivals(t, i, word, must, parts_left, room, kept[i, at])
    n = min(counts[i, at], events.shape[1] - count)
    for k in range(n):
        events[0, count + k], events[1, count + k] = kept[i, at, 0, k], kept[i, at, 1, k]
    return count + n


@jit
def _fresh_arrivals(t, i, word, must, parts_left, room, kept):
    """Writes the arrivals into `kept`. Returns how many."""
    spare, reach = room[3], room[4]
    from_here(t, i, word, must, reach)
    best, most = np.int64(-1), 0.0
    for q in range(i1(t, CLIQUE_START, i), i1(t, CLIQUE_START, i + 1)):
        worth, _ = _arrive(t, q, parts_left, reach, spare)
        if worth > most:
            most, best = worth, np.int64(q)
    if best < 0:
        return 0
    _, n = _arrive(t, best, parts_left, reach, spare)
    n = min(n, MOST_REMEMBERED)
    for k in range(n):
        kept[0, k], kept[1, k] = spare[0, k], spare[1, k]
    return n


@jit
def from_here(t, i, word, must, reach):
    """Fills, for every class of an instrument, the seconds to it from a state (whole, and by its cheapest string).

    No song left that wants the class and nothing else: -1. Already in place: 0.
    """
    base = handling_cost(t, i)
    for c in range(i0(t, DEMANDS)):
        if i1(t, DEMAND_INST, c) != i:
            continue
        if not meets(t, at1(t, SINGLE_MASK, c), must):
            reach[0, c] = -1.0
            continue
        work, single, fresh = 0.0, np.inf, True
        for s in range(i1(t, STRINGS, i)):
            want = i2(t, DEMAND_PITCH, c, s)
            if want < 0:
                continue
            have = pitch_of(t, i, s, word)
            if have >= 0 and have != want:
                cost = string_cost(t, i, s, have, want)
                work += cost
                single = min(single, cost)
                # on a relaxed night a marked string moved along with an earlier retune
                fresh = fresh and not (i0(t, RELAXED) and locked(t, i, s, word))
        reach[0, c] = work + base if work > 0 and fresh else work
        reach[1, c] = single + base if fresh else single


@jit
def _arrive(t, q, parts_left, reach, spare):
    """Seconds to arrive at the classes of clique q, and how many arrivals `spare` holds (whole, then least)."""
    n = 0
    total, in_place, place_at = 0.0, -1.0, -1
    for m in range(width(t, CLIQUE_DEMAND)):
        c = i2(t, CLIQUE_DEMAND, q, m)
        if c < 0:
            break
        if reach[0, c] < 0:
            continue
        full, least = f2(t, CLIQUE_FULL, q, m), f2(t, CLIQUE_LEAST, q, m)
        if reach[0, c] > 0:
            full, least = min(full, reach[0, c]), min(least, reach[1, c])
        elif full > in_place:
            in_place, place_at = full, n
        total += full
        spare[0, n], spare[1, n] = full, least
        n += 1
    if place_at >= 0:
        total -= in_place
        n -= 1
        spare[0, place_at], spare[1, place_at] = spare[0, n], spare[1, n]
    for _ in range(min(n, parts_left - 1)):
        big = 0
        for k in range(1, n):
            if spare[0, k] > spare[0, big]:
                big = k
        total -= spare[0, big]
        n -= 1
        spare[0, big], spare[1, big] = spare[0, n], spare[1, n]
    return total, n


@jit
def _uncovered(t, key, left, must, count, kinds_made, room):
    """The least dead air that these events leave, with their share of the work."""
    events, kinds, covers = room[0], room[1], room[2]
    sig = np.int64(key[i0(t, WORDS)])
    own = -1.0 if sig == 0 else f1(t, SIG_COVER, sig)
    n, usual = 0, f0(t, USUAL_COVER)
    for j in range(i0(t, N)):
        v = i1(t, BY_COVER, j)
        # what is no larger than every price gains nothing
        if (
            n >= count
            and covers[count - 1] >= f1(t, COVER, v)
            and f1(t, COVER, v) <= min(usual, f0(t, AGAIN))
        ):
            break
        if not has(left, v):
            continue
        if own >= f1(t, COVER, v):
            covers[n], own = own, -1.0
            n += 1
        covers[n] = f1(t, COVER, v)
        n += 1
    if own >= 0 and (n < count or own > min(usual, f0(t, AGAIN))):
        covers[n] = own
        n += 1
    marginal = covers[count - 1] if count <= n else 0.0
    again, floor = f0(t, AGAIN), f0(t, REPEAT_COVER)
    best = 0.0
    for price in (usual, marginal):
        price = max(price, floor)
        best = max(best, _left_over(events[1], count, kinds[1], kinds_made, covers, n, price))
        # whole retunes may be spread over gaps, which a price up to what that costs allows for
        if floor <= again:
            best = max(best, _left_over(events[0], count, kinds[0], kinds_made, covers, n, min(price, again)))
    for k in range(count):
        best += WORK_WEIGHT * events[0, k]
    return best


@jit
def _left_over(events, count, largest, kinds, covers, n, price):
    """Work beyond what covers can hide, when hiding a piece of work is worth `price` wherever it is alone.

    `largest` of each kind are falling.
    """
    total = 0.0
    for k in range(count):
        total += max(0.0, events[k] - price)
    if total == 0.0:
        return 0.0
    for j in range(n):
        if covers[j] <= price or total <= 0:
            break
        gain, held = 0.0, 0.0
        for k in range(kinds):
            held += largest[k]
            gain = max(gain, min(covers[j], held) - price * (k + 1))
        total -= gain
    return total


@jit
def rough_cost_to_go(t, key, left):
    """A rough price of the kinds of songs left, for ranking only."""
    total = 0.0
    k = i0(t, INSTS)
    for c in range(i0(t, DEMANDS)):
        i = i1(t, DEMAND_INST, c)
        if not meets(t, at1(t, DEMAND_MASK, c), left):
            continue
        word = key[i0(t, WORDS) + 1 + i]
        work = 0.0
        for s in range(i1(t, STRINGS, i)):
            want = i2(t, DEMAND_PITCH, c, s)
            have = pitch_of(t, i, s, word)
            if want >= 0 and have >= 0 and have != want:
                work += string_cost(t, i, s, have, want)
        if work > 0:
            total += handling_cost(t, i) + work
    return total / max(1, k)
