"""What a log holds that teaches something. Values only."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class RetuneEvent:
    """One retune: moves in half steps by string, tuning rounds, string checks in all, seconds it took."""

    instrument: str
    changes: tuple[tuple[int, float], ...]
    passes: float
    checked: int
    seconds: float
    bridge: str = "fixed"
    strings: int = 6


@dataclass(frozen=True)
class TimedEvent:
    """A swap to an instrument, or a capo moved on it."""

    kind: str
    instrument: str
    seconds: float


@dataclass(frozen=True)
class ReadingEvent:
    """Where a string stood, in cents; `direction` is that of its last move."""

    instrument: str
    string: int
    cents: float
    after: str
    direction: str | None
    arm_work: bool


@dataclass(frozen=True)
class Log:
    """All events in order, and every instrument that is named in any of them."""

    retunes: tuple[RetuneEvent, ...] = ()
    timed: tuple[TimedEvent, ...] = ()
    readings: tuple[ReadingEvent, ...] = ()
    instruments: tuple[str, ...] = ()
