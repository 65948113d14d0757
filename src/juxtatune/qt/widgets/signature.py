"""The signature of a tuning: one upright stroke a string, shifted by how far it lies from home.

Left is lower, right is higher; thick to thin; a stroke that would pass half the way to its neighbour
stops there and carries a tick.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QLineF, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

HALF_STEP_PX = 3.0


def stroke_width(index: int, count: int) -> float:
    """Width in px of a string's stroke, the lowest thickest."""
    return 3.2 - 2.0 * index / max(1, count - 1)


def shift(semitones: float, spacing: float) -> tuple[float, bool]:
    """Px to move a stroke by, and whether it was stopped at half the distance to its neighbour."""
    limit = max(HALF_STEP_PX, spacing / 2)
    wanted = semitones * HALF_STEP_PX
    if abs(wanted) > limit + 1e-9:
        return (limit if wanted > 0 else -limit), True
    return wanted, False


def places(
    pitches: Sequence[float], home: Sequence[float], left: float, spacing: float, mirrored: bool = False
) -> list[tuple[float, bool]]:
    """(x, stopped) of every string; mirroring turns the order of strings, never lower and higher."""
    count = len(pitches)
    out = []
    for k in range(count):
        slot = count - 1 - k if mirrored else k
        moved, stopped = shift(pitches[k] - home[k], spacing)
        out.append((left + (slot + 0.5) * spacing + moved, stopped))
    return out


def paint_signature(
    painter: QPainter,
    rect: QRectF,
    pitches: Sequence[float],
    home: Sequence[float],
    colour: QColor,
    mirrored: bool = False,
) -> None:
    """Draws a tuning against its home tuning into a small rectangle."""
    spacing = min(12.0, rect.width() / max(1, len(pitches)))
    for k, (x, stopped) in enumerate(places(pitches, home, rect.left(), spacing, mirrored)):
        painter.setPen(QPen(colour, stroke_width(k, len(pitches))))
        painter.drawLine(QLineF(QPointF(x, rect.top()), QPointF(x, rect.bottom())))
        if stopped:
            way = 3.0 if pitches[k] > home[k] else -3.0
            painter.setPen(QPen(colour, 1.2))
            painter.drawLine(QLineF(QPointF(x, rect.top() + 2), QPointF(x + way, rect.top() + 2)))
