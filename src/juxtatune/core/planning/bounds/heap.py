"""A binary heap of rows by rising bound, compiled: `heap` is (bounds, rows), of which `count` are in use."""

from __future__ import annotations

import numba as nb

_jit = nb.njit(cache=True, nogil=True)


@_jit
def push(heap, count, f, row):
    fs, rows = heap
    at = count
    while at > 0:
        up = (at - 1) >> 1
        if fs[up] <= f:
            break
        fs[at], rows[at] = fs[up], rows[up]
        at = up
    fs[at], rows[at] = f, row
    return count + 1


@_jit
def pop(heap, count):
    """Takes the least entry out. Returns (row, its f, entries left)."""
    fs, rows = heap
    top, least = rows[0], fs[0]
    count -= 1
    f, row = fs[count], rows[count]
    at = 0
    while True:
        down = 2 * at + 1
        if down >= count:
            break
        if down + 1 < count and fs[down + 1] < fs[down]:
            down += 1
        if fs[down] >= f:
            break
        fs[at], rows[at] = fs[down], rows[down]
        at = down
    fs[at], rows[at] = f, row
    return top, least, count
