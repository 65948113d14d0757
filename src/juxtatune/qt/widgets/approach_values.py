"""What the approach shows, as plain values."""

from __future__ import annotations

import math
from dataclasses import dataclass

WIDEST = 720.0  # cents at the edge of a column
KNEE = 3.0  # cents: below this the scale is nearly linear


@dataclass(frozen=True)
class TrailPoint:
    age: float  # s before now
    cents: float
    sigma: float


@dataclass(frozen=True)
class Column:
    """One string. `form`: waiting, moving, landed, hollow (came from above), checked."""

    string: int
    note: str
    figure: str
    unit: str
    action: str
    detail: str
    form: str
    cents: float | None
    sigma: float
    held: float
    trail: tuple[TrailPoint, ...]
    low: bool
    high: bool


def across(cents: float, half_width: float) -> float:
    """Px from the target line: one cent and seven half steps can both be read."""
    share = math.asinh(max(-WIDEST, min(WIDEST, cents)) / KNEE) / math.asinh(WIDEST / KNEE)
    return share * half_width


def figure(cents: float) -> tuple[str, str]:
    """(figure, unit) as written: whole half steps far away, cents near by, with a true minus sign."""
    if abs(cents) >= 75:
        steps = cents / 100
        text = f"{steps:+.1f}" if abs(steps - round(steps)) > 0.08 else f"{round(steps):+d}"
        return text.replace("-", "−"), "half step" if abs(
            round(steps)
        ) == 1 and "." not in text else "half steps"
    text = f"{cents:+.1f}"
    return ("0.0" if text in ("+0.0", "-0.0") else text.replace("-", "−")), "¢"
