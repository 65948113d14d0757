"""The approach: every string a column with its target line, the measured pitch a trail across it.

The newest reading is at the top, under its figure, and the past sinks. The string being played opens wide.
"""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.approach_values import Column, across
from juxtatune.qt.widgets.spoken import Said, SpokenChildren
from juxtatune.qt.widgets.text import fitted

WIDE_SHARE = 0.31
LEAST = 44
GAP, WITHIN = 8, 2  # px between columns, and within a course of a twelve-string
TRAIL_S = 9.0
MARKS = (-500, -100, -20, -5, 5, 20, 100, 500)
USUAL = QSize(1000, 550)  # a picture of this size has letters at their usual height
MOST_GROWN = 3.2
CENTRE = Qt.AlignmentFlag.AlignCenter


class ApproachWidget(QWidget):
    """Values in, picture out; reports the string that is clicked."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self._columns: tuple[Column, ...] = ()
        self._active = 0
        self._tolerance = 2.0
        self._spoken = SpokenChildren(self)
        self.setAccessibleName("Approach of every string to its target")
        self.setMinimumSize(QSize(420, 240))

    def set_columns(self, columns: tuple[Column, ...], active: int, tolerance: float) -> None:
        self._columns = columns[::-1] if Theme.left_handed else columns
        self._active, self._tolerance = active, tolerance
        self._speak()
        self.update()

    def columns(self) -> tuple[Column, ...]:
        return self._columns

    def _speak(self) -> None:
        self._spoken.say([
            Said(rect, f"String {c.string}, {c.note}", f"{c.figure} {c.unit}, {c.action}".strip(" ,·"))
            for c, rect in zip(self._columns, self.rects(), strict=True)
        ])  # fmt: skip

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._speak()

    def grown(self) -> float:
        """How much larger than usual all letters are: they grow with the window."""
        share = min(self.width() / USUAL.width(), self.height() / USUAL.height())
        return max(0.75, min(MOST_GROWN, share))

    def rects(self) -> list[QRectF]:
        """The rectangle of each column."""
        count = len(self._columns)
        if count == 0:
            return []
        gaps = [WITHIN if count == 12 and k % 2 == 0 else GAP for k in range(count - 1)]
        room = self.width() - sum(gaps)
        wide = min(max(room * WIDE_SHARE, 250.0), room - LEAST * (count - 1))
        narrow = max(float(LEAST), (room - wide) / max(1, count - 1))
        x, out = 0.0, []
        for column, gap in zip(self._columns, (*gaps, 0), strict=True):
            width = wide if column.string == self._active else narrow
            out.append(QRectF(x, 0, width, self.height()))
            x += width + gap
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
        """Colour says which way to turn: a string above its target is to be loosened."""
        c = Theme.now
        if column.form in ("landed", "checked", "waiting", "hollow") or column.cents is None:
            return c.stage_muted if column.form in ("waiting", "hollow") else c.text
        if abs(column.cents) <= self._tolerance:
            return c.text
        return c.stage_lower if column.cents > 0 else c.stage_higher

    def _line(self, p: QPainter, text: str, rect: QRectF, size: float, ink: QColor, weight: int = 400) -> None:
        p.setPen(ink)
        p.setFont(fitted(text, size, weight, rect.width() - 6))
        p.drawText(rect, CENTRE, text)

    def _paint_wide(self, p: QPainter, column: Column, rect: QRectF) -> None:
        c, g = Theme.now, self.grown()
        cents = column.unit == "¢"
        x, w = rect.left(), rect.width()
        self._line(p, column.head, QRectF(x, 6 * g, w, 34 * g), 24 * g, c.text, 600)
        figure = f"{column.figure} ¢" if cents else column.figure
        self._line(p, figure, QRectF(x, 38 * g, w, (90 if cents else 70) * g), (78 if cents else 62) * g,
                   self._colour(column), 600)  # fmt: skip
        if not cents:
            self._line(p, column.unit, QRectF(x, 102 * g, w, 32 * g), 26 * g, self._colour(column), 600)
        self._line(p, column.action, QRectF(x, 134 * g, w, 42 * g), 32 * g, c.text, 600)
        self._line(p, column.detail, QRectF(x, 178 * g, w, 26 * g), 17 * g, c.stage_muted)
        area = QRectF(x + 22 * g, 214 * g, w - 44 * g, rect.height() - 214 * g - 30 * max(1.0, g))
        self._paint_marks(p, area)
        self._paint_field(p, column, area, full=True)

    def _paint_narrow(self, p: QPainter, column: Column, rect: QRectF) -> None:
        c, g = Theme.now, self.grown()
        cents = column.unit == "¢"
        x, w = rect.left(), rect.width()
        self._line(p, column.head, QRectF(x, 8 * g, w, 30 * g), 20 * g, c.text, 600)
        figure = f"{column.figure} ¢" if cents else column.figure
        self._line(p, figure, QRectF(x, 42 * g, w, 40 * g), 32 * g, self._colour(column), 600)
        if not cents:
            self._line(p, column.unit, QRectF(x, 80 * g, w, 22 * g), 16 * g, self._colour(column), 600)
        p.setPen(c.text)
        p.setFont(font(15 * g))
        words = QRectF(x + 2, 102 * g, w - 4, 44 * g)
        p.drawText(words, CENTRE | Qt.TextFlag.TextWordWrap, column.action)
        top = 152 * g
        self._paint_field(p, column, QRectF(x + 6, top, w - 12, rect.height() - top - 16), full=False)

    def _paint_marks(self, p: QPainter, area: QRectF) -> None:
        p.setFont(font(13 * max(1.0, self.grown())))
        middle, half = area.center().x(), area.width() / 2
        for cents in MARKS:
            x = middle + across(cents, half)
            p.setPen(QPen(Theme.now.line, 1))
            p.drawLine(QLineF(x, area.top(), x, area.bottom()))
            p.setPen(Theme.now.stage_muted)
            text = f"{cents:+d}".replace("-", "−")
            g = max(1.0, self.grown())
            p.drawText(QRectF(x - 40 * g, area.bottom() + 4, 80 * g, 22 * g), CENTRE, text)

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
        if column.ghost is not None:
            x = middle + across(column.ghost, half)
            pen = QPen(c.stage_muted, 2.0)
            pen.setDashPattern([1.5, 3.0])
            p.setPen(pen)
            p.drawLine(QLineF(x, area.top(), x, area.bottom()))
            if full:
                self._line(p, "ends here", QRectF(x - 50, area.bottom() - 24, 100, 20), 14, c.stage_muted)
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
            colour = QColor(c.text if inside else c.stage_lower if newer.cents > 0 else c.stage_higher)
            colour.setAlphaF(max(0.15, fade))
            p.setBrush(colour)
            points = []
            for point, side in ((newer, -1), (newer, 1), (older, 1), (older, -1)):
                spread = max(0.35, point.sigma)
                x = middle + across(point.cents + side * spread, half) + side * 0.8
                points.append(QPointF(x, area.top() + 7 + point.age / TRAIL_S * (area.height() - 7)))
            p.drawPolygon(QPolygonF(points))
