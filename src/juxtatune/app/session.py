"""The one owner of the open book: every edit goes through it, is saved at once, and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from juxtatune.book.db import Book
from juxtatune.book.state import BookState

Watcher = Callable[[], None]
MOST_UNDO = 200


class Session:
    """Holds the state of the book; watchers are told after every change. Main thread only."""

    def __init__(self, path: Path) -> None:
        self.book = Book(path)
        self.state: BookState = self.book.load()
        self._done: list[tuple[str, BookState]] = []
        self._undone: list[tuple[str, BookState]] = []
        self._watchers: list[Watcher] = []

    def watch(self, watcher: Watcher) -> Callable[[], None]:
        """Calls `watcher` after each change; the returned function ends that."""
        self._watchers.append(watcher)
        return lambda: self._watchers.remove(watcher) if watcher in self._watchers else None

    def edit(self, label: str, new: BookState) -> None:
        """Makes an edit and saves it. Raises UserError, with nothing changed, when it cannot be saved."""
        if new == self.state:
            return
        self.book.save(self.state, new)
        self._done = [*self._done[-MOST_UNDO:], (label, self.state)]
        self._undone = []
        self._set(new)

    def log(self, kind: str, data: dict[str, Any]) -> None:
        self.book.append_log(kind, data)

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
        label, state = source[-1]
        self.book.save(self.state, state)
        source.pop()
        target.append((label, self.state))
        self._set(state)
        return label

    def _set(self, state: BookState) -> None:
        self.state = state
        for watcher in list(self._watchers):
            watcher()

    def close(self) -> None:
        self.book.close()
