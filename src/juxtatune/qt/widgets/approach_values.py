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
    """One string; cents are against what it must read now.

    `head` names it with its note. `form`: waiting, moving, landed, hollow (came from above), checked.
    """

    string: int
    note: str
    head: str
    figure: str
    unit: str
    action: str
    detail: str
    form: str
    cents: float | None
    sigma: float
    held: float
    trail: tuple[TrailPoint, ...]
    ghost: float | None = None  # cents from the line to where the string will end


def across(cents: float, half_width: float) -> float:
    """Px from the target line: one cent and seven half steps can both be read."""
    share = math.asinh(max(-WIDEST, min(WIDEST, cents)) / KNEE) / math.asinh(WIDEST / KNEE)
    return share * half_width


def figure(cents: float) -> tuple[str, str]:
    """(figure, unit): half steps above or below far away, signed cents with a true minus near by."""
    if abs(cents) >= 75:
        steps = abs(cents) / 100
        whole = abs(steps - round(steps)) <= 0.08
        text = str(round(steps)) if whole else f"{steps:.1f}"
        side = "above" if cents > 0 else "below"
        return text, f"half step{'' if text == '1' else 's'} {side}"
    text = f"{cents:+.1f}"
    return ("0.0" if text in ("+0.0", "-0.0") else text.replace("-", "−")), "¢"
