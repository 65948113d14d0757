"""Which string-like tone explains a set of spectral peaks: its pitch, with rivals kept for honesty.

Every peak proposes fundamentals by division; each is scored by the weight of the peaks it explains less
a penalty for partials that should be there and are not, the idea of the two-way mismatch of Maher and
Beauchamp (1994). Partials may be stretched by stiffness (Fletcher 1964).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening import matching
from juxtatune.core.listening.peaks import Peaks

LOWEST_F0, HIGHEST_F0 = 26.0, 1450.0
RICH, RICH_LOW = 6.0, 6  # in weight; of the first eight partials
RICHER, RICHER_LOW = 15.0, 4  # the same where some lie upon what sounded before
F = NDArray[np.float64]


@dataclass(frozen=True)
class Tone:
    """A fundamental in Hz with its score (0 to 1), its stretch B and the peaks that belong to it: (partial, Hz, weight).

    `power` is what these peaks carry.
    """

    f1: float
    stretch: float
    score: float
    matched: tuple[tuple[int, float, float], ...]
    power: float

    @property
    def explained(self) -> float:
        return sum(w for _, _, w in self.matched)

    @property
    def rich(self) -> bool:
        """Whether so much is explained, low partials most, that it is a string whatever else sounds."""
        low = sum(n <= 8 for n, _, _ in self.matched)
        return (self.explained >= RICH and low >= RICH_LOW) or (
            self.explained >= RICHER and low >= RICHER_LOW
        )


def candidates(peaks: Peaks, ranges: list[tuple[float, float]] | None = None) -> list[Tone]:
    """Tones that could explain the peaks, best first; `ranges` in Hz limit the fundamentals."""
    f1, stretch, scores, number = _found(peaks, ranges)
    return [_tone(peaks, f1[k], stretch[k], scores[k], number[k]) for k in np.argsort(-scores, kind="stable")]


def likeliest(peaks: Peaks, ranges: list[tuple[float, float]] | None = None) -> Tone | None:
    """The first of the candidates."""
    f1, stretch, scores, number = _found(peaks, ranges)
    if len(scores) == 0:
        return None
    k = int(np.argmax(scores))
    return _tone(peaks, f1[k], stretch[k], scores[k], number[k])


def _found(peaks: Peaks, ranges: list[tuple[float, float]] | None) -> tuple[F, F, F, NDArray[np.int64]]:
    order = np.argsort(-peaks.weight, kind="stable")[:10]
    proposals = np.sort((peaks.hz[order][:, None] / np.arange(1, 13)[None, :]).ravel())
    allowed = (proposals > LOWEST_F0) & (proposals < HIGHEST_F0)
    if ranges is not None:
        inside = np.zeros(len(proposals), bool)
        for low, high in ranges:
            inside |= (proposals >= low) & (proposals <= high)
        allowed &= inside
    found: tuple[F, F, F, NDArray[np.int64]] = matching.best_tones(
        peaks.hz, peaks.weight, peaks.powers, peaks.resolution, proposals[allowed]
    )
    return found


def score_tone(peaks: Peaks, f1: float) -> Tone | None:
    """Matches the peaks to the partials of a tone near f1, refining it; None when nothing fits."""
    number = np.zeros(len(peaks), np.int64)
    value, refined, stretch = matching.score(
        peaks.hz, peaks.weight, peaks.powers, peaks.resolution, f1, number
    )
    return _tone(peaks, refined, stretch, value, number) if number.any() else None


def _tone(peaks: Peaks, f1: float, stretch: float, score: float, number: NDArray[np.int64]) -> Tone:
    own = np.flatnonzero(number)
    columns = (number[own].tolist(), peaks.hz[own].tolist(), peaks.weight[own].tolist())
    power = float(peaks.powers[own].sum())
    return Tone(float(f1), float(stretch), float(score), tuple(zip(*columns, strict=True)), power)
