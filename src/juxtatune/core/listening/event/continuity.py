"""Phase continuity: partials that go on in phase and level through a noise were not picked again."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.source import Samples

F = NDArray[np.floating]
SIZE_S, PERIODS, HOP_S = 0.06, 5.0, 0.015
BEFORE_S, AFTER_S = (0.5, 0.02), (0.1, 0.6)  # before an onset and after it, from when to when
LEAST_FRAMES = 6
TURN, LOUDER = 0.25, 0.2  # rad, and ln of size: what goes on jumps by no more
LOUD = 0.003  # of the loudest partial's power
CLEAR, SEVERAL = 0.3, 2  # rad: what scatters more says nothing; and so many partials must be clear


def is_phase_continuous(x: Samples, rate: float, hz: F, f1: float, since: float, onset: float) -> bool:
    """Whether partials near `hz` (P,) of a string picked at `since` (s) go on across an onset (s)."""
    size, hop = int(max(SIZE_S, PERIODS / f1) * rate), int(HOP_S * rate)
    first = int(max(since + 0.1, onset - BEFORE_S[0]) * rate)
    before = np.arange(first, int((onset - BEFORE_S[1]) * rate) - size, hop)
    after = np.arange(
        int((onset + AFTER_S[0]) * rate), min(int((onset + AFTER_S[1]) * rate), len(x)) - size, hop
    )
    if len(before) < LEAST_FRAMES or len(after) < LEAST_FRAMES or len(hz) < SEVERAL:
        return False
    starts = np.concatenate([before, after])
    t = (starts + size / 2) / rate - onset
    z = project(x, starts, hann(size), hz, rate) * np.exp(-2j * np.pi * t[:, None] * hz)
    power = (np.abs(z) ** 2).mean(axis=0)
    turn, louder, scatter = _steps(t, z[:, power > LOUD * power.max()], len(before))
    clear = scatter < CLEAR
    return bool(
        clear.sum() >= SEVERAL
        and (np.abs(turn[clear]) < TURN).all()
        and (np.abs(louder[clear]) < LOUDER).all()
    )


def _steps(t: F, z: NDArray[np.complexfloating], count: int) -> tuple[F, F, F]:
    """Steps of phase (rad) and log amplitude of partials (M, P) after the first `count` frames, relative to one line through
    all frames; and the scatter of the phases about it."""
    phase = np.angle(z)
    slope, level = np.polyfit(t[:count], np.unwrap(phase[:count], axis=0), 1)
    foretold = t[:, None] * slope + level
    # as near to what was foretold as whole turns allow, but without a jump on the way
    off = np.unwrap(np.angle(np.exp(1j * (phase - foretold))), axis=0)
    off[count:] -= 2 * np.pi * np.rint(np.median(off[count:], axis=0) / (2 * np.pi))
    phase = foretold + off
    model = np.stack([np.ones(len(t)), t, t >= t[count]], axis=1)
    found, *_ = np.linalg.lstsq(model, np.hstack([phase, np.log(np.abs(z) + 1e-12)]), rcond=None)
    partials = z.shape[1]
    scatter = np.std(phase - model @ found[:, :partials], axis=0)
    return found[2, :partials], found[2, partials:], scatter
