"""What menus and dialogs ask of the window they belong to."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from PySide6.QtWidgets import QWidget

from juxtatune.app.session import Session


class Shell(Protocol):
    """The window, as far as its parts know it."""

    session: Session

    @property
    def widget(self) -> QWidget:
        """The parent of dialogs."""

    def say(self, text: str) -> None:
        """Shows a line to the player until its time is over."""

    def choose(self, song: str | None) -> None:
        """Selects a song in every view."""

    def plan(self) -> None:
        """Shows the night and plans it."""

    def restore_book(self, backup: Path) -> None:
        """Puts a backup in the place of the open book and opens it."""

    def open_book(self, path: Path) -> None:
        """Opens another book in this window's place."""
