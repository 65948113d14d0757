"""Glides that follow a string's own energy: its tension rises with what all its partials hold of it (Carrier 1945;
Tolonen, Välimäki and Karjalainen 2000), each of which falls twice as fast as it is heard to.

Compiled, as what it is called by. Phases, powers and weights are (P, M), times `t` (M,) in s.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.twofold import bend, normal

_jit = nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "nsz", "contract"})
PARTIALS = 14  # that hold a string's energy
SLOWEST, FASTEST = 0.15, 60.0  # 1/s: between them partials die away
UNEVEN = (
    1.0  # relative 1σ of how much energy a partial of some power holds: a pickup hears some more than others
)


@_jit
def led(t, power, alive, level, hz, noise):
    """The parts (K, 2) of the glide that leaves least of `levelled` phases among those that partials of this `power`
    ask for, in `noise` of that variance; none where it would rise."""
    parts = energies(t, power, alive)
    columns = np.empty((len(parts), len(t)))
    for k in range(len(parts)):
        columns[k] = parts[k, 0] * bend(t, parts[k, 1])
    square, reach, _ = normal(columns, level, hz)
    every = reach.sum() / square.sum()
    if not every > 0:
        return parts[:0]
    square, reach = square / noise, reach / noise
    known = np.full(len(parts), 1 / (UNEVEN * every) ** 2)
    for k in range(len(parts)):
        square[k, k] += known[k]
        reach[k] += known[k] * every
    some = np.arange(len(parts))
    while len(some) > 0:
        held = np.empty((len(some), len(some)))
        for a in range(len(some)):
            for b in range(len(some)):
                held[a, b] = square[some[a], some[b]]
        found = np.linalg.solve(held, reach[some])
        if found.min() > 0:
            out = parts[some]
            out[:, 0] *= found
            return out
        some = some[found > 0]
    return parts[:0]


@_jit
def energies(t, power, alive):
    """What each of the low partials holds at the first frame, and the time (s) in which that falls (K, 2)."""
    count = min(len(power), PARTIALS)
    out = np.empty((count + 2, 2))
    out[count] = 0.0, 0.04
    out[count + 1] = 0.0, 0.015
    for j in range(count):
        total = mean_t = mean_level = 0.0
        for i in range(len(t)):
            if alive[j, i]:
                total += power[j, i]
                mean_t += power[j, i] * t[i]
                mean_level += power[j, i] * np.log(power[j, i])
        mean_t /= total
        mean_level /= total
        along, across = 1e-9, 0.0
        for i in range(len(t)):
            if alive[j, i]:
                along += power[j, i] * (t[i] - mean_t) ** 2
                across += power[j, i] * (t[i] - mean_t) * (np.log(power[j, i]) - mean_level)
        fall = min(max(-across / along, 2 * SLOWEST), 2 * FASTEST)
        out[j, 0], out[j, 1] = np.exp(mean_level + fall * mean_t), 1 / fall
    out[:, 0] /= out[:, 0].sum()
    out[count:, 0] = 0.05
    return out
