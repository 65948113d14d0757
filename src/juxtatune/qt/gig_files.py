"""Gig files in and out of the book: the first entries of the File menu."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMessageBox

from juxtatune.app import nights
from juxtatune.book.backup import backups, contents
from juxtatune.book.db import SUFFIX, Book
from juxtatune.book.formats.gig import read_gig
from juxtatune.book.formats.gig_out import write_gig
from juxtatune.book.state import NightRecord, gig_of, state_of_gig
from juxtatune.core.errors import UserError
from juxtatune.qt.shell import Shell


class GigFiles:
    """Asks for a file and moves a gig between it and the window's book."""

    def __init__(
        self, shell: Shell, night: Callable[[], NightRecord | None], open_night: Callable[[str], None]
    ) -> None:
        self.shell, self._night, self._open_night = shell, night, open_night

    def ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.shell.widget, "Import a gig", "", "Gig files (*.json)")
        if name:
            self.import_gig(Path(name))

    def import_gig(self, path: Path) -> None:
        """Asks where the gig is to go: an empty book is not asked about."""
        state = self.shell.session.state
        if not state.songs and not state.instruments:
            self.read(path)
            return
        box = QMessageBox(self.shell.widget)
        box.setWindowTitle("Import a gig")
        box.setText(f"Where should {path.name} go?")
        box.setInformativeText("Into this book: its night is added, what the book has already is used as it is.")
        here = box.addButton("Into this book", QMessageBox.ButtonRole.AcceptRole)
        new = box.addButton("As a new book…", QMessageBox.ButtonRole.ActionRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(here)
        box.exec()
        if box.clickedButton() is here:
            self.read(path)
        elif box.clickedButton() is new:
            self._ask_new(path)

    def _ask_new(self, path: Path) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.shell.widget, "The new book", f"{path.stem}{SUFFIX}", f"Books (*{SUFFIX})"
        )
        if name:
            self.read_as_new(path, Path(name if name.endswith(SUFFIX) else name + SUFFIX))

    def read(self, path: Path) -> None:
        """Adds a gig file's night to the book, with the guitars and songs that are not in it; one undoable edit."""
        session = self.shell.session
        try:
            new, night = nights.with_gig(session.state, read_gig(path), path.stem)
            session.edit("Import a gig", new)
        except UserError as error:
            self.shell.say(f"{error.message()}. The book is as it was.")
            return
        self._open_night(night.id)
        self.shell.choose(night.slots[0].song if night.slots else None)
        self.shell.say(f"{night.name} is in the book, and open. Ctrl+Z takes it out again.")

    def read_as_new(self, path: Path, book: Path) -> None:
        """Makes a new book of a gig file and opens it in the window's place."""
        try:
            if book.exists():
                raise UserError("there is a file already", str(book), "a new name")
            state = state_of_gig(read_gig(path), path.stem)
            fresh = Book(book)
            fresh.save(fresh.load(), state)
            fresh.close()
        except UserError as error:
            self.shell.say(f"{error.message()}. The book is as it was.")
            return
        self.shell.open_book(book)

    def ask_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.shell.widget, "Export the gig", "gig.json", "Gig files (*.json)"
        )
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        night = self._night()
        if night is None or not night.slots:
            self.shell.say("There is no night to export yet.")
            return
        try:
            write_gig(path, gig_of(self.shell.session.state, night, checks=False))
        except UserError as error:
            self.shell.say(f"{error.message()}.")
            return
        self.shell.say(f"Exported to {path}.")


class BookFiles:
    """Another book, a whole copy of this one, and the backups made at each start."""

    def __init__(self, shell: Shell) -> None:
        self.shell = shell

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.shell.widget, "Open a book", "", f"Books (*{SUFFIX})")
        if name:
            self.shell.open_book(Path(name))

    def ask_new(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.shell.widget, "A new book", f"book{SUFFIX}", f"Books (*{SUFFIX})",
            options=QFileDialog.Option.DontConfirmOverwrite,
        )  # fmt: skip
        if not name:
            return
        path = Path(name if name.endswith(SUFFIX) else name + SUFFIX)
        if path.exists():
            self.shell.say(f"{path.name} exists already: Open a book opens it.")
            return
        self.shell.open_book(path)

    def ask_restore(self) -> None:
        """Asks for a dated backup, the newest first, or another file; the book that stands now is put aside, not lost."""
        kept = backups(self.shell.session.book.path)
        folder = str(kept[0]) if kept else str(self.shell.session.book.path.parent)
        title = "Restore a backup in place of this book"
        name, _ = QFileDialog.getOpenFileName(self.shell.widget, title, folder, f"Books (*{SUFFIX})")
        if name:
            self.restore(Path(name))

    def restore(self, backup: Path) -> None:
        """Puts a backup in the book's place once it was read whole. The window opens on it."""
        session = self.shell.session
        try:
            if backup.resolve() == session.book.path.resolve():
                raise UserError("this is the book itself", str(backup), "a backup of it")
            if session.read_only:
                raise UserError("the book is open in another window", str(backup), "close that window first")
            state = contents(backup)
        except UserError as error:
            self.shell.say(f"{error.message()}. The book is as it was.")
            return
        box = QMessageBox(self.shell.widget)
        box.setWindowTitle("Restore a backup")
        box.setText(f"Restore {backup.name}?")
        box.setInformativeText(
            f"It holds {len(state.songs)} songs, {len(state.instruments)} guitars and {len(state.nights)} nights. "
            "The book as it is now is put aside beside it."
        )
        restore = box.addButton("Restore it", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.exec()
        if box.clickedButton() is restore:
            self.shell.restore_book(backup)

    def ask_back_up(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self.shell.widget, "Back up the book", f"backup{SUFFIX}", f"Books (*{SUFFIX})"
        )
        if name:
            self.back_up(Path(name if name.endswith(SUFFIX) else name + SUFFIX))

    def back_up(self, path: Path) -> None:
        """Writes the whole book with its log to one file."""
        try:
            self.shell.session.copy_to(path)
        except UserError as error:
            self.shell.say(f"{error.message()}.")
            return
        self.shell.say(f"The whole book, with its log, is in {path}.")
