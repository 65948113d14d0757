"""Which string-like tone explains a set of spectral peaks: its pitch, with rivals kept for honesty.

Every peak proposes fundamentals by division; each is scored by the weight of the peaks it explains less
a penalty for partials that should be there and are not, the idea of the two-way mismatch of Maher and
Beauchamp (1994). Partials may be stretched by stiffness (Fletcher 1964).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.peaks import Peaks

MOST_STRETCH = 4e-4  # largest inharmonicity coefficient B that is looked for
LOWEST_F0, HIGHEST_F0 = 26.0, 1450.0
MISSING = 0.55


@dataclass(frozen=True)
class Tone:
    """A fundamental in Hz with its score (0 to 1) and the peaks that belong to it: (partial, Hz, weight)."""

    f1: float
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
    proposals = (peaks.hz[order][:, None] / np.arange(1, 13)[None, :]).ravel()
    proposals = np.unique(np.round(proposals, 3))
    allowed = (proposals > LOWEST_F0) & (proposals < HIGHEST_F0)
    if ranges is not None:
        allowed &= np.any([(proposals >= a) & (proposals <= b) for a, b in ranges], axis=0)
    tones = [tone for f in _thinned(proposals[allowed]) if (tone := score_tone(peaks, float(f))) is not None]
    return sorted(tones, key=lambda t: -t.score)


def _thinned(proposals: NDArray[np.float64]) -> NDArray[np.float64]:
    """Proposals nearer than 8 cents to the one before are left out."""
    if len(proposals) == 0:
        return proposals
    keep = [0]
    for k in range(1, len(proposals)):
        if proposals[k] / proposals[keep[-1]] > 1.0046:
            keep.append(k)
    return proposals[keep]


def score_tone(peaks: Peaks, f1: float, rounds: int = 2) -> Tone | None:
    """Matches the peaks to the partials of a tone near f1, refining it; None when too little fits."""
    stretch = 0.0
    matched: NDArray[np.int64] = np.zeros(0, np.int64)
    numbers: NDArray[np.int64] = np.zeros(0, np.int64)
    for _ in range(rounds):
        numbers, matched = _match(peaks, f1, stretch)
        if len(matched) == 0:
            return None
        f1, stretch = _refine(peaks, numbers, matched, f1)
    numbers, matched = _match(peaks, f1, stretch)
    if len(matched) == 0:
        return None
    weight = peaks.weight[matched]
    present = dict(zip(numbers.tolist(), weight.tolist(), strict=True))
    top = min(max(present), 10)
    expected, missing = 0.0, 0.0
    for n in range(1, top + 1):
        around = max((present.get(m, 0.0) for m in range(max(1, n - 2), n + 3)), default=0.0)
        expected += around
        missing += around - present.get(n, 0.0) if n not in present else 0.0
    lack = missing / expected if expected > 0 else 1.0
    score = float(weight.sum() / peaks.weight.sum()) - MISSING * lack
    rows = tuple((int(n), float(peaks.hz[k]), float(peaks.weight[k])) for n, k in zip(numbers, matched, strict=True))
    return Tone(float(f1), score, rows)


def _match(peaks: Peaks, f1: float, stretch: float) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Partial numbers and peak indices that fit; each partial takes its heaviest peak."""
    n = np.maximum(1, np.round(_unstretched(peaks.hz / f1, stretch)))
    expected = n * f1 * np.sqrt((1 + stretch * n * n) / (1 + stretch))
    off = peaks.hz - expected
    sharp = n * f1 * (np.sqrt(1 + MOST_STRETCH * n * n) - 1) * (1.0 if stretch == 0 else 0.3)
    slack = np.minimum(0.35 * peaks.resolution + 0.006 * f1 * np.sqrt(n), 0.2 * f1)
    fits = np.flatnonzero((off > -slack) & (off < slack + np.minimum(sharp, 0.25 * f1)) & (n <= 30))
    best: dict[int, int] = {}
    for k in fits:
        number = int(n[k])
        if number not in best or peaks.weight[k] > peaks.weight[best[number]]:
            best[number] = int(k)
    numbers = np.array(sorted(best), np.int64)
    return numbers, np.array([best[int(m)] for m in numbers], np.int64)


def _unstretched(ratio: NDArray[np.float64], stretch: float) -> NDArray[np.float64]:
    """Partial number of a frequency ratio under stretch, by one fixed-point step."""
    return ratio / np.sqrt((1 + stretch * ratio * ratio) / (1 + stretch))


def _refine(
    peaks: Peaks, numbers: NDArray[np.int64], matched: NDArray[np.int64], f1: float
) -> tuple[float, float]:
    """Weighted least squares of (f_n / n)² = f0² (1 + B n²), linear in f0² and f0² B."""
    n = numbers.astype(float)
    y = (peaks.hz[matched] / n) ** 2
    w = peaks.weight[matched] * n
    if len(n) < 3:
        return float(np.sqrt(np.sum(w * y) / np.sum(w))), 0.0
    a = np.stack([np.ones_like(n), n * n], axis=1) * w[:, None]
    (p, q), *_ = np.linalg.lstsq(a, y * w, rcond=None)
    if p <= 0 or not 0 <= q / p <= MOST_STRETCH:
        q = 0.0
        p = float(np.sum(w * w * y) / np.sum(w * w))
    return float(np.sqrt(p + q)), float(q / p)
