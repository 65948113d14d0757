"""The pitch of one short window, for display: a quick answer with its certainty."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.assignment.nearest import place_pitch
from juxtatune.core.listening.dsp.peaks import Peaks, new_peaks
from juxtatune.core.listening.f0.estimate import fit_pluck
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY
from juxtatune.core.listening.source import Samples, Signal
from juxtatune.core.listening.tone.twm import Tone, candidates, likeliest, score_tone
from juxtatune.core.listening.types import Targets


class FramePitchParameters(NamedTuple):
    """Pitch of one short frame."""

    min_score: float = 0.45
    fit_s: float = 0.14
    sure_score: float = 0.6  # of a second string
    min_second_power_ratio: float = 0.03  # in power: a second string so loud spoils the reading of the first


FRAME_PITCH = FramePitchParameters()


@dataclass(frozen=True)
class PitchFrame:
    """What sounds at time `t` (s, end of the window): pitch (MIDI scale), string, cents, 1σ in cents."""

    t: float
    f1: float
    pitch: float
    string: int | None
    cents: float | None
    sigma_cents: float
    level_db: float
    score: float


def frame_pitch(
    signal: Signal,
    t: float,
    targets: Targets,
    hint: float | None = None,
    quiet: Samples | None = None,
) -> PitchFrame | None:
    """Reads the last stretch of sound `x` that ends at `t`; None when no string is clear.

    `hint` (Hz) is the pitch of a moment ago: a tone near it is preferred to its octaves. `quiet` is the room
    without a string: what sounds in it as loudly does not count.
    """
    x, rate = signal
    level = 10 * np.log10(float(np.mean(np.square(x[-int(0.06 * rate) :]))) + 1e-12)
    if level < -85:
        return None
    peaks = new_peaks(x, quiet[-len(x) :] if quiet is not None else None, rate)
    tone = _choose(peaks, targets, hint)
    if tone is None:
        return None
    begin = max(0.0, len(x) / rate - max(FRAME_PITCH.fit_s, 6.5 / tone.f1))
    fit = fit_pluck(
        signal,
        begin - 0.004,
        len(x) / rate,
        tone.f1,
        tone.inharmonicity or USUAL_INHARMONICITY,
        False,
        rounds=1,
        partials=8,
    )
    f1, sigma = (tone.f1, 4.0)
    if fit is not None and abs(1200 * np.log2(fit.f1 / tone.f1)) < 40:
        f1, sigma = fit.f1, fit.sigma_cents
    pitch = targets.reference.pitch(f1)
    place = place_pitch(pitch, targets)
    cents = None
    if place.string is not None and targets.tuning is not None:
        cents = (pitch - targets.tuning.pitch(place.string)) * 100
    return PitchFrame(t, f1, pitch, place.string, cents, max(sigma, 0.05), float(level), tone.score)


def two_strings(
    signal: Signal, targets: Targets, hint: float | None = None, quiet: Samples | None = None
) -> tuple[int, int] | None:
    """The two strings that ring at once in the last stretch `x`; None for one alone.

    `hint` (Hz) is the pitch of a moment ago. Two strings an octave or a unison apart share their partials and are not
    told from one.
    """
    for pair in tone_pairs(signal, targets.ranges_hz, hint, quiet):
        strings = [place_pitch(targets.reference.pitch(hz), targets).string for hz in pair]
        if None not in strings and strings[0] != strings[1]:
            low, high = sorted((s for s in strings if s is not None), reverse=True)
            return low, high
    return None


def tone_pairs(
    signal: Signal, ranges: list[tuple[float, float]] | None = None, hint: float | None = None,
    quiet: Samples | None = None,
) -> Iterator[tuple[float, float]]:  # fmt: skip
    """Fundamentals (Hz) of two tones that sound at once in `x`, the likeliest pair first; nothing for one alone."""
    x, rate = signal
    peaks = new_peaks(x, quiet[-len(x) :] if quiet is not None else None, rate)
    first = score_tone(peaks, hint) if hint is not None and len(peaks) else None
    if first is None or first.score < FRAME_PITCH.sure_score:
        first = likeliest(peaks, ranges)
    if first is None:
        return
    mine = {hz for _, hz, _ in first.matched}
    rest = replace(peaks, weight=np.where(np.isin(peaks.hz, list(mine)), 0.0, peaks.weight))
    others = rest.heard()
    if others.powers.sum() < FRAME_PITCH.min_second_power_ratio * first.power:
        return
    for tone in candidates(others, ranges):
        enough = len(tone.matched) >= 3 and min(n for n, _, _ in tone.matched) <= 2
        if enough and tone.power > FRAME_PITCH.min_second_power_ratio * first.power and tone.score > FRAME_PITCH.sure_score:
            yield first.f1, tone.f1


def _choose(peaks: Peaks, targets: Targets, hint: float | None) -> Tone | None:
    if len(peaks) == 0:
        return None
    best = score_tone(peaks, hint) if hint is not None else None
    if best is None or best.score < 0.7 or abs(1200 * np.log2(best.f1 / (hint or 1.0))) > 120:
        best = likeliest(peaks, targets.ranges_hz)
        if best is None:
            return None
    enough = 3 if best.f1 < 500 else 2
    if best.score < FRAME_PITCH.min_score or len(best.matched) < enough or min(n for n, _, _ in best.matched) > 3:
        return None
    return best
