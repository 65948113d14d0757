"""A string that rings on at an onset: it continues in phase, or is turned, in vibrato or in tremolo.

Partials that go on in phase and level through a noise were not picked again; nor were partials that move on together.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.statistics import medians, moving_median
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.partials.demodulate import (
    USUAL_INHARMONICITY,
    F,
    Heterodyned,
    common_path,
    heterodyne,
    partial_paths,
)
from juxtatune.core.listening.source import Signal


class ContinuityParameters(NamedTuple):
    """Phase continuity across an onset."""

    frame_s: float = 0.06
    frame_periods: float = 5.0
    hop_s: float = 0.015
    before_s: tuple[float, float] = (0.5, 0.02)  # from when to when before an onset
    after_s: tuple[float, float] = (0.1, 0.6)  # and after it
    min_frames: int = 6
    max_phase_step_rad: float = 0.25
    max_level_step_ln: float = 0.2
    min_power_share: float = 0.003  # of the loudest partial's power
    max_scatter_rad: float = 0.3  # a partial that scatters more says nothing
    min_partials: int = 2


CONTINUITY = ContinuityParameters()


def is_phase_continuous(signal: Signal, hz: F, f1: float, since: float, onset: float) -> bool:
    """Whether partials near `hz` (P,) of a string picked at `since` (s) go on across an onset (s)."""
    x, rate = signal
    size, hop = int(max(CONTINUITY.frame_s, CONTINUITY.frame_periods / f1) * rate), int(CONTINUITY.hop_s * rate)
    first = int(max(since + 0.1, onset - CONTINUITY.before_s[0]) * rate)
    before = np.arange(first, int((onset - CONTINUITY.before_s[1]) * rate) - size, hop)
    after = np.arange(
        int((onset + CONTINUITY.after_s[0]) * rate), min(int((onset + CONTINUITY.after_s[1]) * rate), len(x)) - size, hop
    )
    if len(before) < CONTINUITY.min_frames or len(after) < CONTINUITY.min_frames or len(hz) < CONTINUITY.min_partials:
        return False
    starts = np.concatenate([before, after])
    t = (starts + size / 2) / rate - onset
    z = project(x, starts, hann(size), hz, rate) * np.exp(-2j * np.pi * t[:, None] * hz)
    power = (np.abs(z) ** 2).mean(axis=0)
    turn, louder, scatter = _steps(t, z[:, power > CONTINUITY.min_power_share * power.max()], len(before))
    clear = scatter < CONTINUITY.max_scatter_rad
    return bool(
        clear.sum() >= CONTINUITY.min_partials
        and (np.abs(turn[clear]) < CONTINUITY.max_phase_step_rad).all()
        and (np.abs(louder[clear]) < CONTINUITY.max_level_step_ln).all()
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


class ModulationParameters(NamedTuple):
    """A ringing string turned, in vibrato or in tremolo."""

    string_score: float = 0.6  # a drum's pitch falls too
    min_score: float = 0.48  # what is less like a string is another sound beside one
    partials: int = 6  # looked at
    min_partials: int = 3
    around_s: float = 0.12  # on either side of an onset
    around_periods: float = 10.0  # at the least
    min_frames: int = 4
    near_s: float = 0.06  # about an onset
    power_step_range: tuple[float, float] = (0.4, 2.5)  # from frame to frame
    min_power_share: float = 0.001  # of the loudest partial's power; and how much more one may rise than another
    max_rise_ratio: float = 4.0  # one partial may rise by so much more than another
    smoothing_frames: int = 5
    max_still_cents: float = 4.0  # partials leap by and lie apart
    # what is turned: how far it moves at the least (cents), apart (of that) and leaps at once; and its power
    min_turn_cents: float = 3.0
    max_gap_share: float = 0.35
    at_once_s: float = 0.02
    max_leap_cents: float = 20.0
    min_power_ratio: float = 0.4
    max_power_ratio: float = 1.1
    min_frame_power_ratio: float = 0.5


MODULATION = ModulationParameters()


def is_modulated_continuation(signal: Signal, c: Candidate) -> bool:
    """Whether the tone at an onset sounded before it and is only turned or modulated: its partials move on together."""
    if c.tone.score < MODULATION.min_score:
        return False
    onset, around = c.onset, max(MODULATION.around_s, MODULATION.around_periods / c.tone.f1)
    inharmonicity = c.tone.inharmonicity or USUAL_INHARMONICITY
    d = heterodyne(signal, max(onset - around, 0), onset + around, c.tone.f1, inharmonicity, partials=MODULATION.partials)
    if d is None:
        return False
    d, t = _loud(d, onset), (d.t[1:] + d.t[:-1]) / 2 - onset
    if min((t < 0).sum(), (t > 0).sum()) < MODULATION.min_frames or len(d.n) < MODULATION.min_partials or not _goes_on(d, t):
        return False
    # a string picked anew leaps, each partial by itself
    partials = partial_paths(d)
    middle, apart = common_path(d, partials)
    if _waves(t, partials, middle) or _several_still(t, partials):
        return True
    bend = _bend(t, middle, MODULATION.at_once_s, apart)
    moved = around * bend.turned
    return (
        c.tone.score > MODULATION.string_score
        and _falls(d, t < 0)
        and moved > MODULATION.min_turn_cents
        and bend.gap < MODULATION.max_gap_share * moved
        and bend.leap < max(MODULATION.max_gap_share * moved, MODULATION.max_leap_cents)
    )


def _loud(d: Heterodyned, onset: float) -> Heterodyned:
    """The partials audible after an onset (s)."""
    power = (np.abs(d.z[:, d.t > onset]) ** 2).sum(axis=1)
    loud = power > MODULATION.min_power_share * power.max(initial=0.0)
    return replace(d, z=d.z[loud], noise=d.noise[loud], n=d.n[loud], hz=d.hz[loud])


def _goes_on(d: Heterodyned, t: F) -> bool:
    """Whether the level (P, M) of the partials continues across 0 of the times `t` (M - 1,) without a step, all alike; when
    a string joins, some partials are new."""
    power, before = np.abs(d.z) ** 2 + 1e-30, t < 0
    steps = (power[:, 1:].sum(axis=0) / power[:, :-1].sum(axis=0))[np.abs(t) < MODULATION.near_s]
    rise = power[:, 1:][:, ~before].mean(axis=1) / power[:, :-1][:, before].mean(axis=1)
    least, most = MODULATION.power_step_range
    return bool(steps.min() > least and steps.max() < most and rise.max() < MODULATION.max_rise_ratio * rise.min())


def _waves(t: F, partials: F, middle: F) -> bool:
    """Whether the frequencies of partials (P, M) continue together and smoothly across 0, as under vibrato or tremolo."""
    near = np.abs(t) < MODULATION.near_s
    leap = np.abs(middle - moving_median(middle, MODULATION.smoothing_frames)) + np.median(np.abs(partials - middle), axis=0)
    return bool(leap[near].max() < MODULATION.max_still_cents)


def _several_still(t: F, partials: F) -> bool:
    """Whether at least three partials (P, M) each continue along a line, whatever other strings do to the rest."""
    bends = [_bend(t, cents, MODULATION.near_s) for cents in partials]
    return sum(bend.leap + bend.gap < MODULATION.max_still_cents for bend in bends) >= MODULATION.min_partials


def _falls(d: Heterodyned, before: NDArray[np.bool_]) -> bool:
    """Whether the level does not rise across the onset and nowhere drops."""
    power = (np.abs(d.z) ** 2).sum(axis=0)
    was, then = power[:-1][before].mean(), power[1:][~before].mean()
    even = MODULATION.min_power_ratio * was < then < MODULATION.max_power_ratio * was
    return bool(even and np.all(power[1:] > MODULATION.min_frame_power_ratio * power[:-1]))


class _Bend(NamedTuple):
    """Pitch across an onset as a line on each side, in cents."""

    turned: float  # a second, of both
    gap: float  # between the two
    leap: float  # from either, near the onset


def _bend(t: F, cents: F, near: float, apart: F | float = 0.0) -> _Bend:
    before = t < 0
    (rose, until), (rises, since) = _line(t[before], cents[before]), _line(t[~before], cents[~before])
    off = np.abs(cents - np.where(before, until + rose * t, since + rises * t)) + apart
    return _Bend(abs(rose + rises), abs(until - since), float(off[np.abs(t) < near].max()))


def _line(t: F, cents: F) -> tuple[float, float]:
    """Slope, and value at 0, of a robust line (Theil 1950, Sen 1968)."""
    i, j = _pairs(len(t))
    slope = float(medians((cents[j] - cents[i]) / (t[j] - t[i])))
    return slope, float(medians(cents - slope * t))


@lru_cache(maxsize=64)
def _pairs(count: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """All index pairs (i < j) of so many. Not to be written to."""
    return np.triu_indices(count, 1)
