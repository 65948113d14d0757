"""Rejects drums: they have a tone, but few partials where a string has them, and no clear pitch.

The limits were measured on sampled kits and on heads modelled with the modes of a circular membrane (Rossing 2000,
from memory), against short, distorted and noisy notes of sampled guitars.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from juxtatune.core.listening.dsp.peaks import new_peaks
from juxtatune.core.listening.note.measure import LOST, TOO_SHORT
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.tone.twm import score_tone
from juxtatune.core.listening.types import Reading

ATTACK_S, LOOK_S, LEAST_SAMPLES = 0.018, 0.3, 256
STRING_CENTS = 2.0  # what is less vague is a string's
# of its partials, for each e-fold that it is vaguer: below the first it is a drum's, below the other it may be
DRUM_WEIGHT, DOUBTFUL_WEIGHT = 1.0, 1.4
MOST_DOUBTFUL = 0.5  # of the readings
SURE_WEIGHT = 4.0  # where most are
BEGINS_S, GAP_S, SAME_CENTS = 0.25, 0.02, 20.0  # a string may begin so vaguely


def without_drums(x: Samples, rate: float, heard: list[Reading]) -> list[Reading]:
    """The readings but for those of drums; where most are doubtful there are only drums, but for what is sure."""
    weights = [_weight_for_doubt(x, rate, r) for r in heard]
    if heard and np.mean([w < DOUBTFUL_WEIGHT for w in weights]) > MOST_DOUBTFUL:
        return [r for r in heard if _clear(r) and _weight(x, rate, r) > SURE_WEIGHT]
    out: list[Reading] = []
    begun: Reading | None = None
    for r, w in zip(heard, weights, strict=True):
        # what is lost in a drum may still be a string
        drum = r.f1 is not None and w < DRUM_WEIGHT
        if not drum:
            out.append(r if begun is None else replace(r, start=begun.start, attack_cents=None))
        begun = r if drum and _goes_on(r, heard) else None
    return out


def _goes_on(r: Reading, heard: list[Reading]) -> bool:
    """Whether an apparent drum turns into the next reading: a string that is vague as it begins."""
    later = next((q for q in heard if q.start > r.start), None)
    if later is None or later.f1 is None or r.f1 is None:
        return False
    soon = later.start - r.start < BEGINS_S and later.start < r.end + GAP_S
    return soon and abs(1200 * np.log2(later.f1 / r.f1)) < SAME_CENTS


def is_drum(x: Samples, rate: float, r: Reading) -> bool:
    """Whether a reading by itself is rather a drum's than a string's."""
    return r.f1 is not None and _weight_for_doubt(x, rate, r) < DRUM_WEIGHT


def _clear(r: Reading) -> bool:
    return r.sigma_all_partials is not None and r.sigma_all_partials < STRING_CENTS


def _weight_for_doubt(x: Samples, rate: float, r: Reading) -> float:
    """The weight of its partials for each e-fold that a reading is vaguer than a string's; 0 for what is lost."""
    if r.sigma_all_partials is None:
        return 0.0 if r.problem in (LOST, TOO_SHORT) else float("inf")
    if _clear(r):
        return float("inf")
    return _weight(x, rate, r) / float(np.log(r.sigma_all_partials / STRING_CENTS) + 1e-9)


def _weight(x: Samples, rate: float, r: Reading) -> float:
    """How much its partials stand out, added up: 1 for one that does without doubt."""
    begin = r.start + ATTACK_S
    part = x[int(begin * rate) : int(min(r.end, begin + LOOK_S) * rate)]
    if r.f1 is None or len(part) < LEAST_SAMPLES:
        return 0.0
    tone = score_tone(new_peaks(part, None, rate), r.f1)
    return tone.explained if tone is not None else 0.0
