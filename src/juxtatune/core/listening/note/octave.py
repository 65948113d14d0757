"""Octave correction upward, by fits.

A bass an octave, a twelfth or a fifth below makes both sound as one low tone. Their fits tell: the low tone's partials are
those of two instruments, which are never in tune to a hundredth of a cent.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from juxtatune.core.listening.event.detect import Candidate, tuning_distance
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
