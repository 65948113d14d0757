"""A view that is made anew only while it is seen: what changed meanwhile is caught up with when it is shown."""

from __future__ import annotations

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QWidget


class CatchingUp(QWidget):
    """Views tell `mark_changed` what the book told them; `refresh` shows everything as it is."""

    _stale = False

    def refresh(self) -> None:
        self._stale = False

    def mark_changed(self) -> None:
        self._stale = not self.isVisible()
        if not self._stale:
            self.refresh()

    def catch_up(self) -> None:
        if self._stale:
            self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        self.catch_up()
        super().showEvent(event)
