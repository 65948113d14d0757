"""The score: a night as strings that run down it, one order or two side by side."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFontMetricsF,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.energy import LANE, EnergyLane
from juxtatune.qt.widgets.score_paint import AIR, BAND, Half, paint_gap, paint_guitar, paint_name
from juxtatune.qt.widgets.score_values import Score, ScoreRow, spoken_row
from juxtatune.qt.widgets.spoken import Said, SpokenChildren
from juxtatune.qt.widgets.text import elided

HEAD = 84
ROW, LEAST_ROW = 34, 28
INTERVAL = 34
MARGIN = 24
BETWEEN = 32
BOTH_FROM = 1240
USUAL_WIDTH = 1240  # px at which letters have their usual size
MOST_GROWN = 2.6
NAMES = 84  # px for the names of tunings


class ScoreCanvas(QWidget):
    """Paints one or two scores. Selecting, opening and dragging rows are reported, not done here."""

    selected = Signal(str)
    opened = Signal(str)
    moved = Signal(str, int)

    def __init__(self) -> None:
        super().__init__()
        self._orders: list[Score] = []
        self._song: str | None = None
        self._drag: tuple[str, float, float] | None = None
        self._drag_from = 0
        self._elsewhere: dict[str, float | None] = {}
        self._explained = 0
        self.flipped = False
        self._spoken = SpokenChildren(self)
        self.energy = EnergyLane(self)
        self._zoom = 1.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Score of the night")

    def set_orders(self, orders: list[Score]) -> None:
        self._orders = orders
        self.updateGeometry()
        self.setMinimumHeight(self._height(LEAST_ROW * self._zoom))
        self._speak()
        self.update()

    def _speak(self) -> None:
        """Every row of every order shown, for a screen reader."""
        said = []
        for score, half in zip(self.shown(), self._halves(), strict=True):
            for k, row in enumerate(score.rows):
                rect = QRectF(half.left, self._top(score, k), half.right - half.left, self.row_height())
                said.append(Said(rect, f"{score.title}, {k + 1}. {row.title}", spoken_row(score, row)))
        self._spoken.say(said)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._speak()

    def grown(self) -> float:
        """How much larger than usual letters are: rows and letters grow with the window."""
        wide = max(1.0, self.width() / USUAL_WIDTH)
        return max(1.0, min(MOST_GROWN, wide, self.row_height() / ROW))

    def set_song(self, song: str | None) -> None:
        self._song = song
        self.update()

    def set_elsewhere(self, costs: dict[str, float | None], order: int) -> None:
        """Seconds that the chosen song would cost more in the place of each other song, in one of the orders."""
        self._elsewhere, self._explained = costs, order
        self.update()

    def zoom(self, step: int) -> None:
        """Taller rows or lower ones: one step up or down, 0 for the usual height."""
        self._zoom = 1.0 if step == 0 else min(2.0, max(0.6, self._zoom * (1.2 if step > 0 else 1 / 1.2)))
        self.setMinimumHeight(self._height(LEAST_ROW * self._zoom))
        self.update()

    def song(self) -> str | None:
        return self._song

    def shown(self) -> list[Score]:
        """The orders that fit: both when wide enough, else one."""
        if len(self._orders) == 2 and self.width() < BOTH_FROM:
            return [self._orders[1 if self.flipped else 0]]
        return self._orders

    @property
    def folded(self) -> bool:
        """Whether there is an order that has no room beside the other."""
        return len(self._orders) == 2 and len(self.shown()) == 1

    def sizeHint(self) -> QSize:
        return QSize(1240, self._height(ROW))

    def _height(self, row: float) -> int:
        rows = max((len(s.rows) for s in self._orders), default=0)
        parts = max((_parts(s) for s in self._orders), default=1)
        return int(HEAD + rows * row + (parts - 1) * INTERVAL + 16)

    def row_height(self) -> float:
        """As tall as fits, within limits."""
        rows = max((len(s.rows) for s in self._orders), default=1)
        parts = max((_parts(s) for s in self._orders), default=1)
        fits = (self.height() - HEAD - 16 - (parts - 1) * INTERVAL) / max(1, rows)
        most = (ROW + 8) * self._zoom * max(1.0, min(MOST_GROWN, self.width() / USUAL_WIDTH))
        return float(max(LEAST_ROW * self._zoom, min(most, fits)))

    # -- geometry
    def _halves(self) -> list[Half]:
        orders = self.shown()
        g = self.grown()
        width = self.width() - 2 * MARGIN
        each = (width - BETWEEN) / 2 if len(orders) == 2 else min(width, 1100.0 * g)
        return [self._half(s, MARGIN + k * (each + BETWEEN), each, g) for k, s in enumerate(orders)]

    def _half(self, score: Score, left: float, width: float, g: float) -> Half:
        right = left + width
        strings = sum(len(c.home) for c in score.guitars if c.used)
        idle = sum(1 for c in score.guitars if not c.used)
        shown = max(1, sum(1 for c in score.guitars if c.used))
        left += LANE if any(r.wanted is not None for r in score.rows) else 0.0
        titles = min((194.0 if width < 700 else 300.0) * g, width * 0.32)
        apart = 12 * g
        room = right - left - titles - (AIR + NAMES) * g - idle * 18 - shown * apart
        spacing = max(7.0, min(18.0 * g, room / max(1, strings)))
        columns = []
        x = left + titles
        for c in score.guitars:
            columns.append((x, spacing if c.used else 0.0))
            x += (len(c.home) * spacing + apart) if c.used else 18
        return Half(left, right, left + titles, tuple(columns), x + 2, g)

    def _top(self, score: Score, k: int) -> float:
        """Upper edge of a row."""
        height = self.row_height()
        before = len({r.part for r in score.rows[:k]} - {score.rows[k].part}) if score.rows else 0
        return HEAD + k * height + before * INTERVAL

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        halves = self._halves()
        for score, half in zip(self.shown(), halves, strict=True):
            self._paint_head(painter, score, half)
            for k in range(len(score.rows)):
                # only what is in view, so that a long night is dragged smoothly
                top = self._top(score, k)
                if top < event.rect().bottom() and top + 2 * self.row_height() > event.rect().top():
                    self._paint_row(painter, score, half, k)
            self._paint_interval(painter, score, half)
            self.energy.paint(
                painter, score, half.left - LANE, [self._top(score, k) for k in range(len(score.rows))]
            )
        if len(halves) == 2 and self._song is not None:
            self._paint_link(painter, halves)
        if self._drag is not None:
            painter.setPen(QPen(Theme.now.attention, 2))
            y = self._landing(self._drag[2])
            if y is not None:
                painter.drawLine(QLineF(MARGIN, y, halves[0].right, y))

    def _landing(self, y: float) -> float | None:
        """Where the dragged song will stand: the edge of the row that gives way, None where nothing moves."""
        found = self.hit(self._halves()[0].left + 40, y)
        if found is None or found[1] == self._drag_from:
            return None
        top = self._top(self.shown()[0], found[1])
        return top + (self.row_height() + BAND / 2 if found[1] > self._drag_from else BAND / 2)

    def _paint_head(self, p: QPainter, score: Score, half: Half) -> None:
        c, grown = Theme.now, half.grown
        g = min(1.4, grown)
        p.setFont(font(20 * g, 600))
        p.setPen(c.text)
        p.drawText(QPointF(half.left, 28), score.title)
        p.setPen(c.attention)
        p.drawText(QRectF(half.left, 6, half.right - half.left, 34), Qt.AlignmentFlag.AlignRight, score.totals)
        p.setFont(font(14 * g))
        p.setPen(c.muted)
        if score.spread:
            p.drawText(QRectF(half.left, 34, half.right - half.left, 22), Qt.AlignmentFlag.AlignRight, score.spread)
        if len(self._orders) == 2 and len(self.shown()) == 1:
            other = self._orders[0 if self.flipped else 1]
            p.drawText(QPointF(half.left, 50), f"F shows {other.title.lower()}: {other.totals}")
        for guitar, (x, spacing) in zip(score.guitars, half.columns, strict=True):
            if guitar.used:
                width = len(guitar.home) * spacing
                p.drawText(QRectF(x - 10, 54, width + 20, 24), Qt.AlignmentFlag.AlignCenter, guitar.name)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        p.drawText(QRectF(half.right - AIR * grown, 54, AIR * grown, 24), right, "dead air")

    def _paint_row(self, p: QPainter, score: Score, half: Half, k: int) -> None:
        c, row, top, height = Theme.now, score.rows[k], self._top(score, k), self.row_height()
        if row.song == self._song:
            rect = QRectF(half.left - 8, top + BAND - 2, half.right - half.left + 16, height - BAND + 4)
            p.fillRect(rect, c.selected)
            p.setPen(QPen(c.edge, 1))
            p.drawLine(QLineF(rect.topLeft(), rect.topRight()))
            p.drawLine(QLineF(rect.bottomLeft(), rect.bottomRight()))
            if self.hasFocus():
                p.fillRect(QRectF(rect.left(), rect.top(), 4, rect.height()), c.attention)
        middle = QRectF(half.left, top + BAND / 2, half.titles - half.left - 12, height - BAND / 2)
        g = half.grown
        p.setFont(font(14 * g))
        p.setPen(c.muted)
        p.drawText(
            QRectF(middle.left(), middle.top(), 22 * g, middle.height()),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            str(k + 1),
        )
        self._paint_marks(p, row, middle)
        face = font(min(16 * g, height * 0.62), 600 if row.song == self._song else 400)
        p.setFont(face)
        p.setPen(c.text)
        figure = self._figure(score, row)
        room = QRectF(
            middle.left() + 32 * g, middle.top(), middle.width() - 32 * g - (48 * g if figure else 0), middle.height()
        )
        title = row.title + (f"  capo {row.capo}" if row.capo else "")
        text = elided(title, QFontMetricsF(face), room.width())
        p.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)
        if figure:
            p.setFont(font(14 * g))
            p.setPen(c.muted)
            p.drawText(middle, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, figure)
        first = k == 0 or score.rows[k - 1].part != row.part
        for n, guitar in enumerate(score.guitars):
            paint_guitar(p, guitar, half.columns[n], row, n, top, height, first)
        if row.gap is not None:
            paint_gap(p, score, half, row, top)
        paint_name(p, half, row, top, height)

    def _figure(self, score: Score, row: ScoreRow) -> str:
        """What the chosen song would cost more in this row's place."""
        if (
            score is not self._orders[min(self._explained, len(self._orders) - 1)]
            or row.song not in self._elsewhere
        ):
            return ""
        cost = self._elsewhere[row.song]
        if cost is None:
            return "not here"
        return f"{'+' if cost > 0.5 else '−' if cost < -0.5 else ''}{abs(cost):.0f} s"

    def _paint_marks(self, p: QPainter, row: ScoreRow, at: QRectF) -> None:
        """A pin is a filled triangle beside the number, a medley a bow down to the next song."""
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(Theme.now.attention)
        y = at.center().y()
        if row.pinned:
            p.drawPolygon(
                QPolygonF(
                    [QPointF(at.left() - 6, y - 5), QPointF(at.left() + 1, y), QPointF(at.left() - 6, y + 5)]
                )
            )
        p.setBrush(Qt.BrushStyle.NoBrush)
        if row.apart:
            p.setPen(QPen(Theme.now.muted, 2))
            for x in (at.left() + 25, at.left() + 28):
                p.drawLine(QLineF(x, y - 5, x, y + 5))
        if row.tied:
            p.setPen(QPen(Theme.now.attention, 2))
            path = QPainterPath(QPointF(at.left() + 26, y + 4))
            path.cubicTo(
                at.left() + 31,
                y + 10,
                at.left() + 31,
                y + self.row_height() - 10,
                at.left() + 26,
                y + self.row_height() - 4,
            )
            p.drawPath(path)

    def _paint_interval(self, p: QPainter, score: Score, half: Half) -> None:
        for k in range(1, len(score.rows)):
            if score.rows[k].part == score.rows[k - 1].part:
                continue
            y = self._top(score, k) - INTERVAL / 2 + 4
            p.setFont(font(14))
            p.setPen(Theme.now.muted)
            p.drawText(QPointF(half.left + 32, y + 5), score.interval)
            width = QFontMetricsF(font(14)).horizontalAdvance(score.interval)
            p.setPen(QPen(Theme.now.line, 1.4))
            p.drawLine(QLineF(half.left + 44 + width, y, half.right, y))

    def _paint_link(self, p: QPainter, halves: list[Half]) -> None:
        spots = []
        for score in self.shown():
            k = next((k for k, r in enumerate(score.rows) if r.song == self._song), None)
            if k is None:
                return
            spots.append(self._top(score, k) + (self.row_height() + BAND / 2) / 2)
        a, b = QPointF(halves[0].right + 8, spots[0]), QPointF(halves[1].left - 8, spots[1])
        path = QPainterPath(a)
        path.cubicTo(QPointF(a.x() + 14, a.y()), QPointF(b.x() - 14, b.y()), b)
        p.setPen(QPen(Theme.now.attention, 1.6))
        p.drawPath(path)

    # -- pointer
    def hit(self, x: float, y: float) -> tuple[int, int] | None:
        """(which order shown, row) at a point."""
        for h, (score, half) in enumerate(zip(self.shown(), self._halves(), strict=True)):
            if not half.left - 10 <= x <= half.right + 10:
                continue
            for k in range(len(score.rows)):
                if self._top(score, k) <= y < self._top(score, k) + self.row_height():
                    return h, k
        return None

    def row_centre(self, order: int, row: int) -> QPointF:
        """A point in the title of a row; for tests and for following the selection."""
        score, half = self.shown()[order], self._halves()[order]
        return QPointF(half.left + 60, self._top(score, row) + self.row_height() / 2 + 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._draws(event):
            return
        found = self.hit(event.position().x(), event.position().y())
        if found is not None:
            song = self.shown()[found[0]].rows[found[1]].song
            self.set_song(song)
            self.selected.emit(song)
            if found[0] == 0 and not self.flipped:
                self._drag = (song, event.position().y(), event.position().y())
                self._drag_from = found[1]

    def _draws(self, event: QMouseEvent) -> bool:
        """True when the pointer draws the curve of the order that stands."""
        orders = self.shown()
        if not orders or self.flipped or orders[0] is not self._orders[0]:
            return False
        tops = [self._top(orders[0], k) for k in range(len(orders[0].rows))]
        left = self._halves()[0].left - LANE
        return self.energy.draw_at(orders[0], left, tops, self.row_height(), event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None and self._draws(event):
            return
        if self._drag is not None:
            self._drag = (self._drag[0], self._drag[1], event.position().y())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.energy.settle()
        drag, self._drag = self._drag, None
        self.update()
        if drag is None or abs(event.position().y() - drag[1]) < 8:
            return
        found = self.hit(self._halves()[0].left + 40, event.position().y())
        if found is not None and found[1] != self._drag_from:
            self.moved.emit(drag[0], found[1])

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self._song is not None:
            self.opened.emit(self._song)


def _parts(score: Score) -> int:
    return len({r.part for r in score.rows})
