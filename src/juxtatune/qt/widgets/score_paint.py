"""The painted parts of a score that need nothing but its values: strings through a row, and the gap above it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPen

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.score_values import GuitarColumn, Score, ScoreRow
from juxtatune.qt.widgets.signature import places, stroke_width
from juxtatune.qt.widgets.text import elided

BAND = 11  # height of the gap band between two rows
AIR = 88  # column of dead air that no string enters
BAR_S_PER_PX = 2.0


@dataclass(frozen=True)
class Half:
    """Where one order is drawn: left edge, title column, guitar columns, dead air."""

    left: float
    right: float
    titles: float
    columns: tuple[tuple[float, float], ...]  # left edge and string spacing of each guitar
    names: float  # where the names of tunings begin
    grown: float = 1.0


def paint_guitar(
    p: QPainter, guitar: GuitarColumn, column: tuple[float, float], row: ScoreRow, g: int,
    top: float, height: float, first: bool,
) -> None:  # fmt: skip
    """One guitar's strings through a row: what moves in the gap above it, then how they stand."""
    c, (left, spacing) = Theme.now, column
    if not guitar.used:
        p.setPen(QPen(c.line, 1.2))
        p.drawLine(QLineF(left + 6, top, left + 6, top + height))
        return
    in_hand = row.hand == g
    was = places(row.before[g], guitar.home, left, spacing)
    now = places(row.during[g], guitar.home, left, spacing)
    count = len(guitar.home)
    for s in range(count):
        x0, x1, stopped = was[s].x, now[s].x, now[s].stopped
        moved = abs(row.during[g][s] - row.before[g][s]) > 1e-6 and not first
        if moved:
            up = row.during[g][s] > row.before[g][s]
            p.setPen(QPen(c.higher if up else c.lower, 2.4))
        else:
            p.setPen(QPen(c.waiting, 1.0))
        if not first:
            p.drawLine(QLineF(x0 if moved else x1, top, x1, top + BAND))
        end = top + height
        if in_hand:
            pen = QPen(c.text, stroke_width(s, count))
            if s not in row.used:
                pen = QPen(c.text, 1.8)
                pen.setDashPattern([1.0, 2.2])
        else:
            pen = QPen(c.waiting, 1.0)
        p.setPen(pen)
        p.drawLine(QLineF(x1, top + BAND, x1, end))
        if stopped and in_hand:
            way = 4.0 if row.during[g][s] > guitar.home[s] else -4.0
            p.setPen(QPen(c.text, 1.4))
            p.drawLine(QLineF(x1, top + BAND + 1, x1 + way, top + BAND + 1))


def paint_gap(p: QPainter, score: Score, half: Half, row: ScoreRow, top: float) -> None:
    """The gap above a row: a swap, and its work, covered and as dead air."""
    c, gap = Theme.now, row.gap
    assert gap is not None
    y = top + BAND / 2
    if gap.swap is not None:
        a, b = (half.columns[g][0] + len(score.guitars[g].home) * half.columns[g][1] / 2 for g in gap.swap)
        pen = QPen(c.muted, 1.4)
        pen.setDashPattern([3, 2])
        p.setPen(pen)
        p.drawLine(QLineF(a, y, b, y))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(c.muted)
        p.drawEllipse(QPointF(b, y), 3.2, 3.2)
        p.setBrush(Qt.BrushStyle.NoBrush)
    if gap.work_s <= 0:
        return
    covered = min(gap.work_s, gap.cover_s)
    g = half.grown
    full = (AIR - 48) * g
    scale = min(g / BAR_S_PER_PX, full / max(gap.work_s, 1e-9))
    dead, talk = gap.dead_s * scale, covered * scale
    right = half.right - 46 * g
    p.setPen(QPen(c.muted, 1))
    p.drawRect(QRectF(right - dead - talk, y - 4, talk, 8))
    if gap.dead_s > 0:
        p.fillRect(QRectF(right - dead, y - 4, dead, 8), c.attention)
        p.setFont(font(15 * g, 600))
        p.setPen(c.attention)
        label = f"{max(1, round(gap.dead_s))} s"
        p.drawText(
            QRectF(half.right - 46 * g, y - 11 * g, 46 * g, 22 * g),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            label,
        )


def paint_name(p: QPainter, half: Half, row: ScoreRow, top: float, height: float) -> None:
    """The name of the tuning beside the strings, where it changes."""
    room = QRectF(half.names, top + BAND / 2, half.right - AIR * half.grown - half.names - 4, height - BAND / 2)
    if not row.changes or room.width() < 30:
        return
    face = font(14 * half.grown)
    p.setFont(face)
    p.setPen(Theme.now.muted)
    p.drawText(room, Qt.AlignmentFlag.AlignVCenter, elided(row.tuning, QFontMetricsF(face), room.width()))
