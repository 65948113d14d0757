"""Gig files in and out of the book: the first entries of the File menu."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog

from juxtatune.book.formats.gig import read_gig
from juxtatune.book.formats.gig_out import write_gig
from juxtatune.book.state import gig_of, state_of_gig
from juxtatune.core.errors import UserError

if TYPE_CHECKING:
    from juxtatune.qt.main_window import MainWindow


class GigFiles:
    """Asks for a file and moves a gig between it and the window's book."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window

    def ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Import a gig", "", "Gig files (*.json)")
        if name:
            self.read(Path(name))

    def ask_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self.window, "Export the gig", "gig.json", "Gig files (*.json)")
        if name:
            self.write(Path(name))

    def read(self, path: Path) -> None:
        """Puts a gig file's guitars, songs and night into the book in place of the old ones; one undoable edit."""
        window = self.window
        try:
            window.session.edit("Import a gig", state_of_gig(read_gig(path), path.stem))
        except UserError as error:
            window.say(f"{error.message()}. The book is as it was.")
            return
        night = window.night.night()
        window.choose(night.slots[0].song if night is not None and night.slots else None)
        window.say(f"{path.name} is in the book. Ctrl+Z brings the old night back.")

    def write(self, path: Path) -> None:
        window = self.window
        night = window.night.night()
        if night is None:
            window.say("There is no night to export yet.")
            return
        try:
            write_gig(path, gig_of(window.session.state, night))
        except UserError as error:
            window.say(error.message())
            return
        window.say(f"Exported to {path}.")
