"""Tonight: the songs in order with their signatures; the selected song drives the view beside it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QLabel,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from juxtatune.qt.theme import Theme, font
from juxtatune.qt.widgets.signature import paint_signature, signature_width
from juxtatune.qt.widgets.text import elided

LEAST_ROW, MOST_ROW = 30, 48
TWO_LINES = 34  # px from which the name of the tuning has a line of its own
STRIP = 112
WIDTH = 260
ROW = Qt.ItemDataRole.UserRole + 1
Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True)
class TonightRow:
    """One song of the night; `past` when it stands before the chosen one."""

    song: str
    title: str
    tuning: str
    guitar: str
    pitches: tuple[float, ...]
    home: tuple[float, ...]
    past: bool


class TonightModel(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[TonightRow, ...] = ()

    def set_rows(self, rows: tuple[TonightRow, ...]) -> None:
        if [r.song for r in rows] == [r.song for r in self.rows] and rows:
            self.rows = rows
            self.dataChanged.emit(self.index(0), self.index(len(rows) - 1))
            return
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.title
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{index.row() + 1}. {row.title}: {row.tuning} on {row.guitar}"
        return row if role == ROW else None


class TonightDelegate(QStyledItemDelegate):
    def __init__(self, view: TonightList) -> None:
        super().__init__(view)
        self._view = view

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(STRIP, self._view.row_height())

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row, c, rect = index.data(ROW), Theme.now, QRectF(option.rect)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if chosen:
            p.fillRect(rect.adjusted(0, 1, 0, -1), c.selected)
            wide = 6 if option.state & QStyle.StateFlag.State_HasFocus else 4
            p.fillRect(QRectF(rect.left(), rect.top() + 1, wide, rect.height() - 2), c.attention)
        ink = c.text if chosen or not row.past else c.past
        width = signature_width(len(row.pitches)) * 0.9
        left = rect.right() - 4 - width
        paint_signature(p, QRectF(left, rect.top() + 8, width, rect.height() - 16), row.pitches, row.home, ink)
        if not self._view.folded:
            self._text(p, row, QRectF(rect.left() + 14, rect.top(), left - rect.left() - 16, rect.height()), chosen)
        p.restore()

    def _text(self, p: QPainter, row: TonightRow, room: QRectF, chosen: bool) -> None:
        c, grow = Theme.now, max(1.0, room.height() / 40)
        face = font(16 * grow, 600 if chosen else 400)
        middle = Qt.AlignmentFlag.AlignVCenter
        p.setFont(face)
        p.setPen(c.text if chosen or not row.past else c.past)
        title = elided(row.title, QFontMetricsF(face), room.width())
        if room.height() < TWO_LINES:
            p.drawText(room, middle, title)
            return
        p.drawText(room.adjusted(0, 2, 0, -room.height() * 0.42), middle, title)
        small = font(13 * grow)
        p.setFont(small)
        p.setPen(c.past)
        name = elided(row.tuning, QFontMetricsF(small), room.width())
        p.drawText(room.adjusted(0, room.height() * 0.52, 0, -2), middle, name)


class TonightList(QWidget):
    """A list with the house's face; folds to a strip of signatures."""

    selected = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("tonight")
        self.folded = False
        self.head = QLabel("No night yet")
        self.head.setObjectName("muted")
        self.head.setContentsMargins(14, 8, 4, 4)
        self.model = TonightModel()
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(TonightDelegate(self))
        self.list.setAccessibleName("Tonight")
        self.list.setObjectName("tonight")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.selectionModel().currentChanged.connect(self._chosen)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 4)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.list, 1)
        self.setFocusProxy(self.list)
        self.fold(False)

    def fold(self, folded: bool, grow: float = 1.0) -> None:
        self.folded = folded
        self.setFixedWidth(round((STRIP if folded else WIDTH) * grow))
        self.list.doItemsLayout()

    def row_height(self) -> int:
        fits = self.list.viewport().height() // max(1, len(self.model.rows))
        return max(LEAST_ROW, min(MOST_ROW, fits))

    def set_rows(self, rows: tuple[TonightRow, ...], song: str | None) -> None:
        self.model.set_rows(rows)
        self.head.setText("Tonight" if rows else "No night yet")
        at = next((k for k, r in enumerate(rows) if r.song == song), -1)
        blocked = self.list.selectionModel().blockSignals(True)
        self.list.setCurrentIndex(self.model.index(at) if at >= 0 else QModelIndex())
        self.list.selectionModel().blockSignals(blocked)
        if at >= 0:
            self.list.scrollTo(self.model.index(at))
        self.list.doItemsLayout()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.list.doItemsLayout()

    def _chosen(self, now: QModelIndex, _: QModelIndex) -> None:
        row = now.data(ROW)
        if row is not None:
            self.selected.emit(row.song)
