"""Which string-like tone explains a set of spectral peaks: its pitch, with rivals kept for honesty.

Every peak proposes fundamentals by division; each is scored by the weight of the peaks it explains less
a penalty for partials that should be there and are not, the idea of the two-way mismatch of Maher and
Beauchamp (1994). Partials may be stretched by stiffness (Fletcher 1964).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juxtatune.core.listening import kernels
from juxtatune.core.listening.peaks import Peaks

LOWEST_F0, HIGHEST_F0 = 26.0, 1450.0
BEST = 24
TRACE = 100.0  # in power


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
    return sorted(_raised(tones, peaks), key=lambda t: -t.score)


def _raised(tones: list[Tone], peaks: Peaks) -> list[Tone]:
    """The tones, each moved up to the octave, twelfth or double octave that carries all but a trace of its power.

    A lower string that rings along lends a strong tone the partials between; no picked string lacks them so.
    """
    out: dict[int, Tone] = {}
    for tone in tones:
        better = next((up for m in (4, 3, 2) if (up := _multiple(tone, m, peaks)) is not None), tone)
        key = round(1200 * np.log2(better.f1) / 10)
        if key not in out or out[key].score < better.score:
            out[key] = better
    return list(out.values())


def _multiple(tone: Tone, m: int, peaks: Peaks) -> Tone | None:
    """The tone at m times the frequency when partials that are no multiples of m are only a trace beside it."""
    on = off = 0.0
    for n, hz, _ in tone.matched:
        power = peaks.power(hz)
        on, off = (on + power, off) if n % m == 0 else (on, off + power)
    if on < TRACE * off or on == 0.0:
        return None
    up = score_tone(peaks, m * tone.f1)
    return None if up is None else replace(up, score=max(up.score, tone.score))


def score_tone(peaks: Peaks, f1: float) -> Tone | None:
    """Matches the peaks to the partials of a tone near f1, refining it; None when nothing fits."""
    number = np.zeros(len(peaks), np.int64)
    value, refined, stretch = kernels.score(peaks.hz, peaks.weight, peaks.resolution, f1, number)
    matched = np.flatnonzero(number)
    if len(matched) == 0:
        return None
    rows = ((int(number[k]), float(peaks.hz[k]), float(peaks.weight[k])) for k in matched)
    return Tone(float(refined), float(stretch), float(value), tuple(sorted(rows)))
