"""Reads the log of a book beside its one writer: newest first, by kind, guitar or song, with an index for each."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path
from typing import Any

from juxtatune.core.errors import UserError

MOST = 20_000
TURNS = "06"  # the hour at which a new night begins


@dataclass(frozen=True)
class LogRow:
    """One row: its number, ISO time, kind and data."""

    number: int
    at: str
    kind: str
    data: dict[str, Any]


@dataclass(frozen=True)
class Wanted:
    """Which rows: of these kinds (all where none are named), of a guitar, of a song, of a night (its ISO date)."""

    kinds: tuple[str, ...] = ()
    instrument: str = ""
    song: str = ""
    limit: int = 500
    night: str = ""


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


def nights(path: Path) -> list[str]:
    """The ISO dates on which songs were played, newest first; what is played after midnight belongs to the day before."""
    sql = "SELECT DISTINCT date(substr(at, 1, 19), ?) FROM log WHERE kind = 'song' ORDER BY 1 DESC"
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as db:
            return [row[0] for row in db.execute(sql, (f"-{TURNS} hours",)).fetchall() if row[0]]
    except sqlite3.Error as error:
        raise UserError(f"the log cannot be read: {error}", str(path)) from None


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
    if wanted.night:
        ends = (date.fromisoformat(wanted.night) + timedelta(days=1)).isoformat()
        parts.append("at >= ? AND at < ?")
        values += [f"{wanted.night}T{TURNS}", f"{ends}T{TURNS}"]
    return (f"WHERE {' AND '.join(parts)}" if parts else ""), values
