"""Tonight: the songs in order with their signatures; the selected song drives the view beside it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.signature import paint_signature

ROW = 37
LEAST_ROW = 28
HEAD = 44
STRIP = 92
WIDTH = 236


@dataclass(frozen=True)
class TonightRow:
    song: str
    title: str
    pitches: tuple[float, ...]
    home: tuple[float, ...]
    past: bool


class TonightList(QWidget):
    """A list painted by itself; folds to a strip of signatures."""

    selected = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("tonight")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tonight")
        self._rows: tuple[TonightRow, ...] = ()
        self._song: str | None = None
        self.mirrored = False
        self.folded = False
        self.fold(False)

    def fold(self, folded: bool) -> None:
        self.folded = folded
        self.setFixedWidth(STRIP if folded else WIDTH)
        self.update()

    def set_rows(self, rows: tuple[TonightRow, ...], song: str | None) -> None:
        self._rows, self._song = rows, song
        self.setMinimumHeight(min(560, HEAD + LEAST_ROW * len(rows)))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, HEAD + ROW * len(self._rows))

    def _row_height(self) -> float:
        fits = (self.height() - HEAD - 4) / max(1, len(self._rows))
        return float(max(LEAST_ROW, min(ROW, fits)))

    def _first(self) -> int:
        """First row shown, so that the selected one is in view."""
        fit = int((self.height() - HEAD) / self._row_height())
        at = next((k for k, r in enumerate(self._rows) if r.song == self._song), 0)
        return max(0, min(len(self._rows) - fit, at - fit // 2)) if fit < len(self._rows) else 0

    def paintEvent(self, event: QPaintEvent) -> None:
        p, c = QPainter(self), Theme.now
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), c.panel)
        p.setFont(font(14))
        p.setPen(c.muted)
        p.drawText(
            QRectF(16, 12, self.width() - 20, 24),
            Qt.AlignmentFlag.AlignVCenter,
            "Tonight" if self._rows else "No night yet",
        )
        height, y = self._row_height(), float(HEAD)
        for row in self._rows[self._first() :]:
            self._paint_row(p, row, QRectF(0, y, self.width(), height))
            y += height

    def _paint_row(self, p: QPainter, row: TonightRow, rect: QRectF) -> None:
        c = Theme.now
        chosen = row.song == self._song
        if chosen:
            p.fillRect(rect.adjusted(0, 1, 0, -1), c.selected)
            p.fillRect(
                QRectF(0, rect.top() + 1, 4 if not self.hasFocus() else 6, rect.height() - 2), c.attention
            )
        ink = c.text if chosen or not row.past else c.waiting
        width = 12.0 * len(row.pitches)
        left = rect.right() - 10 - min(width, 84)
        place = QRectF(left, rect.top() + 7, min(width, 84), rect.height() - 14)
        paint_signature(p, place, row.pitches, row.home, ink, self.mirrored)
        if self.folded:
            return
        face = font(16, 600 if chosen else 400)
        p.setFont(face)
        p.setPen(ink)
        room = QRectF(16, rect.top(), left - 22, rect.height())
        p.drawText(
            room,
            Qt.AlignmentFlag.AlignVCenter,
            QFontMetricsF(face).elidedText(row.title, Qt.TextElideMode.ElideMiddle, room.width()),
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = self._first() + int((event.position().y() - HEAD) // self._row_height())
        if event.position().y() >= HEAD and 0 <= k < len(self._rows):
            self.selected.emit(self._rows[k].song)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        by = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
        at = next((k for k, r in enumerate(self._rows) if r.song == self._song), 0)
        if by and 0 <= at + by < len(self._rows):
            self.selected.emit(self._rows[at + by].song)
        else:
            super().keyPressEvent(event)
