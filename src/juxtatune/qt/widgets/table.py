"""A table of immutable rows: columns say how to show a row and how an edited text makes a new one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from juxtatune.core.errors import UserError
from juxtatune.qt.theme import Theme
from juxtatune.qt.widgets.signature import paint_signature, signature_width

Index = QModelIndex | QPersistentModelIndex
SIGNATURE = Qt.ItemDataRole.UserRole + 1
MARGIN = 8  # px


@dataclass(frozen=True)
class TableColumn:
    """`edit` takes (row, text) and gives the new row, raising UserError; None: not editable here.

    `signature` gives (pitches, home) to be drawn beside the text; `right` sets it at the right, as figures are.
    """

    title: str
    show: Callable[[Any], str]
    edit: Callable[[Any, str], Any] | None = None
    width: int = 120
    signature: Callable[[Any], tuple[Sequence[float], Sequence[float]] | None] | None = None
    stretch: bool = False
    right: bool = False


class RowsModel(QAbstractTableModel):
    """Rows from outside; an accepted edit is handed to `changed(old, new)`, a refused one to `refused(text)`."""

    def __init__(
        self,
        columns: Sequence[TableColumn],
        changed: Callable[[Any, Any], None],
        refused: Callable[[str], None],
    ) -> None:
        super().__init__()
        self._columns, self._changed, self._refused = tuple(columns), changed, refused
        self._edits = any(c.edit is not None for c in self._columns)
        self._rows: tuple[Any, ...] = ()

    def set_rows(self, rows: Sequence[Any]) -> None:
        rows = tuple(rows)
        if len(rows) == len(self._rows):
            # the view keeps its place, and only what is another is asked for anew
            changed = [k for k, (a, b) in enumerate(zip(rows, self._rows, strict=True)) if a is not b]
            self._rows = rows
            if changed:
                last = self.index(changed[-1], len(self._columns) - 1)
                self.dataChanged.emit(self.index(changed[0], 0), last)
            return
        self.beginResetModel()
        self._rows = rows
        self.endResetModel()

    def row(self, index: int) -> Any:
        return self._rows[index] if 0 <= index < len(self._rows) else None

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self._rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self._columns)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self._columns[section].title
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        column, row = self._columns[index.column()], self._rows[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole, Qt.ItemDataRole.ToolTipRole):
            return column.show(row)
        if role == Qt.ItemDataRole.ForegroundRole and column.edit is None and self._edits:
            return Theme.now.muted  # a cell that cannot be typed into looks so
        if role == Qt.ItemDataRole.TextAlignmentRole and column.right:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == SIGNATURE and column.signature is not None:
            return column.signature(row)
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = super().flags(index)
        return base | Qt.ItemFlag.ItemIsEditable if self._columns[index.column()].edit is not None else base

    def setData(self, index: Index, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        column, row = self._columns[index.column()], self._rows[index.row()]
        if column.edit is None or role != Qt.ItemDataRole.EditRole or str(value) == column.show(row):
            return False
        try:
            self._changed(row, column.edit(row, str(value)))
        except UserError as error:
            self._refused(f"{column.title}: {error.message()}. Nothing was changed.")
            return False
        return True


class SignatureDelegate(QStyledItemDelegate):
    """Draws a signature beside the text of a tuning, which gives way to it."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: Index) -> None:
        super().initStyleOption(option, index)
        drawn = index.data(SIGNATURE)
        if drawn is not None:
            room = round(option.rect.width() - signature_width(len(drawn[0]))) - 3 * MARGIN
            lines = option.text.split("\u2028")  # how the base class writes a new line
            option.text = "\u2028".join(option.fontMetrics.elidedText(t, Qt.TextElideMode.ElideMiddle, room) for t in lines)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        drawn = index.data(SIGNATURE)
        super().paint(painter, option, index)
        if drawn is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect, width = QRectF(option.rect), signature_width(len(drawn[0]))
        place = QRectF(rect.right() - width - MARGIN, rect.top() + 6, width, rect.height() - 12)
        paint_signature(painter, place, drawn[0], drawn[1], Theme.now.text)
        painter.restore()


class _Table(QTableView):
    """Letters begin an edit where a cell can be typed into; elsewhere they are keys of the view around it."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = self.currentIndex()
        typing = bool(event.text().strip()) and event.text().isprintable()
        if typing and not (index.isValid() and index.flags() & Qt.ItemFlag.ItemIsEditable):
            event.ignore()
        else:
            super().keyPressEvent(event)


def make_table(model: RowsModel, columns: Sequence[TableColumn], name: str) -> QTableView:
    """A table view with the house's manners: whole rows, keys to move and F2 or typing to edit."""
    table = _Table()
    table.setModel(model)
    table.setAccessibleName(name)
    table.setItemDelegate(SignatureDelegate(table))
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setAlternatingRowColors(True)
    table.setShowGrid(False)
    table.setWordWrap(False)
    table.setTabKeyNavigation(False)
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(34)
    header = table.horizontalHeader()
    header.setHighlightSections(False)
    header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for k, column in enumerate(columns):
        table.setColumnWidth(k, column.width)
        if column.stretch:
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.Stretch)
    return table
