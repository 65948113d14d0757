"""Edits that are about several songs: fields for all of the chosen, and duplicates to be merged."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.song_edits import MANY, Duplicate

HOLDERS = {"shakes": "yes or no", "length": "3:35", "matters": "essential, from a section on, hardly"}


def _buttons(dialog: QDialog, text: str) -> QDialogButtonBox:
    buttons = QDialogButtonBox()
    buttons.addButton(text, QDialogButtonBox.ButtonRole.AcceptRole)
    buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
    buttons.accepted.connect(dialog.accept)
    buttons.rejected.connect(dialog.reject)
    return buttons


class ManyDialog(QDialog):
    """A field left empty leaves every song as it is."""

    def __init__(self, count: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Edit {count} songs")
        self.fields: dict[str, QLineEdit] = {}
        form = QFormLayout()
        for name, (label, _) in MANY.items():
            field = QLineEdit()
            field.setAccessibleName(f"{label} of all chosen songs")
            field.setPlaceholderText(HOLDERS.get(name, "as it is"))
            field.setMinimumHeight(32)
            self.fields[name] = field
            form.addRow(label, field)
        note = QLabel(f"What is typed goes into all {count} songs; empty fields change nothing. Ctrl+Z takes it back.")
        note.setWordWrap(True)
        self.problem = QLabel()
        self.problem.setWordWrap(True)
        column = QVBoxLayout(self)
        column.addWidget(note)
        column.addLayout(form)
        column.addWidget(self.problem)
        column.addWidget(_buttons(self, "Change them"))
        self.resize(460, 480)

    def typed(self) -> dict[str, str]:
        return {name: field.text() for name, field in self.fields.items() if field.text().strip()}


class DuplicatesDialog(QDialog):
    """Pairs that seem to be one song; ticked ones are merged into the first."""

    def __init__(self, found: list[Duplicate], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Songs that seem to stand twice")
        self._found = found
        self.list = QListWidget()
        self.list.setAccessibleName("Songs that seem to stand twice")
        for pair in found:
            ways = "1 way" if len(pair.other.ways) == 1 else f"{len(pair.other.ways)} ways"
            item = QListWidgetItem(f"{pair.kept.title}  ←  {pair.other.title}, {ways} · {pair.why}")
            item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        note = QLabel(
            "Space ticks a pair. The first song stays: it takes the ways and details it lacks, and the other's places in nights."
        )
        note.setWordWrap(True)
        column = QVBoxLayout(self)
        column.addWidget(note)
        column.addWidget(self.list, 1)
        column.addWidget(_buttons(self, "Merge the ticked pairs"))
        self.resize(720, 380)

    def chosen(self) -> list[Duplicate]:
        return [d for k, d in enumerate(self._found) if self.list.item(k).checkState() == Qt.CheckState.Checked]
