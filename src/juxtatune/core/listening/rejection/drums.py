"""Rejects drums: they have a tone, but few partials where a string has them, and no clear pitch.

The limits were measured on sampled kits and on heads modelled with the modes of a circular membrane (Rossing 2000,
from memory), against short, distorted and noisy notes of sampled guitars.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.peaks import new_peaks
from juxtatune.core.listening.note.measure import MEASURE
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.tone.twm import score_tone
from juxtatune.core.listening.types import Reading


class DrumsParameters(NamedTuple):
    """Tones of drums; weights are of partials, for each e-fold of vagueness."""

    attack_s: float = 0.018
    look_s: float = 0.3
    min_samples: int = 256
    string_cents: float = 2.0  # what is less vague is a string's
    # of its partials, for each e-fold that it is vaguer: below the first it is a drum's, below the other it may be
    drum_weight: float = 1.0
    doubtful_weight: float = 1.4
    max_doubtful_share: float = 0.5  # of the readings
    sure_weight: float = 4.0  # where most are
    vague_onset_s: float = 0.25  # a string may begin so vaguely
    gap_s: float = 0.02
    same_cents: float = 20.0


DRUMS = DrumsParameters()


def without_drums(signal: Signal, heard: list[Reading]) -> list[Reading]:
    """The readings but for those of drums; where most are doubtful there are only drums, but for what is sure."""
    weights = [string_weight(signal, r) for r in heard]
    if only_drums(weights):
        return [r for r in heard if is_sure(signal, r)]
    out: list[Reading] = []
    begun: Reading | None = None
    for r, weight in zip(heard, weights, strict=True):
        drum = is_drum(r, weight)
        if not drum:
            out.append(r if begun is None else replace(r, start=begun.start, attack_cents=None))
        begun = r if drum and _goes_on(r, heard) else None
    return out


def only_drums(weights: Sequence[float]) -> bool:
    """Whether so many readings of a sound are doubtful, by their weights, that there are only drums in it."""
    doubtful = [w < DRUMS.doubtful_weight for w in weights]
    return len(doubtful) > 0 and float(np.mean(doubtful)) > DRUMS.max_doubtful_share


def is_drum(r: Reading, weight: float) -> bool:
    """Whether a reading by itself is rather a drum's than a string's; what is lost in a drum may still be a string."""
    return r.f1 is not None and weight < DRUMS.drum_weight


def is_sure(signal: Signal, r: Reading) -> bool:
    """Whether a reading is a string's even where there are only drums."""
    return _clear(r) and _weight(signal, r) > DRUMS.sure_weight


def _goes_on(r: Reading, heard: list[Reading]) -> bool:
    """Whether an apparent drum turns into the next reading: a string that is vague as it begins."""
    later = next((q for q in heard if q.start > r.start), None)
    if later is None or later.f1 is None or r.f1 is None:
        return False
    soon = later.start - r.start < DRUMS.vague_onset_s and later.start < r.end + DRUMS.gap_s
    return soon and abs(1200 * np.log2(later.f1 / r.f1)) < DRUMS.same_cents


def _clear(r: Reading) -> bool:
    return r.sigma_all_partials is not None and r.sigma_all_partials < DRUMS.string_cents


def string_weight(signal: Signal, r: Reading) -> float:
    """The weight of its partials for each e-fold that a reading is vaguer than a string's; 0 for what is lost."""
    if r.sigma_all_partials is None:
        return 0.0 if r.problem in (MEASURE.lost_text, MEASURE.short_text) else float("inf")
    if _clear(r):
        return float("inf")
    return _weight(signal, r) / float(np.log(r.sigma_all_partials / DRUMS.string_cents) + 1e-9)


def _weight(signal: Signal, r: Reading) -> float:
    """How much its partials stand out, added up: 1 for one that does without doubt."""
    x, rate = signal
    begin = r.start + DRUMS.attack_s
    part = x[int(begin * rate) : int(min(r.end, begin + DRUMS.look_s) * rate)]
    if r.f1 is None or len(part) < DRUMS.min_samples:
        return 0.0
    tone = score_tone(new_peaks(part, None, rate), r.f1)
    return tone.explained if tone is not None else 0.0
