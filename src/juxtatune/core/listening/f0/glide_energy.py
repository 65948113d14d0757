"""Glides that follow a string's own energy: its tension rises with what all its partials hold of it (Carrier 1945;
Tolonen, Välimäki and Karjalainen 2000), each of which falls twice as fast as it is heard to.

Compiled, as what it is called by. Phases, powers and weights are (P, M), times `t` (M,) in s.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.f0.glide_two_times import glide_basis, normal
from juxtatune.core.listening.f0.regression import solve

_jit = nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "nsz", "contract"})
PARTIALS = 14  # that hold a string's energy
# usual energy, relative, as a string is picked, of partials that are not heard, and its times, s
ABOVE = np.array([[0.1, 0.04], [0.3, 0.015]])
WINDOW, SHORTEST, LEAD_S = 2.0, 0.01, 0.004  # periods to a first frame's middle, s at least, and s before it
FURTHEST = 3.0  # ln of how far a partial's power may lie above what is heard of it
SLOWEST, FASTEST = 0.15, 60.0  # 1/s: between them partials die away
UNEVEN = 1.0  # relative 1σ of the energy of partials of one power: a pickup hears some more than others
ALIKE = 1e-9  # by which partials that fall alike differ all the same


@_jit
def fit_energy_glide(t, power, alive, level, hz, noise, own):
    """The components (K, 2) of the energy-driven glide that fits the `levelled` phases best, one for each partial's decay,
    given its `power` and the variance of `noise`; none where it would rise. Each partial is bent further by `own` times its
    own component."""
    parts = energies(t, power, alive, _since_picked(hz))
    count = len(parts)
    columns, along, across = np.empty((count, len(t))), 0.0, 0.0
    for k in range(count):
        course = glide_basis(t, parts[k, 1])
        for i in range(len(t)):
            columns[k, i] = parts[k, 0] * course[i]
    square, reach, _ = normal(columns, level, hz, own)
    for k in range(count):
        along += reach[k]
        for m in range(count):
            across += square[k, m]
    every = along / across
    if not every > 0:
        return parts[:0]
    known = 1 / (UNEVEN * every) ** 2
    for k in range(count):
        for m in range(count):
            square[k, m] /= noise
        square[k, k] = square[k, k] * (1 + ALIKE) + known
        reach[k] = reach[k] / noise + known * every
    sizes = _positive(square, reach)
    for k in range(count):
        parts[k, 0] *= sizes[k]
    return parts if sizes.any() else parts[:0]


@_jit
def without_energy_glide(t, phase, parts, hz, own):
    """The phases (P, M) without each partial's own share (`own` times its energy) of the glide."""
    out = phase.copy()
    for j in range(min(len(hz), len(parts) - len(ABOVE))):
        if own > 0 and parts[j, 0] > 0:
            course = glide_basis(t, parts[j, 1])
            for i in range(len(t)):
                out[j, i] -= 2 * np.pi * hz[j] * own * parts[j, 0] * course[i]
    return out


@_jit
def _positive(square, reach):
    """Non-negative solution (K,) of normal equations, by an active set: negative unknowns are left out in turn."""
    some, out = np.arange(len(reach)), np.zeros(len(reach))
    while len(some) > 0:
        held, goal = np.empty((len(some), len(some))), np.empty(len(some))
        for a in range(len(some)):
            goal[a] = reach[some[a]]
            for b in range(len(some)):
                held[a, b] = square[some[a], some[b]]
        found, count = solve(held, goal), 0
        for a in range(len(some)):
            if found[a] > 0:
                some[count] = some[a]
                count += 1
        if count == len(some):
            for a in range(len(some)):
                out[some[a]] = found[a]
            break
        some = some[:count]
    return out


@_jit
def _since_picked(hz):
    """Time (s) from the pick to the first frame, for a string with these partials."""
    f1 = hz[0]
    for j in range(1, len(hz)):
        f1 = min(f1, hz[j] - hz[j - 1])
    return max(WINDOW / f1, SHORTEST) + LEAD_S


@_jit
def energies(t, power, alive, since):
    """Relative energy of each partial at the first frame, `since` s after the pick, and its decay time (s): (K, 2)."""
    count = min(len(power), PARTIALS)
    out = np.empty((count + len(ABOVE), 2))
    whole = 0.0
    for j in range(count):
        out[j, 0], out[j, 1] = _falling(t, power[j], alive[j])
        whole += out[j, 0]
    for j in range(count):
        out[j, 0] /= whole
    for k in range(len(ABOVE)):
        out[count + k, 0] = ABOVE[k, 0] * np.exp(-since / ABOVE[k, 1])
        out[count + k, 1] = ABOVE[k, 1]
    return out


@_jit
def _falling(t, power, alive):
    """Power (M,) of one partial at time 0 and its decay time (s), by a line through its logarithm."""
    total = mean_t = mean_level = loudest = 0.0
    for i in range(len(t)):
        loudest = max(loudest, power[i])
        if alive[i]:
            total += power[i]
            mean_t += power[i] * t[i]
            mean_level += power[i] * np.log(power[i])
    mean_t /= total
    mean_level /= total
    along, across = 1e-9, 0.0
    for i in range(len(t)):
        if alive[i]:
            along += power[i] * (t[i] - mean_t) ** 2
            across += power[i] * (t[i] - mean_t) * (np.log(power[i]) - mean_level)
    fall = min(max(-across / along, 2 * SLOWEST), 2 * FASTEST)
    first = min(mean_level + fall * mean_t, np.log(loudest) + FURTHEST)
    return np.exp(first), 1 / fall
