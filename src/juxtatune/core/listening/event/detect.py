"""Onset detection: whether a string begins to sound at a candidate onset, and which tone it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.peaks import new_peaks
from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.event.repluck import is_repluck
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY, partial_hz
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.tone.twm import Tone, candidates
from juxtatune.core.listening.types import Targets


class DetectionParameters(NamedTuple):
    """Which tone begins at an onset."""

    min_score: float = 0.42
    min_rich_score: float = 0.25
    min_dominant_score: float = 0.15  # where it carries most of the power
    min_new_weight: float = 0.1  # of a peak that counts as new
    min_partial_power_share: float = 0.02  # of an audible partial
    min_dominant_power_share: float = 0.75
    sure_score: float = 0.75  # above it a tone of new partials is not doubted
    repluck_score_margin: float = 0.3  # so it is picked again itself, and not its octave
    bright_weight: float = 6.0  # of new partials: no swelling, and hardly a drum, brings as much
    min_repluck_power_share: float = 0.5  # of the power of what is new: so what jumps is not just the band under it
    near_target_st: float = 0.75  # from a string's target
    multiple_power_share: float = 0.96  # of the tone below
    multiple_score_margin: float = 0.2
    max_difference_tone_multiple: float = 8.5  # times a low tone that several strings make
    penalty_far: float = 0.06  # in score: further than that off its string
    penalty_no_string: float = 0.25


DETECTION = DetectionParameters()


@dataclass(frozen=True)
class Candidate:
    """A confirmed tone at an onset, before its pitch is fitted."""

    onset: float
    tone: Tone
    rival: float  # score of the best tone at another octave or string
    level: float  # power of the matched peaks
    first: bool  # sounds from the very start of the recording


def detect_tone(
    signal: Signal,
    onset: float,
    following: float,
    targets: Targets,
    opening: bool = False,
    sounding_f0s: tuple[float, ...] = (),
) -> Candidate | None:
    """The tone whose partials are new after an onset (s), if it is a string's, else None; `following` (s) is the next onset.

    `sounding_f0s` (Hz): strings that may still sound, one of which may have been picked again. `opening`: the recording
    starts here, and everything counts as new.
    """
    x, rate = signal
    begin = onset + (0.0 if opening else 0.018)
    stop = min(begin + 0.3, max(following - 0.005, begin + 0.1), len(x) / rate)
    if stop - begin < 0.08:
        return None
    after = x[int(begin * rate) : int(stop * rate)]
    before_end = int(max(0.0, onset - 0.015) * rate)
    before = x[max(0, before_end - len(after)) : before_end] if not opening else None
    peaks = new_peaks(after, before, rate)
    total = candidates(peaks) if len(peaks) >= 2 else []
    best = _preferred(total, targets) if total else None
    again, heard = None, best is not None and (_is_string(best, targets) or _brighter(best, sounding_f0s))
    if best is None or not heard or (best.score < DETECTION.sure_score and sounding_f0s):
        again = is_repluck(signal, onset, following, over=heard)
        if again is not None and (best is None or not heard or _takes_over(again, best, sounding_f0s)):
            best = again
            heard = _is_string(best, targets)
        else:
            again = None
    if best is None or not heard:
        return None
    if sounding_f0s and targets.tuning is not None and tuning_distance(best, targets) == DETECTION.penalty_no_string:
        best = _difference_tone_root(best, total, targets, sounding_f0s)
    others = [t.score for t in total if abs(12 * np.log2(t.f1 / best.f1)) > 1.0]
    rang = again is None and _rang(best, sounding_f0s[-1:])
    level = max(best.power, _power(Signal(after, rate), best.f1)) if rang else best.power
    return Candidate(onset, best, max(others, default=0.0), level, opening)


def _brighter(tone: Tone, sounding_f0s: tuple[float, ...]) -> bool:
    """Whether a sounding string was picked again softer and brighter: only its high partials are new."""
    return _rang(tone, sounding_f0s[-1:]) and tone.score > DETECTION.min_score and tone.explained > DETECTION.bright_weight


def _power(signal: Signal, f1: float) -> float:
    """Power of a tone's first eight partials, new or not."""
    part, rate = signal
    hz = partial_hz(f1, USUAL_INHARMONICITY, np.arange(1, 9))
    z = project(part, np.zeros(1, np.int64), hann(len(part)), hz[hz < 0.45 * rate], rate)
    return float(np.sum(np.abs(z) ** 2))


