"""The panel beside the score that says why: lines of figures, some of which can be taken."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from juxtatune.core.planning.explain.sensitivity import Change
from juxtatune.qt.views.night.why import WhyPresenter

WIDTH = 330
SECTIONS = (
    ("changes", "Changes to your own order that save most (Enter does one)"),
    ("rules", "What your rules cost"),
    ("help", "What would help"),
)


class WhyPanel(QWidget):
    """Shows the presenter's lines; a change is taken with Enter or a double click."""

    taken = Signal(object)

    def __init__(self, presenter: WhyPresenter) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setFixedWidth(WIDTH)
        self.presenter = presenter
        self.head = QLabel()
        self.head.setWordWrap(True)
        self.head.setIndent(3)  # as list items are
        self.list = QListWidget()
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setWordWrap(True)
        self.list.setAccessibleName("Why this order")
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.itemActivated.connect(self._take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 16, 12, 12)
        layout.addWidget(self.head)
        layout.addWidget(self.list, 1)
        presenter.changed.connect(self.refresh)

    def refresh(self) -> None:
        if self.presenter.plan is None:
            self.head.setText("Nothing to explain yet: Ctrl+R plans the night.")
        elif self.presenter.elsewhere:
            self.head.setText("Beside each song: what the night would cost more with the chosen song there.")
        else:
            self.head.setText("Choose a song to see what it would cost elsewhere.")
        row = self.list.currentRow()
        self.list.clear()
        for key, title in SECTIONS:
            lines = self.presenter.lines.get(key, [])
            if not lines and not self.presenter.working:
                continue
            heading = QListWidgetItem(("\n" if self.list.count() else "") + title)
            face = heading.font()
            face.setBold(True)
            heading.setFont(face)
            heading.setFlags(Qt.ItemFlag.NoItemFlags | Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(heading)
            for line in lines:
                item = QListWidgetItem(line.text)
                item.setData(Qt.ItemDataRole.UserRole, line.change)
                self.list.addItem(item)
            if not lines:
                self.list.addItem("working it out …")
        self.list.setCurrentRow(row)

    def _take(self, item: QListWidgetItem) -> None:
        change = item.data(Qt.ItemDataRole.UserRole)
        if isinstance(change, Change):
            self.taken.emit(change)
