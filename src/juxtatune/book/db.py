"""The player's file: SQLite, written in whole transactions, with a schema version and migrations."""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable
from contextlib import closing
from datetime import datetime
from importlib import resources
from pathlib import Path
from typing import Any

from juxtatune.book.repair import repaired
from juxtatune.book.rows import COLUMNS, entities, entity_of, row_of, state_of
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError

SUFFIX = ".juxtatune"
APPLICATION_ID = 0x4A555854
MAGIC = b"SQLite format 3\0"
HEADER = 100  # bytes of an SQLite header; the schema version stands at 60, the application's id at 68


class DamagedBook(UserError):
    """A book that was one once and cannot be read whole; nothing in it was changed."""


def migrations() -> list[str]:
    """The schema's SQL files in order; version n is reached by running the first n."""
    folder = resources.files("juxtatune.book") / "sql"
    return [
        f.read_text(encoding="utf-8")
        for f in sorted(folder.iterdir(), key=lambda f: f.name)
        if f.name.endswith(".sql")
    ]


class Book:
    """One open book. Calls must not overlap. Raises UserError when the file cannot be used or written."""

    def __init__(self, path: Path, read_only: bool = False) -> None:
        self.path, self.read_only = path, read_only
        self.repairs: tuple[str, ...] = ()
        self._positions: dict[str, dict[str, int]] = {table: {} for table in COLUMNS}
        _check_header(path)
        try:
            self._open()
        except sqlite3.DatabaseError as error:
            self._close_quietly()
            if isinstance(error, sqlite3.OperationalError) and not _is_damage(error):
                raise _unusable(path, error) from None
            raise DamagedBook(f"the book is damaged: {error}", str(path), "a whole book") from None
        except OSError as error:
            raise _unusable(path, error) from None
        except ValueError as error:  # what SQLite says of a damaged schema need not be text
            self._close_quietly()
            raise DamagedBook(f"the book is damaged: {error}", str(path), "a whole book") from None
        except UserError:
            self._close_quietly()
            raise
        self._identity = _identity(path)

    def _open(self) -> None:
        if self.read_only:
            self._db = sqlite3.connect(
                f"{self.path.absolute().as_uri()}?mode=ro", uri=True, timeout=2.0, check_same_thread=False
            )
        else:
            self.path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            os.close(os.open(self.path, os.O_CREAT | os.O_RDWR, 0o600))
            self._db = sqlite3.connect(self.path, isolation_level=None, timeout=2.0, check_same_thread=False)
        found = self._db.execute("PRAGMA quick_check(1)").fetchone()[0]
        if found != "ok":
            raise sqlite3.DatabaseError(found)
        self._refuse_newer(self._version())
        if not self.read_only:
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=FULL")
            self._migrate()
        there = {row[0] for row in self._db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        missing = [table for table in (*COLUMNS, "log") if table not in there]
        if missing and not self.read_only:
            raise sqlite3.DatabaseError(f"the table {missing[0]} is missing")

    def _close_quietly(self) -> None:
        if hasattr(self, "_db"):
            self._db.close()

    def close(self) -> None:
        self._db.close()

    def _version(self) -> int:
        return int(self._db.execute("PRAGMA user_version").fetchone()[0])

    def _refuse_newer(self, version: int) -> None:
        _refuse_newer(self.path, version)

    def _migrate(self) -> None:
        steps = migrations()
        version = self._version()
        if 0 < version < len(steps):
            self._backup(version)
        for number, sql in enumerate(steps[version:], version + 1):
            self._db.executescript(
                f"BEGIN; {sql}; PRAGMA user_version={number}; PRAGMA application_id={APPLICATION_ID}; COMMIT;"
            )

    def _backup(self, version: int) -> None:
        self.copy_to(self.path.with_suffix(f".before-version-{version + 1}{SUFFIX}"))

    def copy_to(self, target: Path) -> None:
        """A whole copy of the book with its log, in one file, written whole or not at all."""
        part = target.with_name(f".{target.name}.{os.getpid()}.part")
        try:
            os.close(os.open(part, os.O_CREAT | os.O_RDWR | os.O_TRUNC, 0o600))
            with closing(sqlite3.connect(part)) as copy:
                self._db.backup(copy)
                copy.execute("PRAGMA journal_mode=DELETE")
            with part.open("rb") as file:
                os.fsync(file.fileno())
            os.replace(part, target)
        except (sqlite3.Error, OSError) as error:
            part.unlink(missing_ok=True)
            raise UserError(f"the copy could not be written: {error}", str(target), "a folder with room") from None

    def load(self) -> BookState:
        """Everything but the log. What points nowhere is dropped and told in `repairs`. Raises DamagedBook."""
        found: dict[str, tuple[Any, ...]] = {}
        for table, columns in COLUMNS.items():
            try:
                rows = self._db.execute(
                    f"SELECT {', '.join(columns)} FROM {table} ORDER BY position"
                ).fetchall()
            except (sqlite3.Error, ValueError) as error:
                raise DamagedBook(f"the table of {table}s cannot be read: {error}", str(self.path)) from None
            found[table] = tuple(self._entity(table, row) for row in rows)
            self._positions[table] = {str(row[0]): int(row[1]) for row in rows}
        raw = state_of(found)
        state, self.repairs = repaired(raw)
        if self.repairs and not self.read_only:
            self.save(raw, state)
        return state

    def _entity(self, table: str, row: tuple[Any, ...]) -> Any:
        try:
            return entity_of(table, row)
        except Exception as error:  # whatever a damaged row leads to
            name = str(row[0])[:40]
            raise DamagedBook(
                f"the {table.replace('_', ' ')} {name!r} cannot be read: {str(error)[:120]}", str(self.path)
            ) from None

    def save(self, old: BookState, new: BookState) -> None:
        """Writes the entities that are not the same objects, as one transaction: all of it or nothing."""
        work = []
        positions = {}
        before, after = entities(old), entities(new)
        for table in COLUMNS:
            if before[table] is after[table]:
                continue
            known = self._positions[table]
            positions[table] = placed([e.id for e in after[table]], known)
            places = positions[table]
            gone = known.keys() - places.keys()
            same = {id(e) for e in before[table]}
            put = [
                row_of(table, places[e.id], e)
                for e in after[table]
                if id(e) not in same or known.get(e.id) != places[e.id]
            ]
            work.append((table, gone, put))
        self._write(lambda: self._write_rows(work))
        self._positions |= positions

    def _write_rows(self, work: list[tuple[str, Any, list[Any]]]) -> None:
        for table, gone, rows in work:
            columns = COLUMNS[table]
            marks = ", ".join("?" * len(columns))
            self._db.executemany(f"DELETE FROM {table} WHERE id = ?", [(g,) for g in gone])
            self._db.executemany(
                f"INSERT OR REPLACE INTO {table} ({', '.join(columns)}) VALUES ({marks})", rows
            )

    def append_log(self, kind: str, data: dict[str, Any], at: datetime | None = None) -> None:
        """Adds a row to the log; rows are never changed."""
        stamp = (at or datetime.now().astimezone()).isoformat(timespec="seconds")
        text = json.dumps(data, ensure_ascii=False, allow_nan=False)
        self._write(
            lambda: self._db.execute("INSERT INTO log (at, kind, data) VALUES (?, ?, ?)", (stamp, kind, text))
        )

    def fill_log(self, rows: list[tuple[str, str, str]]) -> None:
        """Adds rows as they were read from another book: time, kind, JSON."""
        self._write(lambda: self._db.executemany("INSERT INTO log (at, kind, data) VALUES (?, ?, ?)", rows))

    def last_log(self, kind: str) -> tuple[str, dict[str, Any]] | None:
        """(time, data) of the newest log row of a kind."""
        row = self._db.execute("SELECT at, data FROM log WHERE kind = ? ORDER BY number DESC LIMIT 1", (kind,)).fetchone()
        return (row[0], json.loads(row[1])) if row is not None else None

    def log(self) -> list[tuple[str, str, dict[str, Any]]]:
        """(time, kind, data) of every log row, oldest first."""
        rows = self._db.execute("SELECT at, kind, data FROM log ORDER BY number").fetchall()
        return [(at, kind, json.loads(data)) for at, kind, data in rows]

    def _write(self, work: Callable[[], Any]) -> None:
        if _identity(self.path) != self._identity:
            raise UserError(
                "the book was deleted or replaced while it was open; your changes are kept in this window",
                str(self.path), "File > Back up the book writes them to another file",
            )  # fmt: skip
        try:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                work()
                self._db.execute("COMMIT")
            except BaseException:
                self._db.execute("ROLLBACK")
                raise
        except sqlite3.Error as error:
            raise UserError(
                f"the last change could not be saved ({error}); what was saved before is safe", str(self.path),
                "free space on the disk, or close another program that holds the book",
            ) from None  # fmt: skip


def placed(ids: list[str], known: dict[str, int]) -> dict[str, int]:
    """Positions that rise along the ids, those already known kept as far as they do."""
    out: dict[str, int] = {}
    last = -1
    for name in ids:
        at = known.get(name, -1)
        last = at if at > last else last + 1
        out[name] = last
    return out


def _identity(path: Path) -> tuple[int, int] | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _check_header(path: Path) -> None:
    """Refuses what is no book before anything in it could change. Raises UserError, DamagedBook."""
    try:
        with path.open("rb") as file:
            head = file.read(HEADER)
    except FileNotFoundError:
        return
    except OSError as error:
        raise _unusable(path, error) from None
    if len(head) < len(MAGIC):
        raise DamagedBook(f"the book is damaged: {len(head)} bytes are left of it", str(path), "a whole book")
    if not head.startswith(MAGIC):
        raise DamagedBook("this is no book, or one whose first page is lost", str(path), "a Juxtatune book")
    if len(head) == HEADER and int.from_bytes(head[68:72], "big") not in (0, APPLICATION_ID):
        raise UserError("this file belongs to another program; nothing in it was touched", str(path),
                        "a Juxtatune book")  # fmt: skip
    if len(head) == HEADER:
        _refuse_foreign(path, head)
        _refuse_newer(path, int.from_bytes(head[60:64], "big"))


def _refuse_foreign(path: Path, head: bytes) -> None:
    """An SQLite file with no id of its own is a book only while it is empty: a new one."""
    if int.from_bytes(head[68:72], "big") == 0 and int.from_bytes(head[28:32], "big") > 1:
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as db:
            try:
                foreign = bool(db.execute("SELECT 1 FROM sqlite_master LIMIT 1").fetchone())
            except sqlite3.Error:
                return
            if foreign and db.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
                raise UserError("this file belongs to another program; nothing in it was touched", str(path),
                                "a Juxtatune book")  # fmt: skip


def _refuse_newer(path: Path, version: int) -> None:
    newest = len(migrations())
    if version > newest:
        raise UserError(
            f"this book has version {version}; nothing in it was touched", str(path),
            f"books up to version {newest}: use a newer Juxtatune",
        )  # fmt: skip


def _is_damage(error: sqlite3.Error) -> bool:
    """Whether an operational error tells of the file's contents, not of the disk or of another program."""
    text = str(error)
    return "no such table" in text or "malformed" in text or "already exists" in text


def _unusable(path: Path, error: Exception) -> UserError:
    return UserError(f"cannot be opened: {error}", str(path), "a Juxtatune book on a disk that can be written")