def _takes_over(again: Tone, best: Tone, sounding_f0s: tuple[float, ...]) -> bool:
    """Whether the re-plucked tone is the event, and not a lower tone that rings under it."""
    clearer = again.score > best.score + DETECTION.repluck_score_margin or not is_multiple(best, again)
    return clearer and _rang(again, sounding_f0s) and again.power > DETECTION.min_repluck_power_share * best.power


def _rang(tone: Tone, sounding_f0s: tuple[float, ...]) -> bool:
    return any(abs(1200 * np.log2(tone.f1 / f)) < 60 for f in sounding_f0s)


def _preferred(tones: list[Tone], targets: Targets) -> Tone:
    """The best-scoring of the tones that carry most of the power; distance from the tuning costs score."""
    if targets.tuning is None:
        return tones[0]
    most = max(t.power for t in tones)
    loud = [t for t in tones if t.power > 0.5 * most]
    best = max(loud, key=lambda t: t.score - tuning_distance(t, targets))
    its = tuning_distance(best, targets)
    # with a bass an octave or a twelfth below, nearly all of the power is the string's
    above = [
        t for t in loud
        if t.power > DETECTION.multiple_power_share * most and t.score > best.score - DETECTION.multiple_score_margin
        and is_multiple(t, best) and tuning_distance(t, targets) <= its
    ]  # fmt: skip
    return max(above, key=lambda t: t.score, default=best)


def _difference_tone_root(tone: Tone, tones: list[Tone], targets: Targets, sounding_f0s: tuple[float, ...]) -> Tone:
    """The string that begins where distortion of several strings makes one low difference tone, which is no string."""
    most = max((t.power for t in tones), default=0.0)
    on = [
        t for t in tones
        if t.power > 0.5 * most and tuning_distance(t, targets) < DETECTION.penalty_no_string and not _rang(t, sounding_f0s)
        and is_multiple(t, tone, DETECTION.max_difference_tone_multiple)
    ]  # fmt: skip
    return max(on, key=lambda t: t.score, default=tone)


def is_multiple(tone: Tone, of: Tone, highest: float = 4.5) -> bool:
    """Whether one tone is a whole multiple of another: an octave, a twelfth or two octaves above it, or up to `highest`."""
    ratio = tone.f1 / of.f1
    return 1.5 < ratio < highest and abs(ratio - round(ratio)) < 0.03


def tuning_distance(tone: Tone, targets: Targets) -> float:
    """Score penalty (0 to 0.25) of a tone away from the pitches of the tuning, or from where strings may still be."""
    if not any(low <= tone.f1 <= high for low, high in targets.ranges_hz or []):
        return DETECTION.penalty_no_string
    if targets.source is not None or targets.tuning is None:
        return 0.0
    pitch = targets.reference.pitch(tone.f1)
    return 0.0 if min(abs(pitch - p) for p in targets.tuning.pitches) < DETECTION.near_target_st else DETECTION.penalty_far


def _is_string(tone: Tone, targets: Targets) -> bool:
    """Whether a tone has enough partials, low ones among them, and explains most new peaks, in number or in power."""
    numbers = [n for n, _, _ in tone.matched]
    enough = 3 if tone.f1 < 500 else 2
    least = DETECTION.min_rich_score if tone.rich else DETECTION.min_score
    if len(numbers) < enough or min(numbers) > 3 or tone.explained < 0.8:
        return False
    return tone.score >= least or (tone.score >= DETECTION.min_dominant_score and _fills(tone, targets))


def _fills(tone: Tone, targets: Targets) -> bool:
    """Whether a tone at its string's pitch carries most of the new power, with three low partials audible."""
    if targets.tuning is None or targets.source is not None or tuning_distance(tone, targets) > 0:
        return False
    power = tone.peaks.powers * (tone.peaks.weight > DETECTION.min_new_weight)
    own = power[tone.number > 0].sum()
    low = (tone.number > 0) & (tone.number <= 4) & (power > DETECTION.min_partial_power_share * own)
    return own > 0 and np.sum(low) >= 3 and own > DETECTION.min_dominant_power_share * power.sum()
