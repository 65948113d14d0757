"""Songs as tables in and out of the book, and what is done with a file that is dropped on the window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from juxtatune.app.songs_in import table_of
from juxtatune.book.db import SUFFIX
from juxtatune.book.formats.songs_csv import read_table, write_table
from juxtatune.core.errors import UserError
from juxtatune.qt.shell import Shell
from juxtatune.qt.songs_dialog import SongsDialog

TABLES = (".csv", ".tsv")
MUSIC = (".musicxml", ".xml", ".mxl", ".txt", ".tab")
SOUND = (".wav", ".flac", ".ogg", ".mp3")
GIGS = (".json",)
KINDS = f"a book ({SUFFIX}), a gig (.json), songs (.csv), music (.musicxml, .mxl, .txt, .tab) or sound (.wav, .flac, .ogg)"


class SongFiles:
    def __init__(self, shell: Shell) -> None:
        self.shell = shell

    def ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.shell.widget, "Songs from a table", "", "Tables (*.csv *.tsv *.txt)")
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Shows what a table would change, and takes it as one edit where the player agrees."""
        session = self.shell.session
        try:
            dialog = SongsDialog(session.state, path, read_table(path), self.shell.widget)
            if not dialog.exec() or dialog.found is None:
                return
            session.edit("Songs from a table", dialog.found.state)
        except UserError as error:
            self.shell.say(f"{error.message()}. The book is as it was.")
            return
        found = dialog.found
        left = f", {len(found.refused)} lines left out" if found.refused else ""
        self.shell.say(f"{len(found.new)} songs are new, {len(found.changed)} changed{left}. Ctrl+Z takes it back.")

    def ask_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self.shell.widget, "Songs as a table", "songs.csv", "Tables (*.csv)")
        if name:
            self.write(Path(name))

    def write(self, path: Path) -> None:
        try:
            write_table(path, *table_of(self.shell.session.state))
        except UserError as error:
            self.shell.say(f"{error.message()}.")
            return
        self.shell.say(f"Every song is in {path}.")


class Dropped:
    """Sends a file that is dropped to what reads its kind."""

    def __init__(self, shell: Shell, gig: Callable[[Path], None], table: Callable[[Path], None],
                 music: Callable[[Path], None], sound: Callable[[Path], None]) -> None:  # fmt: skip
        self._shell = shell
        self._readers = ((GIGS, gig), (TABLES, table), (MUSIC, music), (SOUND, sound), ((SUFFIX,), shell.open_book))

    def take(self, paths: list[Path]) -> None:
        """Takes the files in order; what is no file of a known kind is told and left."""
        for path in paths:
            ending = path.suffix.lower()
            reader = next((r for endings, r in self._readers if ending in endings), None)
            if not path.is_file():
                self._shell.say(f"{path.name or 'That'} is no file that can be read.")
            elif reader is None:
                self._shell.say(f"{path.name} is of no kind that is read here. What can be dropped: {KINDS}.")
            else:
                reader(path)
