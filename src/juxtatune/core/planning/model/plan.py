"""A plan for a night: the order, each gap string by string, and what it costs. Values only."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.repertoire.night import Gig


@dataclass(frozen=True)
class Slot:
    """A song in its part; `way` is None for a song already played."""

    song: str
    part: int
    way: int | None


@dataclass(frozen=True)
class Retune:
    """One string moved; pitches on the MIDI scale."""

    instrument: str
    string: int
    source: float
    target: float


@dataclass(frozen=True)
class Gap:
    after: str
    before: str
    swap_s: float
    capo_s: float
    retunes: tuple[Retune, ...]
    work_s: float
    cover_s: float
    dead_s: float


@dataclass(frozen=True)
class Idle:
    """What the technician does to one instrument during a song."""

    during: str
    instrument: str
    retunes: tuple[Retune, ...]


@dataclass(frozen=True)
class Totals:
    objective: float
    dead_s: float
    work_s: float
    compromise_s: float
    curve_s: float
    swaps: int
    strings_retuned: int


@dataclass(frozen=True)
class Plan:
    """`start[part]` gives every instrument's tuning when the part begins."""

    order: tuple[Slot, ...]
    gaps: tuple[Gap, ...]
    start: tuple[Mapping[str, Tuning], ...]
    idle: tuple[Idle, ...]
    totals: Totals


@dataclass(frozen=True)
class Decisions:
    """The decisions of a plan without their prices: what a player or a solver chose.

    `gap_retunes[k]` are the retunes straight before place k, `idle_retunes[k]` those during its song.
    """

    order: tuple[Slot, ...]
    start: tuple[Mapping[str, tuple[float, ...]], ...]
    gap_retunes: Mapping[int, tuple[Retune, ...]]
    idle_retunes: Mapping[int, tuple[Retune, ...]]


def played_count(gig: Gig) -> int:
    return len(gig.night.now.played) if gig.night.now else 0
