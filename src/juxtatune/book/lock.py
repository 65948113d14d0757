"""One writer a book: a lock beside it that goes with the process, however that ends."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path


class BookLock:
    """Held while `held` is True. The lock file stays; what counts is the lock on it."""

    def __init__(self, book: Path) -> None:
        self.held = False
        try:
            book.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            self._file = os.open(book.with_name(f".{book.name}.lock"), os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o600)
        except OSError:
            self._file = -1  # a folder that cannot be written: the book says so itself
            return
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            self.held = True
        except OSError:
            self.release()

    def release(self) -> None:
        if self._file >= 0:
            os.close(self._file)
        self._file, self.held = -1, False
