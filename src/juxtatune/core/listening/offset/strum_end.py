"""Note-off of a strum: where it is muted, hum or a room may go on."""

from __future__ import annotations

import numpy as np
from numpy.fft import rfft, rfftfreq

from juxtatune.core.listening.dsp.projection import hann
from juxtatune.core.listening.dsp.rolling import frames
from juxtatune.core.listening.onset.flux import onsets
from juxtatune.core.listening.source import Samples

FRAME_S, HOP_S = 0.1, 0.05
LATER, EDGE_S = 3, 0.025  # frames, so that none is of both; of a frame, that counts for little
LOW_HZ, HIGH_HZ = 60.0, 1500.0  # partials that ring for long
CLEAR = 30.0  # in power, over what lies between partials
STAYS = 0.3  # in power, to the end: hum or a room
GONE, MOST, FEWEST = 0.05, 0.6, 5  # in power; of the rest; places in the spectrum
MUTED_FROM_S = 0.1  # after the strum: before that its attack dies away
LONGEST_S, USUAL_S, LEAST_S = 2.4, 0.9, 0.66  # of sound: in less the pencil finds nothing
AFTER_S = 0.2  # when it is muted: a little of that does less harm than too short a sound
SILENT = 1e-6


def after_strum(x: Samples, rate: float, settle: float) -> Samples | None:
    """The sound of a strum from `settle` s after it until its note-off; None where that is too short."""
    if len(x) < 0.2 * rate or not np.max(np.abs(x)) > SILENT:
        return None
    size = int(0.05 * rate)
    power = np.square(x[: len(x) // size * size]).reshape(-1, size).mean(axis=1)
    loudest = int(np.argmax(power)) * 0.05
    near = [t for t in onsets(x, rate) if abs(t - loudest) < 0.4]
    begin = max([loudest, *near]) + settle
    alive = np.flatnonzero(power > power.max() * 1e-4)
    muted = _muted_at(x, rate, begin - settle + MUTED_FROM_S)
    end = min(begin + LONGEST_S, (alive[-1] + 1) * 0.05, len(x) / rate)
    if muted is not None:
        end = min(end, max(muted, min(begin + USUAL_S, muted + AFTER_S)))
    if end - begin < USUAL_S:
        begin = max(begin - settle + MUTED_FROM_S, end - USUAL_S)
    segment = x[int(begin * rate) : int(end * rate)]
    return segment if len(segment) >= LEAST_S * rate else None


def _muted_at(x: Samples, rate: float, start: float) -> float | None:
    """When most partials that sound after `start` (s) vanish at once; None while they ring on."""
    size, hop = int(FRAME_S * rate), int(HOP_S * rate)
    part = x[int(start * rate) :]
    if len(part) < size + LATER * hop:
        return None
    hz = rfftfreq(size, 1 / rate)
    power = np.abs(rfft(frames(np.ascontiguousarray(part), size, hop) * hann(size), axis=1)) ** 2
    power = power[:, (hz > LOW_HZ) & (hz < HIGH_HZ)]
    now, then = power[:-LATER], power[LATER:]
    heard = now > CLEAR * np.quantile(now, 0.3, axis=1, keepdims=True)
    own = heard & (power[-1] < STAYS * now)
    gone = np.sum(own & (then < GONE * now), axis=1)
    muted = np.flatnonzero(gone > np.maximum(MOST * own.sum(axis=1), FEWEST))
    # a frame may begin a little before they end, and lack them all the same
    return start + float((muted[0] + LATER) * HOP_S) - EDGE_S if len(muted) else None
