"""Whether a tone sounds between two moments, decays as a string does or is steady as hum is, and when it was damped.

The level of a ringing string alone does not say whether it was damped when another was picked, which has partials where the
old one had: those that no other string shares do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.hum.track import MAINS_HZ
from juxtatune.core.listening.offset.note_off import envelope
from juxtatune.core.listening.partials.demodulate import MOST_PARTIALS, USUAL_INHARMONICITY, partial_hz
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Reading

F = NDArray[np.floating]


class SustainParameters(NamedTuple):
    """Decay, damping and mains frequencies of a tone."""

    mains_tolerance: float = 0.003  # relative distance from a multiple
    mains_tolerance_hz: float = 1.5
    min_mains_weight_share: float = 0.8
    low_tone_tolerance: float = 0.006  # how well a short look tells a low tone
    max_hum_decay_db_per_s: float = 1.0  # a string loses at least this much in a second
    look_s: float = 0.1  # before and after a moment
    sounding_power_ratio: float = 0.25
    gone_power_ratio: float = 0.1
    silent_power_ratio: float = 0.01
    max_sustain_s: float = 3.2  # a distorted string may not fall for so long


SUSTAIN = SustainParameters()


def is_sounding(signal: Signal, c: Candidate, begin: float, end: float) -> bool:
    """Whether a tone is about as loud between two moments as after them."""
    x, rate = signal
    between, after = int((begin + 0.01) * rate), int((end + 0.02) * rate)
    size = int(end * rate) - between
    if size < 0.03 * rate or after + size > len(x):
        return True
    there, then = _powers(signal, c, [between, after], size, 8)
    return bool(there > SUSTAIN.sounding_power_ratio * then)


def _powers(signal: Signal, c: Candidate, starts: Sequence[int], size: int, partials: int = 6) -> F:
    """Power (M,) of a tone's lowest partials in frames of `size` samples from `starts` (M,) on."""
    hz = np.array([f for _, f, _ in c.tone.matched][:partials])
    z = project(signal.x, np.array(starts), hann(size), hz, signal.rate)
    return np.asarray(np.sum(np.abs(z) ** 2, axis=1))


def of_the_mains(c: Candidate) -> bool:
    """Whether a tone and all its partials lie at the frequencies of mains hum, closer than a tuned string would by chance."""
    if any(abs(c.tone.f1 / (n * mains) - 1) < SUSTAIN.low_tone_tolerance for mains in MAINS_HZ for n in (1, 2)):
        return True
    _, hz, weight = (np.array(column) for column in zip(*c.tone.matched, strict=True))
    for mains in MAINS_HZ:
        if abs(c.tone.f1 / mains - round(c.tone.f1 / mains)) < SUSTAIN.mains_tolerance * c.tone.f1 / mains:
            continue  # all partials of a string that happens to be tuned to a harmonic are harmonics
        off = np.abs(hz - mains * np.maximum(np.rint(hz / mains), 1))
        near = off < np.minimum(SUSTAIN.mains_tolerance * hz, SUSTAIN.mains_tolerance_hz)
        if weight[near].sum() > SUSTAIN.min_mains_weight_share * weight.sum():
            return True
    return False


def decays(signal: Signal, c: Candidate, start: float, until: float) -> bool:
    """Whether a tone decays, as a string does and hum does not."""
    numbers = np.array([n for n, _, _ in c.tone.matched][:6])
    t, power = envelope(
        signal, start, min(until, start + 2.0), partial_hz(c.tone.f1, c.tone.inharmonicity, numbers), c.tone.f1
    )
    if len(t) < 4:
        return False
    slope = np.polyfit(t, 10 * np.log10(power.sum(axis=1) + 1e-14), 1)[0]
    return bool(slope < -SUSTAIN.max_hum_decay_db_per_s)


def comes_and_goes(signal: Signal, c: Candidate) -> bool:
    """Whether a steady tone begins from silence and is damped soon, as hum hardly ever is."""
    x, rate = signal
    size, onset = int(SUSTAIN.look_s * rate), int(c.onset * rate)
    before, there = onset - int(0.02 * rate) - size, onset + int(0.05 * rate)
    last = min(len(x), there + int(SUSTAIN.max_sustain_s * rate)) - size
    if before < 0 or last <= there:
        return False
    power = _powers(signal, c, [before, *range(there, last, size)], size)
    return bool(power[0] < SUSTAIN.silent_power_ratio * power[1] and power[1:].min() < SUSTAIN.gone_power_ratio * power[1])


