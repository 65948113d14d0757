"""Compiled kernels: audibility and decay of partials.

Powers are (P, M): P partials, M frames; `noise` (P,) is the power of noise alone.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
USABLE = 6.0  # over the noise, of one frame
LEAST_HEARD, LEAST_SNR, LEAST_POWER = 3, 12.0, 1e-6  # frames, over the noise, and of the strongest partial
FADES_OVER, FADES_FRAMES = np.log(10.0), 4.0  # from there to where a partial counts in full
ONSET_S = 0.15  # which counts most for how a partial begins


@_jit
def turned_down(z, t, hz):
    """Projections (M, P) at times `t` (s) as rows (P, M), demodulated at `hz` (P,)."""
    out = np.empty((len(hz), len(t)), np.complex128)
    for j in range(len(hz)):
        for i in range(len(t)):
            turns = hz[j] * t[i]
            angle = -2 * np.pi * (turns - np.rint(turns))
            out[j, i] = z[i, j] * (np.cos(angle) + 1j * np.sin(angle))
    return out


@_jit
def standing_out(power, noise):
    """Which partials are audible (P,), and in which frames (P, M): until they first sink into the noise after their maximum."""
    count, frames = power.shape
    alive = np.zeros((count, frames), np.bool_)
    good = np.zeros(count, np.bool_)
    strongest = 0.0
    for j in range(count):
        for i in range(frames):
            strongest = max(strongest, power[j, i])
    for j in range(count):
        loudest = 0
        for i in range(frames):
            if power[j, i] > power[j, loudest]:
                loudest = i
        some = 0
        for i in range(frames):
            usable = power[j, i] > USABLE * noise[j]
            if i > loudest and not usable:
                break
            alive[j, i] = usable
            some += usable
        most = power[j, loudest]
        good[j] = some >= LEAST_HEARD and most > LEAST_SNR * noise[j] and most > LEAST_POWER * strongest
    return good, alive


@_jit
def faint_and_fading(power, alive, noise):
    """For each partial (P,): how many times weaker in power than the loudest it is, which scales what disturbs it; and a
    factor by which it counts less as it nears the limit of audibility, so that none drops out at once."""
    count = len(power)
    mean, most, frames, fading = np.empty(count), np.empty(count), np.empty(count), np.empty(count)
    loudest = loudest_mean = 0.0
    for j in range(count):
        mean[j] = most[j] = 0.0
        frames[j] = 0
        for i in range(power.shape[1]):
            mean[j] += power[j, i] * alive[j, i]
            most[j] = max(most[j], power[j, i])
            frames[j] += alive[j, i]
    for j in range(count):
        loudest, loudest_mean = max(loudest, most[j]), max(loudest_mean, mean[j])
    for j in range(count):
        over_noise = np.log(most[j] / (LEAST_SNR * noise[j])) / FADES_OVER
        over_least = np.log(most[j] / (LEAST_POWER * loudest)) / FADES_OVER
        least = min(over_noise, over_least, (frames[j] - LEAST_HEARD + 1) / FADES_FRAMES)
        fading[j] = 1 / min(max(least, 1e-3), 1.0)
        mean[j] = loudest_mean / mean[j]
    return mean, fading


@_jit
def decays(t, power, alive):
    """Decay rate (1/s) and amplitude at the origin of each partial, by a line through the log power."""
    count = len(power)
    rate, amplitude = np.empty(count), np.empty(count)
    early, level = np.empty(len(t)), np.empty(len(t))
    for i in range(len(t)):
        early[i] = np.exp(-t[i] / ONSET_S)
    for j in range(count):
        total = mean_t = mean_level = 0.0
        for i in range(len(t)):
            if alive[j, i]:
                level[i] = 0.5 * np.log(power[j, i] + 1e-30)
                total += early[i]
                mean_t += early[i] * t[i]
                mean_level += early[i] * level[i]
        mean_t /= total
        mean_level /= total
        along, across = 1e-9, 0.0
        for i in range(len(t)):
            if alive[j, i]:
                along += early[i] * (t[i] - mean_t) ** 2
                across += early[i] * (t[i] - mean_t) * (level[i] - mean_level)
        slope = min(max(across / along, -60.0), 2.0)
        rate[j], amplitude[j] = -slope, np.exp(mean_level - slope * mean_t)
    return rate, amplitude
