"""Dated copies of a book, one at each start, seven kept; restoring one; reading what is left of a damaged book."""

from __future__ import annotations

import os
import shutil
import sqlite3
import tempfile
from collections.abc import Callable
from contextlib import closing, suppress
from datetime import datetime
from pathlib import Path
from typing import Any

from juxtatune.book.db import Book
from juxtatune.book.repair import repaired
from juxtatune.book.rows import COLUMNS, entity_of, state_of
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError

KEPT = 7


def folder_of(book: Path) -> Path:
    return book.with_name(f"{book.stem}-backups")


def backups(book: Path) -> list[Path]:
    """The copies kept of a book, newest first."""
    return sorted(folder_of(book).glob(f"{book.stem}-*{book.suffix}"), reverse=True)


def back_up(book: Book, now: datetime) -> Path:
    """Makes today's copy and drops the oldest beyond seven. Raises UserError when there is no room."""
    folder = folder_of(book.path)
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
    except OSError as error:
        raise UserError(f"no backup could be made: {error.strerror or error}", str(folder)) from None
    target = folder / f"{book.path.stem}-{now:%Y-%m-%d-%H%M%S}{book.path.suffix}"
    book.copy_to(target)
    for old in backups(book.path)[KEPT:]:
        old.unlink(missing_ok=True)
    return target


def put_aside(book: Path, now: datetime) -> Path | None:
    """Moves a damaged book, with what SQLite keeps beside it, out of the way; nothing is deleted."""
    aside = book.with_name(f"{book.stem}.damaged-{now:%Y-%m-%d-%H%M%S}{book.suffix}")
    if not book.exists():
        return None
    for ending in ("-wal", "-shm"):
        beside = book.with_name(book.name + ending)
        if beside.exists():
            os.replace(beside, aside.with_name(aside.name + ending))
    os.replace(book, aside)
    return aside


def contents(backup: Path) -> BookState:
    """What a backup of any version holds, read from a copy so that it stays as it is. Raises UserError."""
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "copy.juxtatune"
        try:
            shutil.copyfile(backup, copy)
        except OSError as error:
            raise UserError(f"cannot be read: {error.strerror or error}", str(backup), "a backup of a book") from None
        try:
            book = Book(copy)
        except UserError as error:
            raise UserError(error.what, str(backup), error.allowed) from None
        try:
            return book.load()
        finally:
            book.close()


def restore(book: Path, backup: Path, now: datetime) -> None:
    """Puts a backup in a book's place; the book that stood there is put aside."""
    try:
        part = book.with_name(f".{book.name}.{os.getpid()}.part")
        shutil.copyfile(backup, part)
        part.chmod(0o600)
        put_aside(book, now)
        os.replace(part, book)
    except OSError as error:
        raise UserError(f"the backup could not be restored: {error.strerror or error}", str(backup)) from None


def readable(book: Path) -> tuple[BookState, int, list[tuple[str, str, str]]]:
    """What can still be read of a damaged book: its state, how many rows were lost, and the log."""
    found: dict[str, list[Any]] = {table: [] for table in COLUMNS}
    lost, log = 0, []
    with suppress(sqlite3.Error, ValueError), closing(sqlite3.connect(f"{book.absolute().as_uri()}?mode=ro", uri=True)) as db:
        for table, columns in COLUMNS.items():
            for row in _rows(db, f"SELECT {', '.join(columns)} FROM {table} ORDER BY position"):
                try:
                    found[table].append(entity_of(table, row))
                except Exception:  # whatever a damaged row leads to
                    lost += 1
        log = [r for r in _rows(db, "SELECT at, kind, data FROM log ORDER BY number") if _is_log(r)]
    state, told = repaired(state_of({table: tuple(rows) for table, rows in found.items()}))
    return state, lost + len(told), log


def _is_log(row: tuple[Any, ...]) -> bool:
    return all(isinstance(value, str) for value in row)


def _rows(db: sqlite3.Connection, query: str) -> list[tuple[Any, ...]]:
    """Rows as far as the pages hold."""
    out: list[tuple[Any, ...]] = []
    with suppress(sqlite3.Error, ValueError):
        for row in db.execute(query):
            out.append(row)
    return out


def save_readable(book: Path, now: datetime, tell: Callable[[int], None]) -> None:
    """Replaces a damaged book by what can be read of it; the damaged file is put aside."""
    state, lost, log = readable(book)
    put_aside(book, now)
    fresh = Book(book)
    try:
        fresh.save(fresh.load(), state)
        fresh.fill_log(log)
    finally:
        fresh.close()
    tell(lost)
