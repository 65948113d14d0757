"""A table of songs before it is taken in: which column is what, the encoding, and what would change."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QScrollArea,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.songs_in import COLUMNS, SongsPreview, guessed, preview
from juxtatune.book.formats.songs_csv import ENCODINGS, SongTable, read_table
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError

LEFT_OUT = "left out"
SHOWN = 40  # lines of each kind


class SongsDialog(QDialog):
    """`found` is what taking it would make of the book; None while it cannot be taken."""

    def __init__(self, state: BookState, path: Path, table: SongTable, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Songs from {path.name}")
        self._state, self._path, self._table = state, path, table
        self.found: SongsPreview | None = None
        self.encoding = QComboBox()
        self.encoding.addItems(ENCODINGS)
        self.encoding.setCurrentText(table.encoding)
        self.encoding.setAccessibleName("Encoding of the file")
        self.encoding.activated.connect(lambda _: self._read_again())
        self.columns: list[QComboBox] = []
        self._form = QFormLayout()
        fields = QWidget()
        fields.setLayout(self._form)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(fields)
        self.told = QTextEdit()
        self.told.setReadOnly(True)
        self.told.setAccessibleName("What would change")
        self.told.setTabChangesFocus(True)
        buttons = QDialogButtonBox()
        self.take = buttons.addButton("Take them", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        top = QFormLayout()
        top.addRow("Encoding", self.encoding)
        column.addLayout(top)
        column.addWidget(QLabel("Columns of the file, and what each is:"))
        column.addWidget(area, 2)
        column.addWidget(self.told, 3)
        column.addWidget(buttons)
        self.resize(640, 620)
        self._fill()

    def _read_again(self) -> None:
        try:
            self._table = read_table(self._path, self.encoding.currentText())
        except UserError as error:
            self.found = None
            self.take.setEnabled(False)
            self.told.setPlainText(f"{error.message()}.")
            return
        self._fill()

    def _fill(self) -> None:
        while self._form.rowCount():
            self._form.removeRow(0)
        self.columns = []
        sample = self._table.rows[0][1]
        for k, (heading, name) in enumerate(zip(self._table.headings, guessed(self._table), strict=True)):
            box = QComboBox()
            box.addItems([LEFT_OUT, *COLUMNS])
            box.setCurrentText(name or LEFT_OUT)
            box.setAccessibleName(f"Column {heading or k + 1}")
            box.activated.connect(lambda _: self._preview())
            example = f", as {sample[k][:24]!r}" if k < len(sample) and sample[k] else ""
            self._form.addRow(f"{heading or f'column {k + 1}'}{example}", box)
            self.columns.append(box)
        self._preview()

    def _preview(self) -> None:
        names = (box.currentText() for box in self.columns)
        mapping = tuple(n if n != LEFT_OUT else None for n in names)
        try:
            self.found = preview(self._state, self._table, mapping)
        except UserError as error:
            self.found = None
            self.told.setPlainText(f"{error.message()}.")
        else:
            self.told.setPlainText(_words(self.found))
        self.take.setEnabled(self.found is not None and bool(self.found.new or self.found.changed))


def _words(found: SongsPreview) -> str:
    lines = []
    for title, rows in (("New", found.new), ("Changed", found.changed), ("Cannot be taken", found.refused)):
        if rows:
            lines += [f"{title}: {len(rows)}", *(f"   {r}" for r in rows[:SHOWN])]
            lines += [f"   and {len(rows) - SHOWN} more"] if len(rows) > SHOWN else []
    if found.same:
        lines.append(f"As they are: {found.same}")
    return "\n".join(lines)
