"""Values of listening: targets, and readings of plucks held against them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from juxtatune.core.music.notes import Note
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import Tuning

REACH = 350.0  # cents: a pluck further than this from every target is on no string
BEYOND = 150.0  # cents past the target while a string comes from another tuning
# a note is short below the first; none counts as shorter than the second; a frame of it reaches so far
SHORT_S, SHORTEST_S, FRAME_S = 0.5, 0.1, 0.05


@dataclass(frozen=True)
class Targets:
    """What is listened for: a tuning (or None: any note), the one it comes from, and the reference."""

    tuning: Tuning | None = None
    source: Tuning | None = None
    reference: Reference = ISO_16

    def target_hz(self, string: int) -> float:
        assert self.tuning is not None
        return self.reference.hz(self.tuning.pitch(string))

    def span(self, string: int) -> tuple[float, float]:
        """Pitches (MIDI scale, under the reference) at which the string may lie."""
        assert self.tuning is not None
        target = self.tuning.pitch(string)
        low, high = target - REACH / 100, target + REACH / 100
        if self.source is not None:
            start = self.source.pitch(string)
            low = min(start - 0.5, target - BEYOND / 100)
            high = max(start + 0.5, target + BEYOND / 100)
        return low, high

    @cached_property
    def ranges_hz(self) -> list[tuple[float, float]] | None:
        """Frequencies of all strings, or None when any note may come."""
        if self.tuning is None:
            return None
        spans = (self.span(s) for s in self.tuning.strings)
        return [(self.reference.hz(a - 0.3), self.reference.hz(b + 0.3)) for a, b in spans]


@dataclass(frozen=True)
class Damping:
    """ln of the decay rate (1/s, of amplitude) at 400 Hz, and how it grows with ln frequency; each with its 1σ."""

    level: float
    slope: float
    level_sigma: float
    slope_sigma: float


@dataclass(frozen=True)
class Reading:
    """One pluck. Times in s; `f1` in Hz is the settled pitch, None when it cannot be read (`problem`).

    `attack_cents` is against the same target as `cents`; `pitch` is on the MIDI scale under the reference.
    `inharmonicity` is the inharmonicity coefficient B, with its 1σ, `damping` None where nobody asked for it;
    `heard` is the chance that the octave is right.
    """

    start: float
    end: float
    f1: float | None
    pitch: float | None
    string: int | None
    target: Note | None
    target_hz: float | None
    note: Note | None
    cents: float | None
    sigma_cents: float | None
    attack_cents: float | None
    confidence: float
    level_db: float
    also: tuple[int, ...] = ()
    problem: str | None = None
    settled: bool = True
    inharmonicity: float | None = None
    inharmonicity_sigma: float | None = None
    damping: Damping | None = None
    heard: float = 1.0
    phases_cents: float | None = None  # 1σ by its own phases alone, of a note however long

    @property
    def sigma_all_partials(self) -> float | None:
        """How vague its pitch is: 1σ, and more where it is so short that a drum, too, may be so sure for a moment."""
        sigma = self.sigma_cents if self.phases_cents is None else self.phases_cents
        return None if sigma is None else sigma * cut_short(self.end - self.start, 1.0)


def cut_short(lasts: float, intrinsic_scatter: float) -> float:
    """Factor by which 1σ grows for a note of so many seconds, where partials scatter by themselves and have not converged."""
    return 1 + intrinsic_scatter * (SHORT_S / max(lasts - FRAME_S, SHORTEST_S)) ** 2