class DampedParameters(NamedTuple):
    """Damping of a string when another is picked."""

    max_frame_s: float = 0.3  # of the frames before and after
    min_frame_s: float = 0.12
    before_s: float = 0.012  # from the new string: its onset is not exact
    after_s: float = 0.04  # the old one fades
    after_start_s: float = 0.03  # after its onset
    min_power_share: float = 1e-3  # of its strongest partial's power
    min_distance_bins: float = 2.2  # of a Hann frame: so far from another's partial a partial is its own
    noise_distance_bins: float = 3.0  # to what sounds beside a partial
    min_snr: float = 4.0
    max_power_ratio: float = 10 ** (-12 / 10)  # beyond what it loses anyway
    min_growth_frames: float = 0.5  # from where a loss shows
    partials: int = 60


DAMPED = DampedParameters()


def cut_at_damping(signal: Signal, r: Reading, later: list[Candidate]) -> Reading:
    """The reading ended at the onset, among `later` ones, at which its string was damped."""
    if r.f1 is None or r.inharmonicity is None:
        return r
    hz = partial_hz(r.f1, r.inharmonicity, np.arange(1, MOST_PARTIALS + 1))
    others, numbers = np.zeros(0), np.arange(1, DAMPED.partials + 1)
    for k, new in enumerate(later):
        if new.onset >= r.end - DAMPED.after_s:
            break
        others = np.append(others, partial_hz(new.tone.f1, new.tone.inharmonicity or USUAL_INHARMONICITY, numbers))
        following = later[k + 1].onset if k + 1 < len(later) else signal.length_s
        levels = _levels(signal, r.start, new.onset, min(following, r.end), hz, others)
        if levels is not None and _falls(levels):
            return replace(r, end=new.onset)
    return r


@dataclass(frozen=True)
class _Levels:
    """Log power (P,) of partials that no other string shares: at the string's start, twice before another onset, and after
    it."""

    begun: F
    early: F
    late: F
    now: F
    grown: float  # frames from `begun` to `early`
    since: float  # frames from `early` to `now`


def _levels(
    signal: Signal, start: float, at: float, following: float, hz: F, others: F
) -> _Levels | None:
    """The levels about an onset (s) of a string begun at `start`; None where too few partials are its own.

    `hz` (P,) are its partials, `others` those of strings begun since; the next of them begins at `following`.
    """
    x, rate = signal
    lasts = min(DAMPED.max_frame_s, (at - start - 2 * DAMPED.before_s) / 2, following - at - DAMPED.after_s)
    away = np.abs(hz[:, None] - others[None, :]).min(axis=1)
    clear = hz[(away * lasts > DAMPED.min_distance_bins) & (hz < 0.45 * rate)]
    if lasts < DAMPED.min_frame_s or len(clear) == 0:
        return None
    size = int(lasts * rate)
    first, last, after = (int(t * rate) for t in (start + DAMPED.after_start_s, at - DAMPED.before_s, at + DAMPED.after_s))
    starts = np.array([first, last - 2 * size, last - size, after])
    if starts.min() < 0 or after + size > len(x):
        return None
    every = np.concatenate([clear, clear - DAMPED.noise_distance_bins / lasts, clear + DAMPED.noise_distance_bins / lasts])
    power = np.abs(project(x, starts, hann(size), every, rate).reshape(4, 3, -1)) ** 2 + 1e-18
    # what the new string drowns says nothing
    heard = power[2, 0] > np.maximum(DAMPED.min_power_share * power[2, 0].max(), DAMPED.min_snr * power[3, 1:].min(axis=0))
    if not heard.any():
        return None
    begun, early, late, now = np.log(power[:, 0, heard])
    grown, since = (starts[1] - first) / size, (after - starts[1]) / size
    return _Levels(begun, early, late, now, float(grown), float(since))


def _falls(levels: _Levels) -> bool:
    """Whether partials fall by far more than they decayed until then: damping is fast at first, while a room rings on."""
    loss = levels.late - levels.early
    if levels.grown > DAMPED.min_growth_frames:
        loss = np.maximum(loss, (levels.early - levels.begun) / levels.grown)
    foretold = levels.early + np.minimum(loss, 0.0) * levels.since
    return bool(np.average(levels.now - foretold, weights=np.exp(levels.late / 2)) < np.log(DAMPED.max_power_ratio))
