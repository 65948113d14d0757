"""Reads the log of a book beside its one writer: newest first, by kind, guitar or song, with an index for each."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from juxtatune.core.errors import UserError

MOST = 20_000


@dataclass(frozen=True)
class LogRow:
    """One row: its number, ISO time, kind and data."""

    number: int
    at: str
    kind: str
    data: dict[str, Any]


@dataclass(frozen=True)
class Wanted:
    """Which rows: of these kinds (all where none are named), of a guitar, of a song."""

    kinds: tuple[str, ...] = ()
    instrument: str = ""
    song: str = ""
    limit: int = 500


def rows(path: Path, wanted: Wanted) -> list[LogRow]:
    """The newest rows that are wanted, newest first. On any thread; raises UserError."""
    where, values = _where(wanted)
    sql = f"SELECT number, at, kind, data FROM log {where} ORDER BY number DESC LIMIT ?"
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as db:
            found = db.execute(sql, (*values, min(wanted.limit, MOST))).fetchall()
    except sqlite3.Error as error:
        raise UserError(f"the log cannot be read: {error}", str(path)) from None
    return [LogRow(number, at, kind, json.loads(data)) for number, at, kind, data in found]


def _where(wanted: Wanted) -> tuple[str, Sequence[str]]:
    parts: list[str] = []
    values: list[str] = []
    if wanted.kinds:
        parts.append(f"kind IN ({', '.join('?' * len(wanted.kinds))})")
        values += list(wanted.kinds)
    for name, value in (("instrument", wanted.instrument), ("song", wanted.song)):
        if value:
            parts.append(f"json_extract(data, '$.{name}') = ?")
            values.append(value)
    return (f"WHERE {' AND '.join(parts)}" if parts else ""), values
