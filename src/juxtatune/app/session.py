"""The one owner of the open book: every edit goes through it, is saved at once, and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from juxtatune.app.tuning_names import own_names
from juxtatune.book.backup import back_up
from juxtatune.book.db import Book
from juxtatune.book.lock import BookLock
from juxtatune.book.rows import entities
from juxtatune.book.state import BookState
from juxtatune.book.writer import Ticket, Writer
from juxtatune.core.errors import UserError

MOST_UNDO = 200
PATIENCE_S = 0.04  # for so long an edit waits for the disk; a slower one is written while the window goes on


@dataclass(frozen=True)
class Changes:
    """Ids of what an edit touched, table by table."""

    instruments: frozenset[str]
    songs: frozenset[str]
    nights: frozenset[str]
    kept: frozenset[str]
    tunings: frozenset[str]


Watcher = Callable[[], None]


class Session:
    """Holds the state of the book; watchers are told after every change. Main thread only.

    A book that another window has open is read only: `read_only` says so, and edits raise UserError.
    """

    def __init__(self, path: Path, keep_backup: bool = False) -> None:
        self._lock = BookLock(path)
        # where no lock can be had the folder cannot be written, or another window holds the book
        self.read_only = not self._lock.held and path.exists()
        try:
            self.book = Book(path, self.read_only)
            self.state: BookState = self.book.load()
        except BaseException:
            self._lock.release()
            raise
        self.repairs = self.book.repairs
        own_names.take(self.state.tunings)
        self.changes = Changes(*(frozenset[str]() for _ in range(5)))
        self._writer = Writer()
        if keep_backup and not self.read_only and self.state != BookState():
            self._writer.put(self._back_up)
        self._done: list[tuple[str, BookState]] = []
        self._undone: list[tuple[str, BookState]] = []
        self._watchers: list[Watcher] = []

    def _back_up(self) -> None:
        # a disk with no room for a backup must not hold up the saving of edits
        with suppress(UserError):
            back_up(self.book, datetime.now())

    def watch(self, watcher: Watcher) -> Callable[[], None]:
        """Calls `watcher` after each change, which `changes` tells; the returned function ends that."""
        self._watchers.append(watcher)
        return lambda: self._watchers.remove(watcher) if watcher in self._watchers else None

    # -- saving
    @property
    def unsaved(self) -> int:
        """How many edits and log rows are not on the disk yet."""
        return self._writer.unsaved

    @property
    def trouble(self) -> str | None:
        """Why saving fails at the moment; it is tried again until it works."""
        return self._writer.trouble

    def flush(self, seconds: float) -> bool:
        """Waits for the disk; False when something is still unsaved."""
        return self._writer.flush(seconds)

    def _save(self, old: BookState, new: BookState) -> None:
        ticket = self._writer.put(lambda: self.book.save(old, new))
        if self._writer.trouble is None:
            ticket.done.wait(PATIENCE_S)

    def _writable(self) -> None:
        if self.read_only:
            raise UserError(
                "this book is open in another window, so it can only be read here", str(self.book.path),
                "close the other window, then open the book again",
            )  # fmt: skip

    def edit(self, label: str, new: BookState) -> None:
        """Makes an edit, which is saved at once and kept until it is. Raises UserError for a book only to be read."""
        if new == self.state:
            return
        self._writable()
        self._done = [*self._done[-MOST_UNDO:], (label, self.state)]
        self._undone = []
        self._change(new)

    def log(self, kind: str, data: dict[str, Any]) -> Ticket | None:
        """Adds a row to the log, after the edits before it; the ticket tells when it is on the disk."""
        if self.read_only:
            return None
        now = datetime.now().astimezone()
        return self._writer.put(lambda: self.book.append_log(kind, data, now))

    def copy_to(self, path: Path) -> None:
        """Writes the book as it stands in this window to another file. Raises UserError."""
        if self.flush(2.0):
            self.book.copy_to(path)
            return
        if path.exists():
            raise UserError("there is a file already", str(path), "a new name")
        copy = Book(path)
        try:
            copy.save(copy.load(), self.state)
        finally:
            copy.close()

    # -- undo
    @property
    def can_undo(self) -> str | None:
        """The label of the edit that undo would take back."""
        return self._done[-1][0] if self._done else None

    @property
    def can_redo(self) -> str | None:
        return self._undone[-1][0] if self._undone else None

    def undo(self) -> str | None:
        return self._step(self._done, self._undone)

    def redo(self) -> str | None:
        return self._step(self._undone, self._done)

    def _step(self, source: list[tuple[str, BookState]], target: list[tuple[str, BookState]]) -> str | None:
        if not source:
            return None
        self._writable()
        label, state = source.pop()
        target.append((label, self.state))
        self._change(state)
        return label

    def _change(self, state: BookState) -> None:
        old, self.state = self.state, state
        self.changes = changes_between(old, state)
        if self.changes.tunings:
            own_names.take(state.tunings)
        self._save(old, state)
        for watcher in list(self._watchers):
            watcher()

    def close(self) -> None:
        """Waits a little for the disk, then lets the book go."""
        self.flush(3.0)
        self._writer.close()
        self.book.close()
        self._lock.release()


def changes_between(old: BookState, new: BookState) -> Changes:
    """Which entities are not the same objects."""
    before, after = entities(old), entities(new)
    found = []
    for table in before:
        was = {e.id: e for e in before[table]} if before[table] is not after[table] else {}
        now = {e.id: e for e in after[table]} if before[table] is not after[table] else {}
        found.append(frozenset(i for i in was.keys() | now.keys() if was.get(i) is not now.get(i)))
    return Changes(*found)
