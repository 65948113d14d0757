"""Sheets on paper: the set for the floor and the technician's sheet, one A4 page each, as PDF or printed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QMarginsF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QPagedPaintDevice,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QPen,
)

from juxtatune.app.sheets import FloorRow, TechGuitar, floor_rows, tech_guitars
from juxtatune.book.files import replace_whole
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.repertoire.night import Gig
from juxtatune.qt.theme import font
from juxtatune.qt.widgets.signature import paint_signature, signature_width

INK, GREY = QColor("#000000"), QColor("#555555")
WIDTH = 800.0  # units across the page; the height follows
Sheet = Callable[[QPainter, float, str, Gig, Plan], None]


def paint_on(device: QPagedPaintDevice, sheet: Sheet, name: str, gig: Gig, plan: Plan) -> None:
    """Paints a sheet on one page of a printer or PDF."""
    painter = QPainter(device)
    scale = device.width() / WIDTH
    painter.scale(scale, scale)
    sheet(painter, device.height() / scale, name, gig, plan)
    painter.end()


def write_pdf(path: Path, sheet: Sheet, name: str, gig: Gig, plan: Plan) -> None:
    """Writes a sheet as PDF, whole or not at all. Raises UserError when the place cannot be written."""

    def fill(part: Path) -> None:
        writer = QPdfWriter(str(part))
        writer.setTitle(name)
        set_page(writer)
        paint_on(writer, sheet, name, gig, plan)
        del writer
        # a full disk cuts the file without a word: a whole one ends so (ISO 32000-1, 7.5.5)
        if not part.read_bytes()[-16:].rstrip().endswith(b"%%EOF"):
            raise OSError("the disk is full")

    replace_whole(path, fill)


def set_page(device: QPagedPaintDevice) -> None:
    device.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(12, 12, 12, 12)
        )
    )
    if isinstance(device, QPdfWriter):
        device.setResolution(150)


def floor_sheet(p: QPainter, height: float, name: str, gig: Gig, plan: Plan) -> None:
    """The set in letters to be read standing up: title, signature, what moves."""
    rows = floor_rows(gig, plan)
    _heading(p, name)
    _text(p, QRectF(500, 6, WIDTH - 500, 30), "string ↓ down, ↑ up so many half steps", 14, GREY)
    parts = len({r.part for r in rows})
    row = min(54.0, (height - 70 - 22 * (parts - 1)) / max(1, len(rows)))
    y = 62.0
    for k, r in enumerate(rows):
        if k and r.part != rows[k - 1].part:
            p.setPen(QPen(GREY, 1.2))
            p.drawLine(0, int(y + 11), int(WIDTH), int(y + 11))
            y += 22
        _floor_row(p, r, QRectF(0, y, WIDTH, row))
        y += row


def _floor_row(p: QPainter, r: FloorRow, rect: QRectF) -> None:
    size = max(9.0, min(30.0, rect.height() * 0.62))
    left, middle = rect.adjusted(0, 0, -410, 0), QRectF(400, rect.top(), 100, rect.height())
    face = font(size, 600)
    _text(p, left.adjusted(44, 0, 0, 0), r.title, size, INK, 600)
    _text(p, left, str(r.number), size * 0.7, GREY)
    if r.new_guitar:
        _text(p, middle, r.guitar, size * 0.66, INK, 600)
    high = min(QFontMetricsF(face).height(), rect.height()) * 0.62
    spot = QRectF(492, rect.center().y() - high / 2, signature_width(len(r.pitches)), high)
    paint_signature(p, spot, r.pitches, r.home, INK)
    right = QRectF(612, rect.top(), WIDTH - 612, rect.height())
    if r.tuning and r.moves:
        upper, lower = right.adjusted(0, 0, 0, -rect.height() / 2), right.adjusted(0, rect.height() / 2, 0, 0)
        _text(p, upper, r.tuning, min(size * 0.62, rect.height() * 0.46), INK, 600)
        _text(p, lower, r.moves, min(size * 0.6, rect.height() * 0.44), INK)
    else:
        _text(p, right, r.tuning or r.moves, size * 0.66, INK, 600 if r.tuning else 400)


def tech_sheet(p: QPainter, height: float, name: str, gig: Gig, plan: Plan) -> None:
    """Guitar by guitar: the minute, the moment, what to do."""
    guitars = tech_guitars(gig, plan)
    _heading(p, f"{name} · for the technician")
    lines = sum(len(g.rows) + 2 for g in guitars)
    columns = 2 if lines * 16 > height - 70 else 1
    each = -(-lines // columns)
    row = min(26.0, (height - 76) / max(1, each + (2 if columns == 2 else 0)))
    wide = WIDTH / columns
    x, y, used = 0.0, 62.0, 0
    for g in guitars:
        if columns == 2 and x == 0 and used and used + len(g.rows) / 2 > each:
            x, y, used = wide, 62.0, 0
        y = _tech_guitar(p, g, x, y, wide - 16, row)
        used += len(g.rows) + 2


def _tech_guitar(p: QPainter, g: TechGuitar, x: float, y: float, wide: float, row: float) -> float:
    size = min(15.0, row * 0.66)
    _text(p, QRectF(x, y, wide, row), g.name, size * 1.25, INK, 600)
    y += row
    for r in g.rows:
        does = not r.what.startswith("played")
        _text(p, QRectF(x, y, 44, row), f"{r.minute:.0f} min", size * 0.85, GREY)
        _text(p, QRectF(x + 50, y, wide * 0.52 - 50, row), r.when, size, INK if does else GREY)
        _text(
            p,
            QRectF(x + wide * 0.53, y, wide * 0.47, row),
            r.what,
            size,
            INK if does else GREY,
            600 if does else 400,
        )
        y += row
    return y + row


def _heading(p: QPainter, text: str) -> None:
    _text(p, QRectF(0, 0, WIDTH, 40), text, 24, INK, 600)
    p.setPen(QPen(INK, 2))
    p.drawLine(0, 46, int(WIDTH), 46)


def _text(p: QPainter, rect: QRectF, text: str, size: float, ink: QColor, weight: int = 400) -> None:
    """Text made smaller, and at last elided, until it fits."""
    face = font(size, weight)
    while face.pixelSize() > 8 and QFontMetricsF(face).horizontalAdvance(text) > rect.width():
        face.setPixelSize(face.pixelSize() - 1)
    p.setFont(face)
    p.setPen(ink)
    shown = QFontMetricsF(face).elidedText(text, Qt.TextElideMode.ElideMiddle, rect.width())
    p.drawText(rect, Qt.AlignmentFlag.AlignVCenter, shown)
