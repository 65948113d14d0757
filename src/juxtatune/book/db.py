"""The player's file: SQLite, written in whole transactions, with a schema version and migrations."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from datetime import datetime
from importlib import resources
from pathlib import Path
from typing import Any

from juxtatune.book.rows import COLUMNS, rows_of, state_of
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError

SUFFIX = ".juxtatune"
APPLICATION_ID = 0x4A555854


def migrations() -> list[str]:
    """The schema's SQL files in order; version n is reached by running the first n."""
    folder = resources.files("juxtatune.book") / "sql"
    return [
        f.read_text(encoding="utf-8")
        for f in sorted(folder.iterdir(), key=lambda f: f.name)
        if f.name.endswith(".sql")
    ]


class Book:
    """One open book. Used by one thread. Raises UserError when the file cannot be used or written."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._db = sqlite3.connect(path, isolation_level=None, timeout=2.0)
            self._db.execute("PRAGMA journal_mode=WAL")
            self._db.execute("PRAGMA synchronous=FULL")
            self._migrate()
        except (sqlite3.Error, OSError) as error:
            raise UserError(
                f"cannot be opened: {error}", str(path), "a Juxtatune book on a disk that can be written"
            ) from None

    def close(self) -> None:
        self._db.close()

    def _migrate(self) -> None:
        steps = migrations()
        version = self._db.execute("PRAGMA user_version").fetchone()[0]
        if version > len(steps):
            raise UserError(
                f"this book has version {version}; nothing in it was touched", str(self.path),
                f"books up to version {len(steps)}: use a newer Juxtatune",
            )  # fmt: skip
        if 0 < version < len(steps):
            self._backup(version)
        for number, sql in enumerate(steps[version:], version + 1):
            self._db.executescript(
                f"BEGIN; {sql}; PRAGMA user_version={number}; PRAGMA application_id={APPLICATION_ID}; COMMIT;"
            )

    def _backup(self, version: int) -> None:
        copy = self.path.with_suffix(f".before-version-{version + 1}{SUFFIX}")
        with closing(sqlite3.connect(copy)) as target:
            self._db.backup(target)

    def load(self) -> BookState:
        tables = {
            table: self._db.execute(f"SELECT {', '.join(columns)} FROM {table} ORDER BY position").fetchall()
            for table, columns in COLUMNS.items()
        }
        return state_of(tables)

    def save(self, old: BookState, new: BookState) -> None:
        """Writes what differs, as one transaction: all of it or nothing."""
        before, after = rows_of(old), rows_of(new)
        self._write(lambda: self._write_rows(before, after))

    def _write_rows(self, before: dict[str, Any], after: dict[str, Any]) -> None:
        for table, columns in COLUMNS.items():
            for gone in before[table].keys() - after[table].keys():
                self._db.execute(f"DELETE FROM {table} WHERE id = ?", (gone,))
            marks = ", ".join("?" * len(columns))
            for key, row in after[table].items():
                if before[table].get(key) != row:
                    self._db.execute(
                        f"INSERT OR REPLACE INTO {table} ({', '.join(columns)}) VALUES ({marks})", row
                    )

    def append_log(self, kind: str, data: dict[str, Any], at: datetime | None = None) -> None:
        """Adds a row to the log; rows are never changed."""
        stamp = (at or datetime.now().astimezone()).isoformat(timespec="seconds")
        text = json.dumps(data, ensure_ascii=False, allow_nan=False)
        self._write(
            lambda: self._db.execute("INSERT INTO log (at, kind, data) VALUES (?, ?, ?)", (stamp, kind, text))
        )

    def log(self) -> list[tuple[str, str, dict[str, Any]]]:
        """(time, kind, data) of every log row, oldest first."""
        rows = self._db.execute("SELECT at, kind, data FROM log ORDER BY number").fetchall()
        return [(at, kind, json.loads(data)) for at, kind, data in rows]

    def _write(self, work: Any) -> None:
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
