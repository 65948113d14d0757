"""Inner loops of listening, compiled: lines through the phases of partials, with one attack glide for all.

They run dozens of times for every 20 ms of live sound, on arrays too small for numpy to pay. Phases and weights are
(M, P): M frames at times `t` (s), P partials of frequencies `hz`, rising. A glide of time 0 is none.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
CENTS = 1200 / np.log(2)
TAUS = np.geomspace(0.022, 0.3, 20)  # glide times tried, s
FINER = np.geomspace(1 / 1.15, 1.15, 15)
NEARBY = np.geomspace(0.6, 1.7, 9)
STRAY = 1.5  # usual residuals
ROUNDS, STILL = 3, 0.003  # times weighed anew, unless that moves the fit by less (cents)
STEEPEST = 0.012  # a glide as steep as comes: 20 cents
MOST_PERSISTENT = 0.8
TURN = 0.35  # from frame to frame: so far the glide turns no partial out of reach


@_jit
def unwrapped(angle, t, weight, hz, with_glide):
    """Phases (M, P) without their jumps by a turn. While the glide falls, high partials may turn more than half a
    turn from frame to frame: they are unwrapped about the course that the low ones foretell."""
    phase = _joined_up(angle)
    step = STEEPEST * (t[-1] - t[0]) / (len(t) - 1)
    low = 0
    while low < len(hz) and hz[low] * step < TURN:
        low += 1
    if not with_glide or low == len(hz) or low == 0:
        return phase
    some = hz[:low].copy()
    clear, counts = phase[:, :low].copy(), weight[:, :low].copy()
    tau = best_time(TAUS.copy(), t, clear, counts, some)
    _, slope, variance, glide, _, _, _ = slopes(t, clear, counts, some, tau)
    relative = (slope * some / variance).sum() / (some**2 / variance).sum()
    course = relative * t + 2 * np.pi * glide * tau * (1 - np.exp(-t / tau))
    expected = np.outer(course, hz[low:])
    phase[:, low:] = _joined_up(angle[:, low:] - expected) + expected
    return phase


@_jit
def _joined_up(angle):
    """Each column without its jumps by a turn."""
    out = angle.copy()
    for j in range(angle.shape[1]):
        turns = 0.0
        for i in range(1, len(angle)):
            turns -= np.rint((angle[i, j] - angle[i - 1, j]) / (2 * np.pi))
            out[i, j] += 2 * np.pi * turns
    return out


@_jit
def fitted(angle, t, weight, hz, alive, overlap, with_glide):
    """The lines through all phases, with a glide where it earns its place: what `slopes` returns, the glide's time (0 for
    none), the phases joined up, the weights that what is left asks for, and how much 1σ grows because that persists.

    `overlap` is how many frames there are to an independent one.
    """
    phase = unwrapped(angle, t, weight, hz, with_glide)
    tau = 0.0
    best = slopes(t, phase, weight, hz, 0.0)
    if with_glide:
        tau = best_time(TAUS.copy(), t, phase, weight, hz)
        bent = slopes(t, phase, weight, hz, tau)
        # it costs two parameters
        if best[0] / max(bent[0], 1e-30) < 1 + 8.0 * overlap / max(alive.sum(), 1):
            tau = 0.0
        best, tau, weight = settled(t, phase, weight, hz, alive, tau)
    return best, tau, phase, weight, persistence(best[5], weight, int(np.ceil(2 * overlap)))


@_jit
def settled(t, phase, weight, hz, alive, tau):
    """The fit with a glide of time `tau` (s), with weights that what is left of it asks for, again until that moves it
    no more: what `slopes` returns, the time, and these weights."""
    fit, plain, times = slopes(t, phase, weight, hz, tau), weight, TAUS.copy()
    for _ in range(ROUNDS):
        weight = reweighed(fit[5], plain, alive, STRAY)
        if tau > 0:
            tau = best_time(times, t, phase, weight, hz)
            times = tau * NEARBY
        new = slopes(t, phase, weight, hz, tau)
        counts = weight.sum(axis=0)
        moved = (np.abs(new[1] - fit[1]) / hz * counts).sum() / counts.sum()
        fit = new
        if moved / (2 * np.pi) * CENTS < STILL:
            break
    return fit, tau, weight


@_jit
def best_time(times, t, phase, weight, hz):
    """The glide time (s) that leaves least: of a grid of times, then of a finer one about its best."""
    best = times[np.argmax(gains(times, t, phase, weight, hz))]
    finer = best * FINER
    return finer[np.argmax(gains(finer, t, phase, weight, hz))]


@_jit
def reweighed(residual, weight, alive, stray):
    """Weights (M, P) in which what a fit leaves counts: frames further off their partial's line than `stray` times what
    is usual count less, since another sound came or went there, and then a partial by what is left of it, not by
    noise alone, since all share one glide.
    """
    frames, count = weight.shape
    out, size = np.empty(weight.shape), np.empty(frames)
    for j in range(count):
        total, some = 0.0, 0
        for i in range(frames):
            size[i] = np.sqrt(weight[i, j]) * abs(residual[i, j])
            total += size[i]
            some += alive[i, j]
        usual = 1.25 * total / max(some, 1) + 1e-9
        square = 0.0
        for i in range(frames):
            out[i, j] = weight[i, j] * min(1.0, stray * usual / max(size[i], 1e-12))
            square += out[i, j] * residual[i, j] ** 2
        scatter = max(square / max(some - 2, 1), 1.0)
        for i in range(frames):
            out[i, j] /= scatter
    return out


@_jit
def gains(times, t, phase, weight, hz):
    """What a glide of each time (s) takes off the weighted squares of the phases (M, P) about a line each."""
    count = len(hz)
    total, mean, spread = _moments(t, weight)
    heavy, away, along = np.empty((count, len(t))), np.empty((count, len(t))), np.empty((count, len(t)))
    for j in range(count):
        heavy[j] = weight[:, j]
        away[j] = t - mean[j]
        level = (heavy[j] * phase[:, j]).sum() / total[j]
        tilt = (heavy[j] * away[j] * phase[:, j]).sum() / spread[j]
        along[j] = heavy[j] * (phase[:, j] - level - tilt * away[j])
    out = np.empty(len(times))
    for k in range(len(times)):
        shape = times[k] * (1 - np.exp(-t / times[k]))
        gain = strength = 0.0
        for j in range(count):
            level, tilt, square, reach = _sums(heavy[j], away[j], along[j], shape)
            gain += hz[j] * reach
            strength += hz[j] ** 2 * (square - level**2 / total[j] - tilt**2 / spread[j])
        out[k] = gain**2 / max(strength, 1e-30)
    return out


@nb.njit(cache=True, nogil=True, fastmath={"reassoc", "nsz"})
def _sums(weight, away, along, shape):
    """Sums over the frames, in any order, so that the processor takes several at once."""
    level = tilt = square = reach = 0.0
    for i in range(len(shape)):
        bent = weight[i] * shape[i]
        level += bent
        tilt += bent * away[i]
        square += bent * shape[i]
        reach += along[i] * shape[i]
    return level, tilt, square, reach


@_jit
def _moments(t, weight):
    """Sum of the weights (M, P) of each partial, its mean time and its spread about it."""
    count = weight.shape[1]
    total, mean, spread = np.zeros(count), np.zeros(count), np.full(count, 1e-12)
    for i in range(len(t)):
        for j in range(count):
            total[j] += weight[i, j]
            mean[j] += weight[i, j] * t[i]
    mean /= total
    for i in range(len(t)):
        for j in range(count):
            spread[j] += weight[i, j] * (t[i] - mean[j]) ** 2
    return total, mean, spread


@_jit
def slopes(t, phase, weight, hz, tau):
    """A line through each partial's phases (M, P), with one glide of time `tau` (s) for all; 0 for none.

    Returns (cost, slope (P,), its variance (P,), glide, offset (P,), residual (M, P), 1σ that an error of the glide
    adds to all slopes alike, relative).
    """
    count = len(hz)
    total, mean, spread = _moments(t, weight)
    level, slope = np.zeros(count), np.zeros(count)
    high, along = np.zeros(count), np.zeros(count)
    shape = tau * (1 - np.exp(-t / max(tau, 1e-9)))
    for i in range(len(t)):
        for j in range(count):
            level[j] += weight[i, j] * phase[i, j]
            high[j] += weight[i, j] * shape[i]
    level /= total
    high /= total
    for i in range(len(t)):
        for j in range(count):
            w = weight[i, j] * (t[i] - mean[j])
            slope[j] += w * (phase[i, j] - level[j])
            along[j] += w * (shape[i] - high[j])
    slope /= spread
    for j in range(count):
        along[j] *= 2 * np.pi * hz[j] / spread[j]
    rest, bare = np.empty(phase.shape), np.empty(phase.shape)
    strength = reach = 0.0
    for i in range(len(t)):
        for j in range(count):
            away = t[i] - mean[j]
            rest[i, j] = phase[i, j] - level[j] - slope[j] * away
            bare[i, j] = 2 * np.pi * hz[j] * (shape[i] - high[j]) - along[j] * away
            strength += weight[i, j] * bare[i, j] ** 2
            reach += weight[i, j] * bare[i, j] * rest[i, j]
    glide = reach / strength if tau > 0 and strength > 0 else 0.0
    rest -= glide * bare
    slope -= glide * along
    shared = 0.0
    if tau > 0 and strength > 0:
        pull = (along * spread * hz).sum() / (spread * hz**2).sum()
        shared = abs(pull) / (2 * np.pi * np.sqrt(strength))
    offset = level - slope * mean - glide * 2 * np.pi * hz * high
    return (weight * rest**2).sum(), slope, 1 / spread, glide, offset, rest, shared


@_jit
def persistence(residual, weight, lag):
    """How much 1σ grows because residuals (M, P) persist: a beat or a drum bends many frames one way.

    From their correlation r between frames `lag` apart, which share no sample, (1 + r) / (1 - r) in variance
    (Bartlett 1946).
    """
    frames, count = residual.shape
    if frames < 2 * lag:
        return 1.0
    together = early = late = 0.0
    for i in range(frames - lag):
        for j in range(count):
            a, b = weight[i, j] * residual[i, j] ** 2, weight[i + lag, j] * residual[i + lag, j] ** 2
            together += np.sqrt(weight[i, j] * weight[i + lag, j]) * residual[i, j] * residual[i + lag, j]
            early += a
            late += b
    rho = min(max(together / (np.sqrt(early * late) + 1e-30), 0.0), MOST_PERSISTENT)
    return np.sqrt((1 + rho) / (1 - rho))
