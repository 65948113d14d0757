"""Two-way mismatch: which string-like tone explains a set of spectral peaks, with its rivals.

Every peak proposes fundamentals by division; each is scored by the weight of the peaks it explains less
a penalty for partials that should be there and are not, the idea of the two-way mismatch of Maher and
Beauchamp (1994). Partials may be stretched by stiffness (Fletcher 1964).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.peaks import Peaks
from juxtatune.core.listening.tone import kernels as tone_kernels


class TwmParameters(NamedTuple):
    """Two-way mismatch."""

    proposing: tuple[int, int] = 10, 12  # peaks that propose fundamentals, and the partials each may be
    min_f0_hz: float = 26.0
    max_f0_hz: float = 1450.0
    rich_weight: float = 6.0
    rich_low_partials: int = 6  # of the first eight
    richer_weight: float = 15.0  # the same where some lie upon what sounded before
    richer_low_partials: int = 4


TWM = TwmParameters()


F = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Tone:
    """A fundamental in Hz with its score (0 to 1), its inharmonicity B, the power its partials carry, and the number of each of
    the peaks that is a partial (0: it is not)."""

    f1: float
    inharmonicity: float
    score: float
    power: float
    peaks: Peaks
    number: NDArray[np.int64]

    @cached_property
    def matched(self) -> tuple[tuple[int, float, float], ...]:
        """The peaks that belong to it: (partial, Hz, weight)."""
        own = np.flatnonzero(self.number)
        columns = self.number[own], self.peaks.hz[own], self.peaks.weight[own]
        return tuple(zip(*(c.tolist() for c in columns), strict=True))

    @cached_property
    def explained(self) -> float:
        """Weight of its peaks."""
        return sum(w for _, _, w in self.matched)

    @cached_property
    def rich(self) -> bool:
        """Whether so much is explained, low partials most, that it is a string whatever else sounds."""
        low = sum(n <= 8 for n, _, _ in self.matched)
        return (self.explained >= TWM.rich_weight and low >= TWM.rich_low_partials) or (
            self.explained >= TWM.richer_weight and low >= TWM.richer_low_partials
        )


def candidates(peaks: Peaks, ranges: list[tuple[float, float]] | None = None) -> list[Tone]:
    """Tones that could explain the peaks, best first; `ranges` in Hz limit the fundamentals."""
    found = _found(peaks, ranges, TWM.proposing)
    return _tones(peaks, found, np.argsort(-found.score, kind="stable"))


def likeliest(
    peaks: Peaks, ranges: list[tuple[float, float]] | None = None, proposing: tuple[int, int] = TWM.proposing
) -> Tone | None:
    """The first of the candidates that so many peaks propose, as so many partials each."""
    found = _found(peaks, ranges, proposing)
    if len(found.score) == 0:
        return None
    return _tones(peaks, found, np.array([np.argmax(found.score)]))[0]


class _Found(NamedTuple):
    """Tones, one a row: f1 (Hz), B, score, power, and the number of each of the peaks (K, peaks)."""

    f1: F
    inharmonicity: F
    score: F
    power: F
    number: NDArray[np.int64]


def _found(peaks: Peaks, ranges: list[tuple[float, float]] | None, proposing: tuple[int, int]) -> _Found:
    proposals = tone_kernels.proposed(peaks.hz, peaks.weight, *proposing, TWM.min_f0_hz, TWM.max_f0_hz)
    if ranges is not None:
        inside = np.zeros(len(proposals), bool)
        for low, high in ranges:
            inside |= (proposals >= low) & (proposals <= high)
        proposals = proposals[inside]
    return _Found(*tone_kernels.best_tones(peaks.hz, peaks.weight, peaks.powers, peaks.resolution, proposals))


def _tones(peaks: Peaks, found: _Found, rows: NDArray[np.int64]) -> list[Tone]:
    *columns, number = found
    each = zip(*(column[rows].tolist() for column in columns), number[rows], strict=True)
    return [Tone(f1, inharmonicity, score, power, peaks, n) for f1, inharmonicity, score, power, n in each]


def score_tone(peaks: Peaks, f1: float) -> Tone | None:
    """Matches the peaks to the partials of a tone near f1, refining it; None when nothing fits."""
    number = np.zeros(len(peaks), np.int64)
    value, refined, inharmonicity = tone_kernels.score(
        peaks.hz, peaks.weight, peaks.powers, peaks.resolution, f1, number
    )
    if not number.any():
        return None
    return Tone(refined, inharmonicity, value, float(peaks.powers[number > 0].sum()), peaks, number)
