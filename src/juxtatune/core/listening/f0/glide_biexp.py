"""Compiled kernels: weighted regression of partial phases on time, with one exponential attack glide shared by all.

They run dozens of times for every 20 ms of live sound, on arrays too small for numpy to pay. Phases and weights are
(P, M): P partials of frequencies `hz`, rising, M frames at times `t` (s). A glide of time 0 is none.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.glide_two_times import glide_basis, levelled, moments

# sums in any order, so that the processor takes several terms at once
_jit = nb.njit(cache=True, nogil=True, error_model="numpy", fastmath={"reassoc", "nsz", "contract"})
CENTS = 1200 / np.log(2)
TAUS = np.geomspace(0.022, 0.3, 20)  # glide times tried, s
FINER = np.geomspace(1 / 1.15, 1.15, 5)
FINEST = np.geomspace(1 / 1.015, 1.015, 3)
NEARBY = np.geomspace(0.6, 1.7, 9)
STRAY = 1.5  # usual residuals
ROUNDS, STILL = 3, 0.003  # times weighed anew, unless that moves the fit by less (cents)
STEEPEST = 0.012  # a glide as steep as comes: 20 cents
MOST_PERSISTENT = 0.8
TURN = 0.35  # from frame to frame: so far the glide turns no partial out of reach
F = NDArray[np.floating]


class Lines(NamedTuple):
    """Weighted line through each partial's phases, with one glide in common."""

    cost: float  # weighted squares of what is left
    slope: F  # (P,) rad/s
    variance: F  # (P,) of the slopes
    glide: float  # its size, relative
    offset: F  # (P,) phase at time 0, rad
    residual: F  # (P, M) rad


@_jit
def unwrapped(angle, t, weight, hz, with_glide):
    """Unwrapped phases (P, M). While the glide falls, high partials may advance by more than half a turn a frame: they are
    unwrapped about the course predicted from the low ones."""
    phase, straight = np.empty(angle.shape), np.zeros(len(t))
    for j in range(len(hz)):
        _join_up(angle[j], hz[j], straight, phase[j])
    step = STEEPEST * (t[-1] - t[0]) / (len(t) - 1)
    low = 0
    while low < len(hz) and hz[low] * step < TURN:
        low += 1
    if not with_glide or low == len(hz) or low == 0:
        return phase
    some = hz[:low]
    clear, counts = phase[:low], weight[:low]
    tau = best_time_constant(TAUS.copy(), t, clear, counts, some)
    fit = slopes(t, clear, counts, some, glide_basis(t, tau))
    along = certain = 0.0
    for j in range(low):
        along += fit.slope[j] * hz[j] / fit.variance[j]
        certain += hz[j] ** 2 / fit.variance[j]
    course = glide_basis(t, tau)
    for i in range(len(t)):
        course[i] = along / certain * t[i] + 2 * np.pi * fit.glide * course[i]
    for j in range(low, len(hz)):
        _join_up(angle[j], hz[j], course, phase[j])
    return phase


@_jit
def _join_up(angle, hz, course, out):
    """Unwraps one row about `hz` times a course (M,), into `out`."""
    turns, out[0] = 0.0, angle[0]
    for i in range(1, len(angle)):
        step = angle[i] - angle[i - 1] - hz * (course[i] - course[i - 1])
        turns -= np.rint(step / (2 * np.pi))
        out[i] = angle[i] + 2 * np.pi * turns


@_jit
def settled(t, phase, weight, hz, alive, tau):
    """The fit with a glide of time constant `tau` (s), reweighted by its residuals until it moves no more: lines, time
    constant, weights."""
    fit, plain, times = slopes(t, phase, weight, hz, glide_basis(t, tau)), weight, TAUS.copy()
    for _ in range(ROUNDS):
        weight = reweighed(fit.residual, plain, alive, STRAY)
        if tau > 0:
            tau = best_time_constant(times, t, phase, weight, hz)
            times = tau * NEARBY
        new = slopes(t, phase, weight, hz, glide_basis(t, tau))
        moved = moved_cents(new, fit, hz, weight)
        fit = new
        if moved < STILL:
            break
    return fit, tau, weight


@_jit
def moved_cents(new, old, hz, weight):
    """Difference of two fits' slopes in cents."""
    moved = total = 0.0
    for j in range(len(hz)):
        counts = 0.0
        for i in range(weight.shape[1]):
            counts += weight[j, i]
        moved += abs(new.slope[j] - old.slope[j]) / hz[j] * counts
        total += counts
    return moved / total / (2 * np.pi) * CENTS


@_jit
def left_over(weight, residual, alive):
    """Weighted mean square residual (P,) of each partial (P, M) about a line."""
    out = np.empty(len(weight))
    for j in range(len(weight)):
        some, square = 0, 0.0
        for i in range(weight.shape[1]):
            some += alive[j, i]
            square += weight[j, i] * residual[j, i] ** 2
        out[j] = square / max(some - 2, 1)
    return out


@_jit
def best_time_constant(times, t, phase, weight, hz):
    """The time constant (s) with the least residual: a geometric grid, then a finer one about its best. The fraction
    matters: a hundredth of a slow glide moves where it ends."""
    level = levelled(t, phase, weight)
    best = peak(times, _gains(times, t, level, hz))
    for finer in (FINER, FINEST):
        near = np.empty(len(finer))
        for k in range(len(finer)):
            near[k] = best * finer[k]
        best = peak(near, _gains(near, t, level, hz))
    return best


