"""The sound before a strum, as of hum and a band, which belongs to none of its strings."""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.multipitch.sinusoids import F, Rows, Sinusoids
from juxtatune.core.listening.source import Samples

BLOCK_S, BLOCKS = 0.05, 4
JUMP = 4.0  # by which the power rises where a strum begins
SEARCHED_S = 2.0  # before the loudest moment
LOOK_S, LEAST_S = 0.3, 0.1
GAP_S = 0.08  # between what is looked at and the jump, where the first strings may begin
SAME = 0.25  # of its size in the strum: what was so large before already is not of the strum


def before_strum(x: Samples, rate: float) -> Samples | None:
    """The sound just before a strum (N,); None where it does not stand out, or the sound begins with it."""
    size = int(BLOCK_S * rate)
    power = np.square(x[: len(x) // size * size]).reshape(-1, size).mean(axis=1)
    if not np.any(power > 0):
        return None
    loudest = int(np.argmax(power))
    starts = range(max(2, loudest - int(SEARCHED_S / BLOCK_S)), min(loudest, len(power) - BLOCKS) + 1)
    if not starts:
        return None
    rise = [
        power[k : k + BLOCKS].mean() / (power[max(0, k - BLOCKS) : k].mean() + 1e-5 * power[loudest])
        for k in starts
    ]
    if max(rise) < JUMP:
        return None
    end = int((starts[int(np.argmax(rise))] * BLOCK_S - GAP_S) * rate)
    stretch = x[max(0, end - int(LOOK_S * rate)) : max(0, end)]
    return stretch if len(stretch) >= LEAST_S * rate else None


def after_strum_onset(heard: Sinusoids, before: Samples, rate: float) -> Rows:
    """Flags the sinusoids (k,) of a strum that sounded `before` (N,) already."""
    size = np.abs(project(before, np.zeros(1, np.int64), hann(len(before)), heard.hz, rate))[0]
    amplitude: F = np.array([c.amplitude for c in heard.parts])
    return np.asarray(size > SAME * amplitude)
