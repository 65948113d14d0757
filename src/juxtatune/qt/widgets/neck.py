"""A neck as it is seen in a chord diagram: strings upright, the 6th at the left, frets downwards; a shape is clicked on it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.signature import lanes, stroke_width
from juxtatune.qt.widgets.spoken import Said, SpokenChildren
from juxtatune.qt.widgets.text import fitted

FRETS = 15
HEAD = 46
SIDE = 54  # px for the fret numbers
MARKED = (3, 5, 7, 9, 12, 15)


@dataclass(frozen=True)
class NeckValues:
    """Open notes and the shape, lists of strings from the highest number to 1; `names` are one-finger chords by fret."""

    open_notes: tuple[str, ...]
    shape: tuple[int | None, ...]
    sounds: tuple[str, ...]  # of played strings, else empty
    capo: int
    one_finger: dict[int, str]


class NeckWidget(QWidget):
    """Values in, picture out; a click or a key on a fret is reported as (string, fret), None to leave it out."""

    placed = Signal(int, object)

    def __init__(self) -> None:
        super().__init__()
        self._values = NeckValues((), (), (), 0, {})
        self._at = (0, 0)  # column and fret of the cursor
        self._spoken = SpokenChildren(self)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Neck: arrow keys move, Space sets a finger, X mutes a string")
        self.setMinimumSize(QSize(300, 420))

    def set_values(self, values: NeckValues) -> None:
        self._values = values
        self._at = (min(self._at[0], max(0, len(values.shape) - 1)), self._at[1])
        self._speak()
        self.update()

    def _speak(self) -> None:
        v = self._values
        said = []
        for k, fret in enumerate(v.shape):
            where = "not played" if fret is None else "open" if fret == 0 else f"fret {fret}"
            rect = QRectF(self._x(k) - 10, 0, 20, self.height())
            said.append(Said(rect, f"String {len(v.shape) - k}, {v.open_notes[k]}", f"{where} {v.sounds[k]}".strip()))
        self._spoken.say(said)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._speak()

    # -- geometry
    def _x(self, column: int) -> float:
        count = max(1, len(self._values.shape))
        lane = lanes(count)[column]
        lane = count - lane if Theme.left_handed else lane
        room = min(self.width() - 2 * SIDE, 64 * count)
        return SIDE + lane * room / count

    def _y(self, fret: int) -> float:
        """The middle of a fret; 0 is above the nut."""
        if fret == 0:
            return HEAD - 12.0
        return HEAD + (fret - 0.5) * (self.height() - HEAD - 8) / FRETS

    def _hit(self, at: QPointF) -> tuple[int, int] | None:
        columns = range(len(self._values.shape))
        if not columns:
            return None
        column = min(columns, key=lambda k: abs(self._x(k) - at.x()))
        fret = min(range(FRETS + 1), key=lambda f: abs(self._y(f) - at.y()))
        return column, fret

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c, v = Theme.now, self._values
        if not v.shape:
            return
        xs = [self._x(k) for k in range(len(v.shape))]
        left, right = min(xs) - 6, max(xs) + 6
        step = (self.height() - HEAD - 8) / FRETS
        for wire in range(FRETS + 1):
            y = HEAD + wire * step
            p.setPen(QPen(c.line if wire else c.text, 1.2 if wire else 3))
            p.drawLine(QLineF(left, y, right, y))
        self._paint_frets(p, left, right)
        for k, x in enumerate(xs):
            p.setPen(QPen(c.muted if v.shape[k] is None else c.text, stroke_width(k, len(xs))))
            p.drawLine(QLineF(x, HEAD, x, self.height() - 8))
        for k, fret in enumerate(v.shape):
            self._paint_finger(p, k, fret)
        if self.hasFocus():
            p.setPen(QPen(c.attention, 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(QPointF(self._x(self._at[0]), self._y(self._at[1])), 16, 13)

    def _paint_frets(self, p: QPainter, left: float, right: float) -> None:
        c, v = Theme.now, self._values
        for fret in range(1, FRETS + 1):
            p.setPen(c.muted if fret in MARKED else c.past)
            p.setFont(font(15 if fret in MARKED else 13))
            p.drawText(QRectF(0, self._y(fret) - 12, left - 10, 24), Qt.AlignmentFlag.AlignRight, str(fret))
            name = v.one_finger.get(fret)
            if name:
                p.setPen(c.muted)
                p.setFont(font(14))
                p.drawText(QRectF(right + 20, self._y(fret) - 11, 60, 22), Qt.AlignmentFlag.AlignVCenter, name)
        if v.one_finger.get(0):
            p.setPen(c.muted)
            p.setFont(font(14))
            p.drawText(QRectF(right + 20, self._y(0) - 11, 60, 22), Qt.AlignmentFlag.AlignVCenter, v.one_finger[0])
            p.setFont(font(13))
            p.drawText(QRectF(right + 2, 0, 64, 20), Qt.AlignmentFlag.AlignVCenter, "one finger")

    def _paint_finger(self, p: QPainter, k: int, fret: int | None) -> None:
        c, v = Theme.now, self._values
        x = self._x(k)
        centre = Qt.AlignmentFlag.AlignCenter
        if fret is None:
            p.setPen(c.past)
            p.setFont(font(15))
            p.drawText(QRectF(x - 14, self._y(0) - 12, 28, 24), centre, "×")
            return
        y = self._y(min(fret, FRETS))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.text if fret else c.panel)
        p.drawEllipse(QPointF(x, y), 14, 12)
        p.setPen(c.ink if fret else c.text)
        p.setFont(fitted(v.sounds[k], 15, 600, 26, 10))
        p.drawText(QRectF(x - 16, y - 12, 32, 24), centre, v.sounds[k])

    # -- pointer and keys
    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self._hit(event.position())
        if found is not None:
            self._at = found
            self._place(found[1])

    def _place(self, fret: int) -> None:
        """Sets the finger, or takes away the one that stands there."""
        column = self._at[0]
        string = len(self._values.shape) - column
        self.placed.emit(string, None if self._values.shape[column] == fret else fret)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        column, fret = self._at
        key = event.key()
        side = -1 if Theme.left_handed else 1
        moves = {Qt.Key.Key_Left: (-side, 0), Qt.Key.Key_Right: (side, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if Qt.Key(key) in moves:
            by = moves[Qt.Key(key)]
            last = max(0, len(self._values.shape) - 1)
            self._at = (max(0, min(last, column + by[0])), max(0, min(FRETS, fret + by[1])))
            self.update()
        elif key == Qt.Key.Key_Space and self._values.shape:
            self._place(fret)
        elif key == Qt.Key.Key_X and self._values.shape:
            self.placed.emit(len(self._values.shape) - column, None)
        else:
            super().keyPressEvent(event)
