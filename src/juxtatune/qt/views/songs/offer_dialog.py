"""Ways that a song could be played in: ticked ones are added."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.offer import Offer


class OfferDialog(QDialog):
    """Each way with its account and the compromise that it starts with, which can be changed in the list of ways."""

    def __init__(self, title: str, offers: list[Offer], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Ways to play {title}")
        self._offers = offers
        self.list = QListWidget()
        self.list.setAccessibleName("Ways that are offered")
        self.list.setWordWrap(True)
        for offer in offers:
            item = QListWidgetItem(f"{offer.account}  ·  compromise {offer.way.compromise_s:g} s")
            item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        head = QLabel("Space ticks a way, Enter adds those ticked. The planner then weighs them against each other.")
        head.setWordWrap(True)
        self.buttons = QDialogButtonBox()
        self.buttons.addButton("Add the ticked ways", QDialogButtonBox.ButtonRole.AcceptRole)
        self.buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(head)
        column.addWidget(self.list, 1)
        column.addWidget(self.buttons)
        self.resize(720, 420)

    def chosen(self) -> list[Offer]:
        rows = range(self.list.count())
        return [o for k, o in zip(rows, self._offers, strict=True) if self.list.item(k).checkState() == Qt.CheckState.Checked]
