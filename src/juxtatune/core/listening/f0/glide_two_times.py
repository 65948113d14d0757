"""Glide models of two time constants, and what models of one need as well: basis functions and their standard errors.

Compiled, as what it is called by. Phases and weights are (P, M), times `t` (M,) in s. A glide is rows of (size,
relative; time, s); a row of time 0 is none.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.f0.regression import solve

_jit = nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "nsz", "contract"})
TIMES = np.geomspace(0.012, 0.4, 12)  # tried in pairs, s
APART = 2  # steps between the two of a pair, at least
SHORTEST, LONGEST = 0.008, 0.5  # s
STEPS, FURTHEST = 6, 0.4  # towards the least squares, and of the logarithm of a time in one of them
# what is known of a glide and of the logarithm of its time before it is heard
USUAL_SIZE, USUAL_LOG = 0.012, 0.7


@_jit
def glide_basis(t, tau):
    """Phase basis function of an exponential glide of time constant `tau` (s): τ (1 − exp(−t/τ)); zero for τ = 0."""
    out = np.zeros(len(t))
    if tau <= 0:
        return out
    step, even = t[1] - t[0], True
    for i in range(1, len(t)):
        even &= abs(t[i] - t[i - 1] - step) < 1e-9 * step
    left, each = np.exp(-t[0] / tau), np.exp(-step / tau)
    for i in range(len(t)):
        if i > 0:  # frames mostly lie evenly, and then each is the one before times the same
            left = left * each if even else np.exp(-t[i] / tau)
        out[i] = tau * (1 - left)
    return out


@_jit
def levelled(t, phase, weight):
    """Weighted sums for the glide's least squares: weight and time spread of each partial (P,), the weights, times about
    their mean, and the weighted phases about a line (P, M)."""
    total, mean, spread = moments(t, weight)
    away, along = np.empty(weight.shape), np.empty(weight.shape)
    for j in range(len(weight)):
        level = tilt = 0.0
        for i in range(len(t)):
            away[j, i] = t[i] - mean[j]
            level += weight[j, i] * phase[j, i]
            tilt += weight[j, i] * away[j, i] * phase[j, i]
        level, tilt = level / total[j], tilt / spread[j]
        for i in range(len(t)):
            along[j, i] = weight[j, i] * (phase[j, i] - level - tilt * away[j, i])
    return total, spread, weight, away, along


@_jit
def moments(t, weight):
    """Sum of weights (P, M), mean time and time spread of each partial."""
    count = len(weight)
    total, mean, spread = np.empty(count), np.empty(count), np.empty(count)
    for j in range(count):
        some = first = second = 0.0
        for i in range(len(t)):
            some += weight[j, i]
            first += weight[j, i] * t[i]
        first /= some
        for i in range(len(t)):
            second += weight[j, i] * (t[i] - first) ** 2
        total[j], mean[j], spread[j] = some, first, second + 1e-12
    return total, mean, spread


@_jit
def best_pair(t, level, hz):
    """The two components (2, 2) with the least residual of the `levelled` phases; zeros where none decays twice."""
    columns = np.empty((len(TIMES), len(t)))
    for k in range(len(TIMES)):
        course = glide_basis(t, TIMES[k])
        for i in range(len(t)):
            columns[k, i] = course[i]
    square, reach, _ = normal(columns, level, hz, 0.0)
    out, most = np.zeros((2, 2)), 0.0
    for a in range(len(TIMES)):
        for b in range(a + APART, len(TIMES)):
            det = square[a, a] * square[b, b] - square[a, b] ** 2
            if det <= 1e-9 * square[a, a] * square[b, b]:
                continue
            first = (reach[a] * square[b, b] - reach[b] * square[a, b]) / det
            second = (reach[b] * square[a, a] - reach[a] * square[a, b]) / det
            gain = first * reach[a] + second * reach[b]
            if first > 0 and second > 0 and gain > most:
                most = gain
                out[0, 0], out[0, 1], out[1, 0], out[1, 1] = first, TIMES[a], second, TIMES[b]
    return gauss_newton(t, level, hz, out) if most > 0 else out


@_jit
def gauss_newton(t, level, hz, parts):
    """The components refined by Gauss-Newton steps; zeros where one of them would rise."""
    parts = parts.copy()
    for _ in range(STEPS):
        square, reach, _ = normal(_columns(t, parts), level, hz, 0.0)
        found = solve(_with_prior(square), reach)
        moved = 0.0
        for k in range(2):
            step = min(max(found[2 * k + 1], -FURTHEST), FURTHEST)
            parts[k, 0] = found[2 * k]
            parts[k, 1] = min(max(parts[k, 1] * np.exp(step), SHORTEST), LONGEST)
            moved = max(moved, abs(step))
            if parts[k, 0] <= 0:
                return np.zeros((2, 2))
        if moved < 1e-3:
            break
    return parts


@_jit
def shape(t, parts):
    """The summed course (M,) of these components, for unit total size."""
    out, size = np.zeros(len(t)), 0.0
    for k in range(len(parts)):
        size += parts[k, 0]
    for k in range(len(parts)):
        if parts[k, 1] > 0:
            one = glide_basis(t, parts[k, 1])
            for i in range(len(t)):
                out[i] += parts[k, 0] / size * one[i]
    return out


@_jit
def shared(t, weight, hz, parts):
    """1σ (relative) that the errors of a glide's sizes and time constants add to all slopes alike."""
    some, count = np.empty(parts.shape), 0
    for k in range(len(parts)):
        if parts[k, 1] > 0:
            some[count, 0], some[count, 1] = parts[k, 0], parts[k, 1]
            count += 1
    if count == 0 or count > 2:  # the times of more are known otherwise
        return 0.0
    some = some[:count]
    square, _, pull = normal(_columns(t, some), levelled(t, weight, weight), hz, 0.0)
    led, spread = solve(_with_prior(square), pull), 0.0
    for k in range(len(pull)):
        spread += pull[k] * led[k]
    return np.sqrt(max(spread, 0.0)) / (2 * np.pi)


