"""Fields that take typing: Enter in one adds and stays, numbers are replaced by what is typed."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QDoubleSpinBox, QLineEdit


class AddField(QLineEdit):
    """A line whose Enter goes to `entered` and nowhere else; it keeps text and focus until it is cleared."""

    entered = Signal()

    def __init__(self, placeholder: str, name: str) -> None:
        super().__init__()
        self.setPlaceholderText(placeholder)
        self.setAccessibleName(name)
        self.setMinimumHeight(32)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.entered.emit()
            event.accept()
        else:
            super().keyPressEvent(event)


class NumberField(QDoubleSpinBox):
    """A number with its unit: what it holds is selected when it takes the focus, and Enter takes what was typed."""

    def __init__(self, low: float, high: float, unit: str = "", decimals: int = 0, step: float = 1.0) -> None:
        super().__init__()
        self.setRange(low, high)
        self.setDecimals(decimals)
        self.setSingleStep(step)
        self.setSuffix(unit)
        self.setKeyboardTracking(False)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setMinimumHeight(32)
        self.lineEdit().setTextMargins(8, 0, 8, 0)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        QTimer.singleShot(0, self.selectAll)  # a click puts the cursor first

    def keyPressEvent(self, event: QKeyEvent) -> None:
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.selectAll()
            event.accept()
