"""Inner loops of listening, compiled: which partials are heard, for how long, and how they die away.

Powers are (M, P): M frames, P partials; `noise` (P,) is the power of noise alone.
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
def heard(power, noise):
    """Which partials are heard (P,), and in which frames (M, P): each counts until it first sinks into the noise after
    its loudest moment."""
    frames, count = power.shape
    alive = np.zeros((frames, count), np.bool_)
    good = np.zeros(count, np.bool_)
    strongest = power.max()
    for j in range(count):
        loudest = 0
        for i in range(frames):
            if power[i, j] > power[loudest, j]:
                loudest = i
        some = 0
        for i in range(frames):
            usable = power[i, j] > USABLE * noise[j]
            if i > loudest and not usable:
                break
            alive[i, j] = usable
            some += usable
        most = power[loudest, j]
        good[j] = some >= LEAST_HEARD and most > LEAST_SNR * noise[j] and most > LEAST_POWER * strongest
    return good, alive


@_jit
def faint_and_fading(power, alive, noise):
    """How many times a partial (P,) is fainter than the loudest, in power: what disturbs it moves it as much more. And
    how many times less it counts as it nears what is left out, so that it does so at no one moment."""
    frames, count = power.shape
    mean, most, some = np.zeros(count), np.zeros(count), np.zeros(count)
    for i in range(frames):
        for j in range(count):
            mean[j] += power[i, j] * alive[i, j]
            most[j] = max(most[j], power[i, j])
            some[j] += alive[i, j]
    fading, loudest = np.empty(count), most.max()
    for j in range(count):
        over_noise = np.log(most[j] / (LEAST_SNR * noise[j])) / FADES_OVER
        over_least = np.log(most[j] / (LEAST_POWER * loudest)) / FADES_OVER
        least = min(over_noise, over_least, (some[j] - LEAST_HEARD + 1) / FADES_FRAMES)
        fading[j] = 1 / min(max(least, 1e-3), 1.0)
    return mean.max() / mean, fading


@_jit
def decays(t, power, alive):
    """Decay rate (1/s) and amplitude at the origin of each partial, by a line through the log power."""
    count = power.shape[1]
    rate, amplitude = np.empty(count), np.empty(count)
    weight, level = np.empty(len(t)), np.empty(len(t))
    early = np.exp(-t / ONSET_S)
    for j in range(count):
        total = mean_t = mean_level = 0.0
        for i in range(len(t)):
            weight[i] = early[i] * alive[i, j]
            level[i] = 0.5 * np.log(power[i, j] + 1e-30)
            total += weight[i]
            mean_t += weight[i] * t[i]
            mean_level += weight[i] * level[i]
        mean_t /= total
        mean_level /= total
        along, across = 1e-9, 0.0
        for i in range(len(t)):
            along += weight[i] * (t[i] - mean_t) ** 2
            across += weight[i] * (t[i] - mean_t) * (level[i] - mean_level)
        slope = min(max(across / along, -60.0), 2.0)
        rate[j], amplitude[j] = -slope, np.exp(mean_level - slope * mean_t)
    return rate, amplitude


@_jit
def described(t, power, alive, noise, from_onset):
    """How faint partials are and how they count less (see `faint_and_fading`), and `from_onset` their decays, else 0."""
    faint, fades = faint_and_fading(power, alive, noise)
    if not from_onset:
        return faint, fades, np.zeros(len(noise)), np.zeros(len(noise))
    rate, amplitude = decays(t, power, alive)
    return faint, fades, rate, amplitude
