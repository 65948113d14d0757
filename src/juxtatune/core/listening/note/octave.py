"""Octave correction: upward by fits, and either way by scores once other strings are taken away.

A bass an octave, a twelfth or a fifth below makes both sound as one low tone. Their fits tell: the low tone's partials are
those of two instruments, which are never in tune to a hundredth of a cent.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from juxtatune.core.listening.event.detect import (
    DETECTION,
    Candidate,
    detect_tone,
    is_multiple,
    tuning_distance,
)
from juxtatune.core.listening.f0.estimate import F0Estimate, fit_pluck
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.tone.twm import score_tone
from juxtatune.core.listening.types import Targets


class OctaveParameters(NamedTuple):
    """Octave correction upward."""

    vague_cents: float = 1.0  # what is surer is one tone
    surer_ratio: float = 5.0
    min_power_share: float = 0.85  # of the power of the low tone
    multiples: tuple[float, int, int, int] = 1.5, 2, 3, 4
    look_s: float = 1.5


OCTAVE = OctaveParameters()


def octave_above(
    signal: Signal, c: Candidate, look: F0Estimate, until: float, targets: Targets
) -> Candidate | None:
    """The fifth, octave, twelfth or double octave of a tone that is far more certain than the vague first estimate; else
    None."""
    if look.sigma_all_partials < OCTAVE.vague_cents or targets.tuning is None:
        return None
    power = c.tone.peaks.powers
    for times in OCTAVE.multiples:
        tone = score_tone(c.tone.peaks, c.tone.f1 * times)
        if tone is None or tuning_distance(tone, targets) > tuning_distance(c.tone, targets):
            continue
        if power[tone.number > 0].sum() < OCTAVE.min_power_share * power[c.tone.number > 0].sum():
            continue
        end = min(until, c.onset + OCTAVE.look_s)
        fit = fit_pluck(signal, c.onset + 0.02, end, tone.f1, tone.inharmonicity, rounds=2)
        if fit is not None and fit.sigma_all_partials * OCTAVE.surer_ratio < look.sigma_all_partials:
            return replace(c, tone=tone, rival=0.0)
    return None


def corrected_octave(signal: Signal, c: Candidate, until: float, targets: Targets) -> Candidate | None:
    """The tone an octave, a twelfth or two octaves off a candidate's that scores better in the isolated sound; else None."""
    other = detect_tone(signal, c.onset, until, targets).string
    if other is None or other.tone.score < c.tone.score + DETECTION.octave_score_margin:
        return None
    if tuning_distance(other.tone, targets) == DETECTION.penalty_no_string > tuning_distance(c.tone, targets):
        return None
    return other if is_multiple(other.tone, c.tone) or is_multiple(c.tone, other.tone) else None
