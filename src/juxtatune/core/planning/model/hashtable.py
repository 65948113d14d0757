"""An open-addressing hash table of states, compiled: rows of words (uint64), found by their hash."""

from __future__ import annotations

import numba as nb
import numpy as np

_jit = nb.njit(cache=True, nogil=True)


@_jit
def _hash(key):
    h = np.uint64(1469598103934665603)
    for k in range(len(key)):
        h ^= key[k]
        h *= np.uint64(0x9E3779B97F4A7C15)
        h ^= h >> np.uint64(29)
    return h


@_jit
def find(table, keys, key, size):
    """Slot of a key in the open-addressing table: where it is, or the free slot where it belongs."""
    mask = np.uint64(size - 1)
    at = _hash(key) & mask
    while True:
        row = table[np.int64(at)]
        if row < 0:
            return np.int64(at)
        same = True
        for k in range(len(key)):
            if keys[row, k] != key[k]:
                same = False
                break
        if same:
            return np.int64(at)
        at = (at + np.uint64(1)) & mask
