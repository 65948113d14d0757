"""Octave correction upward: a bass an octave, a twelfth or a fifth below makes both sound as one low tone.

Their fits tell: the low tone's partials are those of two instruments, which are never in tune to a hundredth of a cent.
"""

from __future__ import annotations

from dataclasses import replace

from juxtatune.core.listening.event.detect import Candidate, tuning_distance
from juxtatune.core.listening.f0.estimate import F0Estimate, fit_pluck
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.tone.twm import score_tone
from juxtatune.core.listening.types import Targets

VAGUE = 1.0  # cents: what is surer is one tone
FAR_SURER = 5.0  # times
MOSTLY = 0.85  # of the power of the low tone
MULTIPLES = 1.5, 2, 3, 4
LOOK_S = 1.5


def octave_above(
    x: Samples, rate: float, c: Candidate, look: F0Estimate, until: float, targets: Targets
) -> Candidate | None:
    """The fifth, octave, twelfth or double octave of a tone that is far more certain than the vague first estimate; else
    None."""
    if look.sigma_all_partials < VAGUE or targets.tuning is None:
        return None
    power = c.tone.peaks.powers
    for times in MULTIPLES:
        tone = score_tone(c.tone.peaks, c.tone.f1 * times)
        if tone is None or tuning_distance(tone, targets) > tuning_distance(c.tone, targets):
            continue
        if power[tone.number > 0].sum() < MOSTLY * power[c.tone.number > 0].sum():
            continue
        end = min(until, c.onset + LOOK_S)
        fit = fit_pluck(x, rate, c.onset + 0.02, end, tone.f1, tone.inharmonicity, rounds=2)
        if fit is not None and fit.sigma_all_partials * FAR_SURER < look.sigma_all_partials:
            return replace(c, tone=tone, rival=0.0)
    return None