@_jit
def _columns(t, parts):
    """Derivatives of the phases by each component's size and by the logarithm of its time constant (2 K, M)."""
    out = np.empty((2 * len(parts), len(t)))
    for k in range(len(parts)):
        size, tau = parts[k, 0], parts[k, 1]
        course = glide_basis(t, tau)
        for i in range(len(t)):
            out[2 * k, i] = course[i]
            out[2 * k + 1, i] = size * (course[i] - t[i] * (1 - course[i] / tau))
    return out


@_jit
def _with_prior(square):
    """The normal equations (2 K, 2 K) with prior inverse variances added, in place."""
    for k in range(0, len(square), 2):
        square[k, k] += 1 / USUAL_SIZE**2
        square[k + 1, k + 1] += 1 / USUAL_LOG**2
    return square


@_jit
def normal(columns, level, hz, own):
    """Normal equations of columns (C, M) shared by all partials, beyond a line each: (C, C), (C,), and the effect of each
    column on all slopes, relative (C,). A partial's own column counts for it by `own` more."""
    total, spread, weight, away, along = level
    count, frames = columns.shape
    square, reach, pull = np.zeros((count, count)), np.zeros(count), np.zeros(count)
    high, tilt, bent = np.empty(count), np.empty(count), np.empty((count, frames))
    for j in range(len(hz)):
        full = 2 * np.pi * hz[j]
        w, off, turns = weight[j], away[j], along[j]
        for k in range(count):
            column, row = columns[k], bent[k]
            size = 1 + own if k == j else 1.0
            up = aslant = met = 0.0
            for i in range(frames):
                row[i] = size * w[i] * column[i]
                up += row[i]
                aslant += row[i] * off[i]
                met += turns[i] * column[i]
            high[k], tilt[k] = up, aslant
            reach[k] += full * size * met
            pull[k] += full * aslant * hz[j]
        for k in range(count):
            row = bent[k]
            for m in range(k + 1):
                other, cross = columns[m], 0.0
                for i in range(frames):
                    cross += row[i] * other[i]
                if m == j:
                    cross *= 1 + own
                cross -= high[k] * high[m] / total[j] + tilt[k] * tilt[m] / spread[j]
                square[k, m] += full**2 * cross
                square[m, k] = square[k, m]
    every = 0.0
    for j in range(len(hz)):
        every += spread[j] * hz[j] ** 2
    for k in range(count):
        pull[k] /= every
    return square, reach, pull
