"""Whether a tone sounds between two moments, and whether it decays as a string's does or is steady as hum is."""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.hum.track import MAINS_HZ
from juxtatune.core.listening.offset.note_off import envelope
from juxtatune.core.listening.partials.demodulate import partial_hz
from juxtatune.core.listening.source import Samples

OF_MAINS, OF_MAINS_HZ, NEARLY_ALL = 0.003, 1.5, 0.8  # from a multiple; of the weight
ABOUT = 0.006  # how well a short look tells a low tone
HUM_DECAY_DB = 1.0  # a string loses at least this much in a second
LOOK_S, GONE = 0.1, 0.1  # before and after a moment, and in power
NOTHING, SUSTAINED_S = 0.01, 3.2  # in power, and how long a distorted string may not fall


def is_sounding(x: Samples, rate: float, c: Candidate, begin: float, end: float) -> bool:
    """Whether a tone is about as loud between two moments as after them."""
    hz = np.array([f for _, f, _ in c.tone.matched][:8])
    between, after = int((begin + 0.01) * rate), int((end + 0.02) * rate)
    size = int(end * rate) - between
    if size < 0.03 * rate or after + size > len(x):
        return True
    z = project(x, np.array([between, after]), hann(size), hz, rate)
    there, then = np.sum(np.abs(z) ** 2, axis=1)
    return bool(there > 0.25 * then)


def of_the_mains(c: Candidate) -> bool:
    """Whether a tone and all its partials lie at the frequencies of mains hum, closer than a tuned string would by chance."""
    if any(abs(c.tone.f1 / (n * mains) - 1) < ABOUT for mains in MAINS_HZ for n in (1, 2)):
        return True
    _, hz, weight = (np.array(column) for column in zip(*c.tone.matched, strict=True))
    for mains in MAINS_HZ:
        if abs(c.tone.f1 / mains - round(c.tone.f1 / mains)) < OF_MAINS * c.tone.f1 / mains:
            continue  # all partials of a string that happens to be tuned to a harmonic are harmonics
        off = np.abs(hz - mains * np.maximum(np.rint(hz / mains), 1))
        if weight[off < np.minimum(OF_MAINS * hz, OF_MAINS_HZ)].sum() > NEARLY_ALL * weight.sum():
            return True
    return False


def decays(x: Samples, rate: float, c: Candidate, start: float, until: float) -> bool:
    """Whether a tone decays, as a string does and hum does not."""
    numbers = np.array([n for n, _, _ in c.tone.matched][:6])
    t, power = envelope(
        x, rate, start, min(until, start + 2.0), partial_hz(c.tone.f1, c.tone.inharmonicity, numbers), c.tone.f1
    )
    if len(t) < 4:
        return False
    slope = np.polyfit(t, 10 * np.log10(power.sum(axis=1) + 1e-14), 1)[0]
    return bool(slope < -HUM_DECAY_DB)


def is_damped(x: Samples, rate: float, c: Candidate, at: float) -> bool:
    """Whether a tone is gone soon after a moment, as a damped string is."""
    hz = np.array([f for _, f, _ in c.tone.matched][:6])
    size, before, after = (int(s * rate) for s in (LOOK_S, at - 0.02 - LOOK_S, at + 0.05))
    if before < 0 or after + size > len(x):
        return False
    z = project(x, np.array([before, after]), hann(size), hz, rate)
    there, then = np.sum(np.abs(z) ** 2, axis=1)
    return bool(then < GONE * there)


def comes_and_goes(x: Samples, rate: float, c: Candidate) -> bool:
    """Whether a steady tone begins from silence and is damped soon, as hum hardly ever is."""
    hz = np.array([f for _, f, _ in c.tone.matched][:6])
    size, onset = int(LOOK_S * rate), int(c.onset * rate)
    before, there = onset - int(0.02 * rate) - size, onset + int(0.05 * rate)
    last = min(len(x), there + int(SUSTAINED_S * rate)) - size
    if before < 0 or last <= there:
        return False
    z = project(x, np.array([before, *range(there, last, size)]), hann(size), hz, rate)
    power = np.sum(np.abs(z) ** 2, axis=1)
    return bool(power[0] < NOTHING * power[1] and power[1:].min() < GONE * power[1])
