"""Seconds of retuning from each tuning to each: rows are where the guitar stands, columns where it goes; short bars are near."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.signature import paint_signature
from juxtatune.qt.widgets.spoken import Said, SpokenChildren
from juxtatune.qt.widgets.text import elided

NAME, HEAD = 132.0, 62.0  # px of the names at the left, of the signatures above
ROW, CELL, LEAST = 40.0, 74.0, 20.0  # px: a row and a column at most, a row at least
KEYS = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}


@dataclass(frozen=True)
class Distances:
    """`seconds` of row to column; tunings as names and pitches, `home` the pitches that signatures are drawn against."""

    names: tuple[str, ...]
    pitches: tuple[tuple[float, ...], ...]
    home: tuple[float, ...]
    seconds: tuple[tuple[float, ...], ...]


class DistanceTable(QWidget):
    """Values in, picture out; a cell that is clicked or reached by the arrow keys is reported as (row, column)."""

    chosen = Signal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self._values = Distances((), (), (), ())
        self._at: tuple[int, int] | None = None
        self._spoken = SpokenChildren(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Seconds of retuning from each of tonight's tunings to each; arrow keys move")

    def set_values(self, values: Distances) -> None:
        if values == self._values:
            return
        self._values, self._at = values, None
        count = len(values.names)
        self.setMinimumHeight(round(HEAD + LEAST * max(1, count)))
        self._speak()
        self.update()

    def _speak(self) -> None:
        v = self._values
        self._spoken.say([
            Said(self._cell(a, b), f"{one} to {other}", f"{v.seconds[a][b]:.0f} seconds")
            for a, one in enumerate(v.names) for b, other in enumerate(v.names) if a != b
        ])  # fmt: skip

    def sizeHint(self) -> QSize:
        count = max(1, len(self._values.names))
        return QSize(round(NAME + CELL * count), round(HEAD + ROW * count))

    def _cell(self, row: int, column: int) -> QRectF:
        count = max(1, len(self._values.names))
        wide = min(CELL, (self.width() - NAME) / count)
        high = min(ROW, max(LEAST, (self.height() - HEAD) / count))
        return QRectF(NAME + column * wide, HEAD + row * high, wide, high)

    def _found(self, point: QPointF) -> tuple[int, int] | None:
        count = len(self._values.names)
        places = [(a, b) for a in range(count) for b in range(count)]
        return next((at for at in places if self._cell(*at).contains(point)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self._found(event.position())
        if found is not None:
            self._choose(found)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step, count = KEYS.get(Qt.Key(event.key())), len(self._values.names)
        if step is None or not count:
            super().keyPressEvent(event)
            return
        row, column = self._at or (0, 0)
        if self._at is not None:
            row, column = row + step[0], column + step[1]
        self._choose((max(0, min(count - 1, row)), max(0, min(count - 1, column))))

    def _choose(self, at: tuple[int, int]) -> None:
        self._at = at
        self.update()
        self.chosen.emit(*at)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        v, c = self._values, Theme.now
        most = max((s for row in v.seconds for s in row), default=1.0) or 1.0
        for k, name in enumerate(v.names):
            head, first = self._cell(0, k), self._cell(k, 0)
            self._text(p, name, QRectF(head.left() + 2, 0, head.width() - 4, 20), 13, c.text, Qt.AlignmentFlag.AlignCenter)
            sign = min(head.width() - 8, 64.0)
            paint_signature(p, QRectF(head.center().x() - sign / 2, 25, sign, 26), v.pitches[k], v.home, c.text)
            side = QRectF(0, first.top(), NAME - 10, first.height())
            self._text(p, name, side, 15, c.text, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for a, row in enumerate(v.seconds):
            for b, seconds in enumerate(row):
                self._paint_cell(p, self._cell(a, b).adjusted(1, 1, -1, -1), seconds, seconds / most, a == b)
        if self._at is not None and v.names:
            p.setPen(QPen(c.attention, 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self._cell(*self._at).adjusted(1, 1, -1, -1))

    def _paint_cell(self, p: QPainter, rect: QRectF, seconds: float, share: float, same: bool) -> None:
        """The figure over a bar that is as long as the retune."""
        c = Theme.now
        p.fillRect(rect, c.panel)
        if same:
            return
        p.fillRect(QRectF(rect.left(), rect.bottom() - 5, rect.width() * share, 5), c.waiting)
        text = "0 s" if seconds <= 0 else f"{seconds:.0f} s"
        self._text(p, text, rect.adjusted(0, 0, 0, -4), 15, c.text, Qt.AlignmentFlag.AlignCenter)

    def _text(self, p: QPainter, text: str, rect: QRectF, size: int, ink: QColor, flags: Qt.AlignmentFlag) -> None:
        p.setFont(font(size))
        p.setPen(ink)
        p.drawText(rect, flags, elided(text, QFontMetricsF(p.font()), rect.width()))

