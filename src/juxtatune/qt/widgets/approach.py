"""The approach: every string a column with its target line, the measured pitch a trail across it.

The newest reading is at the top, under its figure, and the past sinks. The string being played opens wide.
"""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.approach_values import Column, across

WIDE_SHARE = 0.31
LEAST = 44
GAP = 8
TRAIL_S = 9.0
MARKS = (-500, -100, -20, -5, 5, 20, 100, 500)


class ApproachWidget(QWidget):
    """Values in, picture out; reports the string that is clicked."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._columns: tuple[Column, ...] = ()
        self.mirrored = False
        self._active = 0
        self._tolerance = 2.0
        self.setAccessibleName("Approach of every string to its target")
        self.setMinimumSize(QSize(420, 280))

    def set_columns(self, columns: tuple[Column, ...], active: int, tolerance: float) -> None:
        self._columns = columns[::-1] if self.mirrored else columns
        self._active, self._tolerance = active, tolerance
        self.update()

    def columns(self) -> tuple[Column, ...]:
        return self._columns

    def rects(self) -> list[QRectF]:
        """The rectangle of each column."""
        count = len(self._columns)
        if count == 0:
            return []
        room = self.width() - GAP * (count - 1)
        wide = max(room * WIDE_SHARE, 250.0)
        narrow = max(float(LEAST), (room - wide) / max(1, count - 1))
        x, out = 0.0, []
        for column in self._columns:
            width = wide if column.string == self._active else narrow
            out.append(QRectF(x, 0, width, self.height()))
            x += width + GAP
        return out

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for column, rect in zip(self._columns, self.rects(), strict=True):
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(Theme.now.panel)
            p.drawRoundedRect(rect, 4, 4)
            if column.string == self._active:
                self._paint_wide(p, column, rect)
            else:
                self._paint_narrow(p, column, rect)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for column, rect in zip(self._columns, self.rects(), strict=True):
            if rect.contains(event.position()):
                self.chosen.emit(column.string)

    # -- one column
    def _colour(self, column: Column) -> QColor:
        c = Theme.now
        if column.form in ("landed", "checked", "waiting", "hollow") or column.cents is None:
            return c.muted if column.form in ("waiting", "hollow") else c.text
        if abs(column.cents) <= self._tolerance:
            return c.text
        return c.higher if column.cents > 0 else c.lower

    def _paint_wide(self, p: QPainter, column: Column, rect: QRectF) -> None:
        c = Theme.now
        centre = Qt.AlignmentFlag.AlignCenter
        p.setPen(c.text)
        p.setFont(font(24, 600))
        p.drawText(QRectF(rect.left(), 8, rect.width(), 34), centre, f"{column.string}   {column.note}")
        figure = f"{column.figure} {column.unit}" if column.unit == "¢" else column.figure
        p.setPen(self._colour(column))
        p.setFont(_fitted(figure, 76, 600, rect.width() - 24))
        p.drawText(QRectF(rect.left(), 44, rect.width(), 88), centre, figure)
        p.setPen(c.text)
        p.setFont(_fitted(column.action, 32, 600, rect.width() - 16))
        p.drawText(QRectF(rect.left() + 4, 134, rect.width() - 8, 42), centre, column.action)
        p.setPen(c.muted)
        p.setFont(_fitted(column.detail, 16, 400, rect.width() - 16))
        p.drawText(QRectF(rect.left(), 178, rect.width(), 24), centre, column.detail)
        area = QRectF(rect.left() + 22, 214, rect.width() - 44, rect.height() - 214 - 30)
        self._paint_marks(p, area)
        self._paint_field(p, column, area, full=True)

    def _paint_narrow(self, p: QPainter, column: Column, rect: QRectF) -> None:
        c = Theme.now
        centre = Qt.AlignmentFlag.AlignCenter
        p.setPen(c.text)
        p.setFont(_fitted(f"{column.string}   {column.note}", 20, 600, rect.width() - 6))
        p.drawText(QRectF(rect.left(), 10, rect.width(), 30), centre, f"{column.string}   {column.note}")
        figure = f"{column.figure} {column.unit}" if column.unit == "¢" else column.figure
        p.setPen(self._colour(column))
        p.setFont(_fitted(figure, 32, 600, rect.width() - 6))
        p.drawText(QRectF(rect.left(), 46, rect.width(), 42), centre, figure)
        p.setPen(c.text)
        p.setFont(font(15))
        p.drawText(
            QRectF(rect.left() + 2, 90, rect.width() - 4, 44),
            centre | Qt.TextFlag.TextWordWrap,
            column.action,
        )
        self._paint_field(
            p, column, QRectF(rect.left() + 6, 142, rect.width() - 12, rect.height() - 158), full=False
        )

    def _paint_marks(self, p: QPainter, area: QRectF) -> None:
        p.setFont(font(13))
        middle, half = area.center().x(), area.width() / 2
        for cents in MARKS:
            x = middle + across(cents, half)
            p.setPen(QPen(Theme.now.line, 1))
            p.drawLine(QLineF(x, area.top(), x, area.bottom()))
            p.setPen(Theme.now.muted)
            text = f"{cents:+d}".replace("-", "−")
            p.drawText(QRectF(x - 30, area.bottom() + 4, 60, 20), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_field(self, p: QPainter, column: Column, area: QRectF, full: bool) -> None:
        """Target line, rails that close as the hold runs, trail and newest reading."""
        c = Theme.now
        middle, half = area.center().x(), area.width() / 2
        if column.form in ("landed", "checked"):
            p.fillRect(
                QRectF(middle - 7, area.top(), 14, area.height()),
                c.waiting if column.form == "landed" else c.muted,
            )
        if column.form == "hollow":
            pen = QPen(c.text, 1.6)
            pen.setDashPattern([4, 3])
            p.setPen(pen)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(middle - 7, area.top(), 14, area.height()))
        if full:
            away = across(self._tolerance, half) * (1 - 0.8 * column.held)
            pen = QPen(c.text, 1.4)
            pen.setDashPattern([6, 4])
            p.setPen(pen)
            for side in (-1, 1):
                p.drawLine(QLineF(middle + side * away, area.top(), middle + side * away, area.bottom()))
        self._paint_trail(p, column, area)
        p.setPen(QPen(c.text, 3.0 if full else 2.4))
        p.drawLine(QLineF(middle, area.top(), middle, area.bottom()))
        if column.cents is not None:
            self._paint_newest(p, column, area)

    def _paint_newest(self, p: QPainter, column: Column, area: QRectF) -> None:
        middle, half = area.center().x(), area.width() / 2
        cents = column.cents or 0.0
        a, b = (middle + across(cents + side * max(column.sigma, 0.3), half) for side in (-1, 1))
        x = middle + across(cents, half)
        width = max(5.0, b - a)
        p.fillRect(QRectF(x - width / 2, area.top(), width, 7), self._colour(column))
        if not column.trail and abs(cents) > self._tolerance:
            pen = QPen(self._colour(column), 1.2)
            pen.setDashPattern([2, 2])
            p.setPen(pen)
            p.drawLine(QLineF(middle, area.top() + 24, x, area.top() + 24))
            p.setPen(QPen(self._colour(column), 2.6))
            p.drawLine(QLineF(x, area.top(), x, area.top() + 50))

    def _paint_trail(self, p: QPainter, column: Column, area: QRectF) -> None:
        if len(column.trail) < 2:
            return
        c = Theme.now
        middle, half = area.center().x(), area.width() / 2
        p.setPen(Qt.PenStyle.NoPen)
        for newer, older in zip(column.trail[:-1], column.trail[1:], strict=True):
            if older.age - newer.age > 0.3 or older.age > TRAIL_S:
                continue
            fade = 1 - 0.65 * older.age / TRAIL_S
            inside = abs(newer.cents) <= self._tolerance
            colour = QColor(c.text if inside else c.higher if newer.cents > 0 else c.lower)
            colour.setAlphaF(max(0.15, fade))
            p.setBrush(colour)
            points = []
            for point, side in ((newer, -1), (newer, 1), (older, 1), (older, -1)):
                spread = max(0.35, point.sigma)
                x = middle + across(point.cents + side * spread, half) + side * 0.8
                points.append(QPointF(x, area.top() + 7 + point.age / TRAIL_S * (area.height() - 7)))
            p.drawPolygon(QPolygonF(points))


def _fitted(text: str, size: int, weight: int, width: float) -> QFont:
    """The largest face up to a size in which a text fits a width, not below 13 px."""
    while size > 13 and QFontMetricsF(font(size, weight)).horizontalAdvance(text) > width:
        size -= 2
    return font(max(size, 13), weight)
