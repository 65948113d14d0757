"""The level of the sound that comes in: a bar from quiet to full, with the loudest of the last seconds."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme

QUIETEST = -70.0
FALL_DB = 0.4  # the mark of the loudest sinks by this much each time


class LevelBar(QWidget):
    """Shows nothing until a level is set."""

    def __init__(self) -> None:
        super().__init__()
        self.level: float | None = None
        self.clipped = False
        self._top = QUIETEST
        self.setFixedSize(QSize(96, 14))

    def set_level(self, level: float | None, clipped: bool) -> None:
        self.level, self.clipped = level, clipped
        self._top = max(level, self._top - FALL_DB) if level is not None else QUIETEST
        self.setAccessibleName("" if level is None else f"Level {round(level)} dB")
        self.update()

    def share(self, level: float) -> float:
        """0 at the quiet end, 1 at full scale."""
        return min(1.0, max(0.0, 1 - level / QUIETEST))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.level is None:
            return
        p, c = QPainter(self), Theme.now
        p.setPen(QPen(c.line, 1))
        p.drawRect(QRectF(0.5, 3.5, self.width() - 1, 7))
        p.fillRect(
            QRectF(1, 4, (self.width() - 2) * self.share(self.level), 6),
            c.attention if self.clipped else c.muted,
        )
        x = 1 + (self.width() - 3) * self.share(self._top)
        p.setPen(QPen(c.text, 2))
        p.drawLine(int(x), 2, int(x), 12)
