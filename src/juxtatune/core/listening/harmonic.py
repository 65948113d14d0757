"""Which string-like tone explains a set of spectral peaks: its pitch, with rivals kept for honesty.

Every peak proposes fundamentals by division; each is scored by the weight of the peaks it explains less
a penalty for partials that should be there and are not, the idea of the two-way mismatch of Maher and
Beauchamp (1994). Partials may be stretched by stiffness (Fletcher 1964).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juxtatune.core.listening import kernels
from juxtatune.core.listening.peaks import Peaks

LOWEST_F0, HIGHEST_F0 = 26.0, 1450.0
BEST = 24


@dataclass(frozen=True)
class Tone:
    """A fundamental in Hz with its score (0 to 1), its stretch B and the peaks that belong to it: (partial, Hz, weight)."""

    f1: float
    stretch: float
    score: float
    matched: tuple[tuple[int, float, float], ...]

    @property
    def explained(self) -> float:
        return sum(w for _, _, w in self.matched)


def candidates(peaks: Peaks, ranges: list[tuple[float, float]] | None = None) -> list[Tone]:
    """Tones that could explain the peaks, best first; `ranges` in Hz limit the fundamentals."""
    if len(peaks) == 0:
        return []
    order = np.argsort(-peaks.weight, kind="stable")[:10]
    proposals = np.sort((peaks.hz[order][:, None] / np.arange(1, 13)[None, :]).ravel())
    allowed = (proposals > LOWEST_F0) & (proposals < HIGHEST_F0)
    if ranges is not None:
        inside = np.zeros(len(proposals), bool)
        for low, high in ranges:
            inside |= (proposals >= low) & (proposals <= high)
        allowed &= inside
    proposals = proposals[allowed]
    scores, refined = np.empty(len(proposals)), np.empty(len(proposals))
    kernels.score_all(peaks.hz, peaks.weight, peaks.resolution, proposals, scores, refined)
    tones: list[Tone] = []
    for k in np.argsort(-scores, kind="stable")[:BEST]:
        known = any(abs(refined[k] / tone.f1 - 1) < 0.003 for tone in tones)
        if not known and (tone := score_tone(peaks, float(proposals[k]))) is not None:
            tones.append(tone)
    return sorted(tones, key=lambda t: -t.score)


def score_tone(peaks: Peaks, f1: float) -> Tone | None:
    """Matches the peaks to the partials of a tone near f1, refining it; None when nothing fits."""
    number = np.zeros(len(peaks), np.int64)
    value, refined, stretch = kernels.score(peaks.hz, peaks.weight, peaks.resolution, f1, number)
    matched = np.flatnonzero(number)
    if len(matched) == 0:
        return None
    rows = ((int(number[k]), float(peaks.hz[k]), float(peaks.weight[k])) for k in matched)
    return Tone(float(refined), float(stretch), float(value), tuple(sorted(rows)))
