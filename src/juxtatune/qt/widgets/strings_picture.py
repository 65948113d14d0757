"""The strings of one guitar as they stand: where each lies against home, how thick it is, what it carries."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QLineF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.signature import lanes, shift, stroke_width
from juxtatune.qt.widgets.spoken import Said, SpokenChildren
from juxtatune.qt.widgets.text import fitted

CENTRE = Qt.AlignmentFlag.AlignCenter
HEAD, FOOT = 50.0, 70.0  # px for names above the strings and tension below
PX_A_MM = 3.6  # thickness of a string is drawn so much larger than life
BAR, FULL_BAR = 40.0, 2.0  # px of a tension bar at home; the ratio at which it ends


@dataclass(frozen=True)
class StringValue:
    """One string: its names, half steps from home, gauge in mm, tension in words and as a ratio of that at home."""

    number: int
    head: str
    note: str
    home: str
    moved: float
    mm: float | None
    wound: bool
    tension: str
    ratio: float
    off: bool


class StringsPicture(QWidget):
    """Values in, picture out: 6th at the left, lower at the left of its place, higher at the right."""

    def __init__(self) -> None:
        super().__init__()
        self._values: tuple[StringValue, ...] = ()
        self._spoken = SpokenChildren(self)
        self.setAccessibleName("Strings of this guitar and what they carry")
        self.setMinimumSize(QSize(320, 196))

    def set_values(self, values: tuple[StringValue, ...]) -> None:
        self._values = values
        xs = self._places()
        self._spoken.say([
            Said(QRectF(x - 12, 0, 24, self.height()), f"String {v.number}, {v.note}", f"home {v.home}, {v.tension}".strip(", "))
            for v, x in zip(values, xs, strict=True)
        ])  # fmt: skip
        self.update()

    def _spacing(self) -> float:
        return self.width() / max(1, len(self._values))

    def _places(self) -> list[float]:
        count = len(self._values)
        found = [lane * self._spacing() for lane in lanes(count)]
        return [self.width() - x for x in found] if Theme.left_handed else found

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k, (v, x) in enumerate(zip(self._values, self._places(), strict=True)):
            self._paint_string(p, v, k, x)

    def _paint_string(self, p: QPainter, v: StringValue, k: int, x: float) -> None:
        c, spacing, bottom = Theme.now, self._spacing(), self.height() - FOOT
        p.setPen(QPen(c.line, 1, Qt.PenStyle.DotLine))
        p.drawLine(QLineF(x, HEAD, x, bottom))
        ink = self._ink(v)
        self._line(p, v.head, QRectF(x - spacing / 2, 0, spacing, 26), 17, c.text, 600)
        moved = f"home {v.home}" if abs(v.moved) > 1e-6 else "at home"
        self._line(p, "off" if v.off else moved, QRectF(x - spacing / 2, 26, spacing, 22), 14, c.muted)
        if v.off:
            return
        lean = shift(v.moved, spacing * 0.55) if abs(v.moved) > 1e-6 else 0.0
        width = max(1.2, v.mm * PX_A_MM) if v.mm is not None else stroke_width(k, len(self._values))
        pen = QPen(ink, width)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        p.setPen(pen)
        p.drawLine(QLineF(x + lean, HEAD, x + lean, bottom))
        if v.wound and width >= 2.5:
            self._paint_winding(p, x + lean, width, bottom)
        self._paint_tension(p, v, x, bottom, spacing)

    def _ink(self, v: StringValue) -> QColor:
        c = Theme.now
        return c.lower if v.moved < -1e-6 else c.higher if v.moved > 1e-6 else c.text

    def _paint_winding(self, p: QPainter, x: float, width: float, bottom: float) -> None:
        p.setPen(QPen(Theme.now.ink, 1))
        y = HEAD + 2
        while y < bottom - 2:
            p.drawLine(QLineF(x - width / 2, y + 1.5, x + width / 2, y))
            y += 4

    def _paint_tension(self, p: QPainter, v: StringValue, x: float, bottom: float, spacing: float) -> None:
        """A bar as long as the tension, with a tick where it is at home."""
        c = Theme.now
        unit = min(BAR, spacing * 0.45)
        left, y = x - unit / 2, bottom + 14
        p.fillRect(QRectF(left, y, unit * min(v.ratio, FULL_BAR), 8), self._ink(v))
        p.setPen(QPen(c.text, 1.4))
        p.drawLine(QLineF(left + unit, y - 4, left + unit, y + 12))
        self._line(p, v.tension, QRectF(x - spacing / 2, y + 14, spacing, 20), 14, c.text)
        change = round(100 * (v.ratio - 1))
        text = "at home" if change == 0 else f"{'+' if change > 0 else '−'}{abs(change)} %"
        self._line(p, text, QRectF(x - spacing / 2, y + 34, spacing, 20), 14, c.muted)

    def _line(self, p: QPainter, text: str, rect: QRectF, size: float, ink: QColor, weight: int = 400) -> None:
        p.setPen(ink)
        p.setFont(fitted(text, size, weight, rect.width() - 4) if text else font(size, weight))
        p.drawText(rect, CENTRE, text)