@_jit
def peak(times, gained):
    """Abscissa of the parabola through a maximum and its two neighbours."""
    k = np.argmax(gained)
    if k == 0 or k == len(times) - 1:
        return times[k]
    curve = gained[k - 1] - 2 * gained[k] + gained[k + 1]
    away = 0.5 * (gained[k - 1] - gained[k + 1]) / curve if curve < 0 else 0.0
    return times[k] * (times[1] / times[0]) ** away


@_jit
def reweighed(residual, weight, alive, stray):
    """Robust weights (P, M): frames further off their partial's line than `stray` times the usual residual count less, since
    another sound came or went there; then each partial counts by its residual and not by noise alone, since all share one
    glide."""
    count, frames = weight.shape
    out, size = np.empty(weight.shape), np.empty(frames)
    for j in range(count):
        total, some = 0.0, 0
        for i in range(frames):
            size[i] = np.sqrt(weight[j, i]) * abs(residual[j, i])
            total += size[i]
            some += alive[j, i]
        usual = 1.25 * total / max(some, 1) + 1e-9
        square = 0.0
        for i in range(frames):
            out[j, i] = weight[j, i] * min(1.0, stray * usual / max(size[i], 1e-12))
            square += out[j, i] * residual[j, i] ** 2
        scatter = max(square / max(some - 2, 1), 1.0)
        for i in range(frames):
            out[j, i] /= scatter
    return out


@_jit
def gains(times, t, phase, weight, hz):
    """Reduction of the weighted squares of the phases (P, M) by a glide of each time constant (s)."""
    return _gains(times, t, levelled(t, phase, weight), hz)


@_jit
def _gains(times, t, levelled, hz):
    total, spread, weight, away, along = levelled
    out = np.empty(len(times))
    for k in range(len(times)):
        shape = glide_basis(t, times[k])
        gain = strength = 0.0
        for j in range(len(hz)):
            level = tilt = square = reach = 0.0
            for i in range(len(t)):
                bent = weight[j, i] * shape[i]
                level += bent
                tilt += bent * away[j, i]
                square += bent * shape[i]
                reach += along[j, i] * shape[i]
            gain += hz[j] * reach
            strength += hz[j] ** 2 * (square - level**2 / total[j] - tilt**2 / spread[j])
        out[k] = gain**2 / max(strength, 1e-30)
    return out


@_jit
def slopes(t, phase, weight, hz, shape):
    """A line through each partial's phases (P, M) with one glide of shape `course` (M,); zeros for none."""
    count, bent = len(hz), shape[-1] > 0
    level, slope, high, along = np.empty(count), np.empty(count), np.empty(count), np.empty(count)
    total, mean, spread = moments(t, weight)
    strength = reach = 0.0
    for j in range(count):
        w, p = weight[j], phase[j]
        mid = top = 0.0
        for i in range(len(t)):
            mid += w[i] * p[i]
            top += w[i] * shape[i]
        mid, top = mid / total[j], top / total[j]
        tilt = turn = 0.0
        for i in range(len(t)):
            along_t = w[i] * (t[i] - mean[j])
            tilt += along_t * (p[i] - mid)
            turn += along_t * (shape[i] - top)
        tilt, turn = tilt / spread[j], turn / spread[j]
        square = across = 0.0
        for i in range(len(t)):
            bare = shape[i] - top - turn * (t[i] - mean[j])
            square += w[i] * bare * bare
            across += w[i] * bare * p[i]
        full = 2 * np.pi * hz[j]
        strength += full**2 * square
        reach += full * across
        level[j], high[j], slope[j], along[j] = mid, top, tilt, full * turn
    glide = reach / strength if bent and strength > 0 else 0.0
    for j in range(count):
        slope[j] -= glide * along[j]
        # the glide as this partial has it, and its offset, in place of what they are made of
        along[j] = glide * 2 * np.pi * hz[j]
        level[j] -= slope[j] * mean[j] + along[j] * high[j]
        spread[j] = 1 / spread[j]
    cost, rest = _rest(t, phase, weight, level, slope, along, shape)
    return Lines(cost, slope, spread, glide, level, rest)


@_jit
def _rest(t, phase, weight, offset, slope, glide, shape):
    """Residuals of the phases (P, M) about lines with a glide of size (P,) and shape (M,); their weighted squares first."""
    cost, rest = 0.0, np.empty(phase.shape)
    for j in range(len(phase)):
        w, p, r = weight[j], phase[j], rest[j]
        for i in range(len(t)):
            r[i] = p[i] - offset[j] - slope[j] * t[i] - glide[j] * shape[i]
        for i in range(len(t)):
            cost += w[i] * r[i] * r[i]
    return cost, rest


@_jit
def persistence(residual, weight, lag):
    """Factor by which 1σ grows because residuals (P, M) are correlated: a beat or a drum bends many frames one way.

    From their correlation r between frames `lag` apart, which share no sample: (1 + r) / (1 - r) in variance (Bartlett
    1946).
    """
    count, frames = residual.shape
    if frames < 2 * lag:
        return 1.0
    together = early = late = 0.0
    for j in range(count):
        for i in range(frames - lag):
            a, b = weight[j, i] * residual[j, i] ** 2, weight[j, i + lag] * residual[j, i + lag] ** 2
            together += np.sqrt(weight[j, i] * weight[j, i + lag]) * residual[j, i] * residual[j, i + lag]
            early += a
            late += b
    rho = min(max(together / (np.sqrt(early * late) + 1e-30), 0.0), MOST_PERSISTENT)
    return np.sqrt((1 + rho) / (1 - rho))
