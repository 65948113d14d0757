"""The line under the views: what just happened, until its time is over; what is under way; what is not saved."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

LEAST_S, PER_LETTER_S = 8.0, 0.08  # a line stays as long as it takes to read it twice


class NoticeLine(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.notice, self.doing, self.unsaved = QLabel(), QLabel(), QLabel()
        self.notice.setWordWrap(True)
        self.notice.setAccessibleName("Notice")
        self.doing.setObjectName("muted")
        self.unsaved.setObjectName("strong")
        self.unsaved.setWordWrap(True)
        for label in (self.doing, self.unsaved):
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            label.hide()
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 2, 24, 4)
        row.addWidget(self.notice, 1)
        row.addWidget(self.doing)
        row.addWidget(self.unsaved)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(lambda: self.notice.setText(""))

    def say(self, text: str) -> None:
        self.notice.setText(text)
        if text:
            self._timer.start(round(1000 * (LEAST_S + PER_LETTER_S * len(text))))
        else:
            self._timer.stop()

    def show_doing(self, text: str) -> None:
        self.doing.setText(text)
        self.doing.setVisible(bool(text))

    def show_unsaved(self, count: int, trouble: str | None) -> None:
        """What waits for the disk, once it fails; it goes when all is written."""
        if trouble is None:
            self.unsaved.hide()
            return
        changes = "1 change is" if count == 1 else f"{count} changes are"
        self.unsaved.setText(f"{changes} not saved yet, and kept: {trouble}. It is tried again every second.")
        self.unsaved.setStyleSheet("font-size: 15px;")
        self.unsaved.show()
