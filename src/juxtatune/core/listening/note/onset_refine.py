"""Refines the onset time of a tone from its fitted partials."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.statistics import medians
from juxtatune.core.listening.f0.estimate import F0Estimate
from juxtatune.core.listening.source import Signal


class OnsetRefinementParameters(NamedTuple):
    """The onset from the fitted tone."""

    refine_s: float = 0.05  # from the guess
    near_s: float = 0.02  # the same where strings ring: a fit may explain them too
    edge_s: float = 0.002
    attack_before_s: float = 0.08
    noted_s: float = 0.015
    quiet_power_ratio: float = 0.3


ONSET_REFINEMENT = OnsetRefinementParameters()


def refine_onset(signal: Signal, fit: F0Estimate, onset: float, among: bool) -> float:
    """Onset (s) of a fitted tone, near a guess; nearer with `among`, where other strings sound."""
    near = ONSET_REFINEMENT.near_s if among and not out_of_quiet(signal, onset) else ONSET_REFINEMENT.refine_s
    return _with_attack(signal, fit, _refined(signal, fit, onset, near))


def _refined(signal: Signal, fit: F0Estimate, onset: float, near: float) -> float:
    """The moment from which the fitted tone explains the sound best, near the guess (by so many s).

    Cumulative log-likelihood of "silence before, tone after": exact to a few samples when clean, and
    still a matched filter in noise.
    """
    x, rate = signal
    first, last = max(0, int((onset - near) * rate)), min(len(x), int((onset + near) * rate))
    if last - first < 16:
        return onset
    t = np.arange(first, last) / rate
    u = t - fit.origin
    turns = np.outer(fit.hz, u + fit.glided(t)) + fit.phase[:, None] / (2 * np.pi)
    wave = np.cos((2 * np.pi * (turns - np.rint(turns))).astype(np.float32))
    level = np.exp(np.clip(np.outer(-np.minimum(fit.decay, 25.0), u), -30, 3).astype(np.float32))
    model = fit.amplitude @ (level * wave)
    gain = model**2 - 2 * model * x[first:last]
    from_here = np.concatenate([np.cumsum(gain[::-1])[::-1], [0.0]])
    begin = int(np.argmin(from_here))
    # where other sound spoils the fit it explains nothing here, from whatever moment
    return (first + begin) / rate if begin < len(gain) - ONSET_REFINEMENT.edge_s * rate else onset


def out_of_quiet(signal: Signal, onset: float) -> bool:
    """Whether a string is far louder than what sounds before it, so that its onset shows."""
    x, rate = signal
    around = np.array([-0.08, -0.02, 0.02, 0.08]) + onset
    a, b, c, d = (max(0, int(t * rate)) for t in around)
    return bool(np.sum(x[a:b] ** 2) < ONSET_REFINEMENT.quiet_power_ratio * np.sum(x[c:d] ** 2))


def _with_attack(signal: Signal, fit: F0Estimate, onset: float) -> float:
    """The onset, moved earlier where the pick is heard out of silence before the tone is clear."""
    x, rate = signal
    size = int(0.004 * rate)
    first = int((onset - ONSET_REFINEMENT.attack_before_s) * rate)
    if first < 0 or first + 25 * size > len(x):
        return onset
    power = np.square(x[first : first + 25 * size]).reshape(25, size).mean(axis=1)
    loudest = power[20:].max()
    if medians(power[:5]) > 0.03 * loudest:
        return onset
    heard = first / rate + size / rate * int(np.argmax(power > 0.1 * loudest))
    if onset - heard < ONSET_REFINEMENT.noted_s:
        return onset
    # a drum just before is loud, but not on the string's partials
    length = int((onset - heard) * rate)
    at = np.array([int(heard * rate), int(onset * rate)])
    if at[1] + length > len(x):
        return onset
    hz = fit.hz[fit.numbers > 2] if np.any(fit.numbers > 2) else fit.hz
    z = project(x, at, hann(length), hz, rate)
    before, after = np.sum(np.abs(z) ** 2, axis=1)
    return heard if before > 0.3 * after else onset
