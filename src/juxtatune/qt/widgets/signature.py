"""The signature of a tuning: one upright stroke a string, shifted by how far it lies from home.

Left is lower, right is higher; thick to thin. The scale bends: up to two half steps at full size, then less and
less up to seven. Strokes never cross: two that would share the room between them touch. A stroke that stands
elsewhere than its pitch says carries a tick.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QLineF, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from juxtatune.qt.theme import Theme

HALF_STEP_PX = 3.0  # at least
FULL = 2.0  # half steps at full size
MOST = 7.0  # half steps at the end of the scale
BEND = 1.2
TOUCH_PX = 2.4  # from the middle of one stroke to that of the next where they touch
WIDEST = 12.0  # px between strings in a list


@dataclass(frozen=True)
class Stroke:
    """Where a string is drawn; `stopped` when its pitch would put it elsewhere."""

    x: float
    stopped: bool


def stroke_width(index: int, count: int) -> float:
    """Width in px of a string's stroke, the lowest thickest; of a twelve-string the octave strings are thin."""
    if count == 12:
        return 1.3 if index % 2 == 0 else 3.0 - 1.6 * index / 11
    return 3.2 - 2.0 * index / max(1, count - 1)


def lanes(count: int) -> list[float]:
    """Home places in units of the spacing; the strings of a course stand close together."""
    if count == 12:
        return [(k // 2) * 2 + (0.62 if k % 2 == 0 else 1.38) for k in range(12)]
    return [k + 0.5 for k in range(count)]


def shift(semitones: float, spacing: float) -> float:
    """Px to move a stroke by: full size up to two half steps, then bending towards seven."""
    unit = max(HALF_STEP_PX, spacing / 4)
    size = min(abs(semitones), MOST)
    far = max(0.0, size - FULL) / (MOST - FULL)
    px: float = unit * min(size, FULL) + max(3.5, spacing / 2) * (1 - (1 - far) ** BEND)
    return px if semitones > 0 else -px


def places(pitches: Sequence[float], home: Sequence[float], left: float, spacing: float) -> list[Stroke]:
    """Where every string stands. A left-handed view turns the order of strings, never lower and higher."""
    count = len(pitches)
    base = lanes(count)
    if Theme.left_handed:
        base = [count - b for b in base]
    wanted = [left + b * spacing + shift(p - h, spacing) for b, p, h in zip(base, pitches, home, strict=True)]
    order = sorted(range(count), key=lambda k: base[k])
    apart = [wanted[k] - n * TOUCH_PX for n, k in enumerate(order)]
    xs = dict(zip(order, (x + n * TOUCH_PX for n, x in enumerate(_rising(apart))), strict=True))
    return [
        Stroke(xs[k], abs(xs[k] - wanted[k]) > 0.3 or abs(pitches[k] - home[k]) > MOST) for k in range(count)
    ]


def _rising(values: list[float]) -> list[float]:
    """The nearest values that never fall: pools of neighbours that would cross stand at their mean."""
    pools: list[list[float]] = []
    for value in values:
        pools.append([value, 1.0])
        while len(pools) > 1 and pools[-2][0] > pools[-1][0]:
            mean, size = pools.pop()
            other = pools[-1]
            other[0] = (other[0] * other[1] + mean * size) / (other[1] + size)
            other[1] += size
    return [mean for mean, size in pools for _ in range(int(size))]


def signature_width(count: int) -> float:
    """Px that a signature takes in a list, with room to lean on either side."""
    return min(110.0, WIDEST * (count + 2))


def paint_signature(
    painter: QPainter, rect: QRectF, pitches: Sequence[float], home: Sequence[float], colour: QColor
) -> None:
    """Draws a tuning against its home tuning into a small rectangle; dots mark the places of home."""
    count = len(pitches)
    spacing = rect.width() / (count + 2)
    left = rect.left() + spacing
    painter.setPen(QPen(colour, 1.0))
    for lane in lanes(count):
        for y in (rect.top() - 2, rect.bottom() + 2):
            painter.drawPoint(QPointF(left + lane * spacing, y))
    for k, stroke in enumerate(places(pitches, home, left, spacing)):
        painter.setPen(QPen(colour, stroke_width(k, count)))
        painter.drawLine(QLineF(stroke.x, rect.top(), stroke.x, rect.bottom()))
        if stroke.stopped:
            way = 3.0 if pitches[k] > home[k] else -3.0
            painter.setPen(QPen(colour, 1.2))
            painter.drawLine(QLineF(stroke.x, rect.top() + 2, stroke.x + way, rect.top() + 2))
