"""Compiled readers of the packed tables and of the words that make up a state.

A state's key is a row of 64-bit words: the songs played, the signature of the song just played, and
one word for each instrument (see compiled.py).
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.planning.model.fields import COST, OFFSET, PITCH, READY_BIT, STRINGS, WIDTH, WORDS
from juxtatune.core.planning.model.tables import FREE_CAPO
from juxtatune.core.retuning import formula

# What compiled functions are called with is of numpy's types: each plain number or True is a type of its own,
# for which the function, and all that it calls, would be compiled once more.
jit = nb.njit(cache=True, nogil=True)
BASE_S, STRING_S, SEMITONE_S, CHECK_S, PASSES, SWAP_S, CAPO_S = (np.int64(k) for k in range(7))  # of COST
ONE = np.uint64(1)
ZERO = np.uint64(0)
YES, NO = np.bool_(True), np.bool_(False)
EPS = 1e-9
_handling_s, _turning_s = jit(formula.handling_s), jit(formula.turning_s)


# Readers of the packed tables: i for whole numbers, f for seconds and pitches, m for masks; at1 to at3
# give the place of a mask's first word.
@jit
def i0(t, field):
    return t.ints[t.ints[4 * field]]


@jit
def i1(t, field, a):
    return t.ints[t.ints[4 * field] + a * t.ints[4 * field + 1]]


@jit
def i2(t, field, a, b):
    return t.ints[t.ints[4 * field] + a * t.ints[4 * field + 1] + b]


@jit
def f0(t, field):
    return t.floats[t.ints[4 * field]]


@jit
def f1(t, field, a):
    return t.floats[t.ints[4 * field] + a]


@jit
def f2(t, field, a, b):
    return t.floats[t.ints[4 * field] + a * t.ints[4 * field + 1] + b]


@jit
def f3(t, field, a, b, c):
    return t.floats[t.ints[4 * field] + a * t.ints[4 * field + 1] + b * t.ints[4 * field + 2] + c]


@jit
def m1(t, field, a):
    return t.masks[t.ints[4 * field] + a]


@jit
def at1(t, field, a):
    return t.ints[4 * field] + a * t.ints[4 * field + 1]


@jit
def at2(t, field, a, b):
    return at1(t, field, a) + b * t.ints[4 * field + 2]


@jit
def at3(t, field, a, b, c):
    return at2(t, field, a, b) + c * t.ints[4 * field + 3]


@jit
def has(mask, v):
    return (mask[v >> 6] >> np.uint64(v & 63)) & ONE != ZERO


@jit
def has_at(t, at, v):
    return (t.masks[at + (v >> 6)] >> np.uint64(v & 63)) & ONE != ZERO


@jit
def meets(t, at, left):
    """True when the mask stored at a place shares a song with `left`."""
    for w in range(i0(t, WORDS)):
        if t.masks[at + w] & left[w] != ZERO:
            return True
    return False


@jit
def pitch_of(t, i, s, word):
    """Pitch index of a string, -1 when not decided."""
    width = np.uint64(i2(t, WIDTH, i, s))
    top = (ONE << width) - ONE
    value = (word >> np.uint64(i2(t, OFFSET, i, s))) & top
    return -1 if value == top else np.int64(value)


@jit
def locked(t, i, s, word):
    return (word >> np.uint64(i2(t, OFFSET, i, s) + i2(t, WIDTH, i, s))) & ONE != ZERO


@jit
def late(t, i, s, word):
    return (word >> np.uint64(i2(t, OFFSET, i, s) + i2(t, WIDTH, i, s) + 1)) & ONE != ZERO


@jit
def put(t, i, s, word, value, marks):
    """The state with one string's pitch index (-1: not decided) and marks (1 moved, 2 moved late) set."""
    width = np.uint64(i2(t, WIDTH, i, s))
    top = (ONE << width) - ONE
    field = (ONE << (width + ONE + ONE)) - ONE
    at = np.uint64(i2(t, OFFSET, i, s))
    index = top if value < 0 else np.uint64(value)
    index |= np.uint64(marks) << width
    return (word & ~(field << at)) | (index << at)


@jit
def capo_of(t, i, word):
    return np.int64((word >> np.uint64(i1(t, READY_BIT, i) + 1)) & np.uint64(FREE_CAPO))


@jit
def string_cost(t, i, s, a, b):
    move = abs(f3(t, PITCH, i, s, b) - f3(t, PITCH, i, s, a))
    return _turning_s(f2(t, COST, i, STRING_S), f2(t, COST, i, SEMITONE_S), f2(t, COST, i, PASSES), move)


@jit
def handling_cost(t, i):
    """Seconds that any retune of instrument i takes."""
    return _handling_s(f2(t, COST, i, BASE_S), f2(t, COST, i, CHECK_S), i1(t, STRINGS, i))


@jit
def width(t, field):
    """Entries in a row of a table of two dimensions."""
    return t.ints[4 * field + 1]
