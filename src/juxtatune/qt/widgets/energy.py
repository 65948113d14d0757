"""The energy lane beside a score: a dot for each song, a line for what is wanted, drawn by hand."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QObject, QPointF, Qt, Signal
from PySide6.QtGui import QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.score_values import Score

LANE = 76.0
WIDE = 60.0
LEAST_MOST = 5.0  # energy at the right edge of the lane, at least


class EnergyLane(QObject):
    """Right is more energy. `bent` tells the places drawn over and the energy wanted there, once the pointer lets go."""

    bent = Signal(object)

    def __init__(self, canvas: QWidget) -> None:
        super().__init__(canvas)
        self._canvas = canvas
        self._drawn: dict[int, float] = {}

    def paint(self, p: QPainter, score: Score, left: float, tops: list[float]) -> None:
        if not score.rows or score.rows[0].wanted is None:
            return
        c, most = Theme.now, _most(score)
        p.setFont(font(14))
        p.setPen(c.muted)
        p.drawText(QPointF(left, 64), "energy")
        height = tops[1] - tops[0] if len(tops) > 1 else 30.0
        path = QPainterPath()
        for k, (row, top) in enumerate(zip(score.rows, tops, strict=True)):
            y = top + height / 2 + 4
            wanted = self._drawn.get(k, row.wanted or 0.0)
            spot = QPointF(left + WIDE * wanted / most, y)
            path.lineTo(spot) if k else path.moveTo(spot)
            p.setPen(QPen(c.line, 1))
            p.drawLine(QLineF(left, y, left + WIDE, y))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c.text)
            p.drawEllipse(QPointF(left + WIDE * row.energy / most, y), 3.5, 3.5)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(c.attention, 2))
        p.drawPath(path)

    def draw_at(self, score: Score, left: float, tops: list[float], height: float, at: QPointF) -> bool:
        """Takes a point of the pointer; False when it lies outside the lane."""
        if not score.rows or score.rows[0].wanted is None or not left - 4 <= at.x() <= left + WIDE + 8:
            return False
        row = next((k for k, top in enumerate(tops) if top <= at.y() < top + height), None)
        if row is None:
            return False
        self._drawn[row] = round(min(1.0, max(0.0, (at.x() - left) / WIDE)) * _most(score) * 2) / 2
        self._canvas.update()
        return True

    def settle(self) -> None:
        """Reports what was drawn."""
        drawn, self._drawn = self._drawn, {}
        if drawn:
            self.bent.emit(drawn)


def _most(score: Score) -> float:
    return max([LEAST_MOST, *(r.energy for r in score.rows), *((r.wanted or 0.0) for r in score.rows)])
