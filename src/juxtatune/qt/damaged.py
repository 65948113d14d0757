"""A damaged book: one message and a choice. Nothing is deleted whatever is chosen."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PySide6.QtWidgets import QMessageBox

from juxtatune.book.backup import backups, put_aside, restore, save_readable
from juxtatune.core.errors import UserError


def ask_damaged(book: Path, error: UserError) -> bool:
    """Asks what to do and does it; False when the player would rather leave."""
    kept = backups(book)
    box = QMessageBox()
    box.setWindowTitle("Juxtatune")
    box.setIcon(QMessageBox.Icon.Warning)
    box.setText(f"{error.message()}.")
    box.setInformativeText("The damaged file is put aside whatever you choose, and stays beside the book.")
    restore_it = None
    if kept:
        restore_it = box.addButton(f"Restore the backup {kept[0].stem[-17:]}", QMessageBox.ButtonRole.AcceptRole)
    read = box.addButton("Open what can be read", QMessageBox.ButtonRole.ActionRole)
    fresh = box.addButton("Start a new book", QMessageBox.ButtonRole.DestructiveRole)
    leave = box.addButton("Quit", QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(restore_it or read)
    box.exec()
    chosen = box.clickedButton()
    if chosen is leave or chosen is None:
        return False
    return mend(book, kept[0] if chosen is restore_it and kept else None, chosen is fresh)


def mend(book: Path, backup: Path | None, fresh: bool) -> bool:
    """Restores a backup, starts anew, or keeps what can be read of the book."""
    now = datetime.now()
    try:
        if backup is not None:
            restore(book, backup, now)
        elif fresh:
            put_aside(book, now)
        else:
            save_readable(book, now, _tell_lost)
    except (UserError, OSError) as error:
        QMessageBox.critical(None, "Juxtatune", f"That did not work: {error}.")
        return False
    return True


def _tell_lost(lost: int) -> None:
    text = "Everything could be read." if not lost else f"{lost} things could not be read; the rest is here."
    QMessageBox.information(None, "Juxtatune", text)
