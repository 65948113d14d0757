"""Faults in a book's file: `python -m benchmarks.attacks.books [count] [seed]`. Every one is a message and a way on."""

from __future__ import annotations

import random
import shutil
import sqlite3
import sys
import tempfile
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from juxtatune.app.session import Session
from juxtatune.book.backup import backups, readable, restore
from juxtatune.book.db import DamagedBook
from juxtatune.book.demo import write_demo_book
from juxtatune.core.errors import UserError

Fault = Callable[[Path, random.Random], None]


def _flip(path: Path, rng: random.Random) -> None:
    data = bytearray(path.read_bytes())
    for _ in range(rng.choice([1, 1, 16, 400])):
        data[rng.randrange(len(data))] = rng.randrange(256)
    path.write_bytes(data)


def _page(path: Path, rng: random.Random) -> None:
    data = bytearray(path.read_bytes())
    at = 4096 * rng.randrange(len(data) // 4096)
    data[at : at + 4096] = bytes(rng.choice([0, 255]) for _ in range(4096))
    path.write_bytes(data)


def _cut(path: Path, rng: random.Random) -> None:
    data = path.read_bytes()
    path.write_bytes(data[: rng.choice([0, 1, 50, 100, 4096, rng.randrange(len(data))])])


def _sql(text: str) -> Fault:
    def fault(path: Path, _: random.Random) -> None:
        db = sqlite3.connect(path)
        db.execute(text)
        db.commit()
        db.close()

    return fault


FAULTS: tuple[Fault, ...] = (
    _flip, _flip, _page, _page, _cut,
    _sql("DROP TABLE song"), _sql("DROP TABLE night"), _sql("DROP TABLE kept_order"), _sql("DROP TABLE log"),
    _sql("UPDATE song SET ways = '{' WHERE position = 3"), _sql("UPDATE night SET rules = '[]'"),
    _sql("UPDATE instrument SET tuning = 'H9 H9' WHERE position = 0"), _sql("DELETE FROM instrument WHERE position = 0"),
    _sql("DELETE FROM song WHERE position = 2"), _sql("UPDATE song SET length_s = 'soon' WHERE position = 1"),
    _sql("UPDATE night SET slots = '[[\"gone\", 0, 0]]'"), _sql("UPDATE song SET title = x'ff00fe' WHERE position = 1"),
    _sql("PRAGMA user_version = 77"), _sql("PRAGMA application_id = 7"), _sql("ALTER TABLE song DROP COLUMN energy"),
)  # fmt: skip


def attack(count: int, seed: int) -> dict[str, int]:
    """How many faults were seen how; whatever is no message is printed."""
    rng = random.Random(seed)
    tally: dict[str, int] = {}
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        whole = write_demo_book(folder)
        session = Session(whole, keep_backup=True)
        session.flush(5.0)
        want = session.state
        session.close()
        for k in range(count):
            path = folder / f"{k}" / "book.juxtatune"
            path.parent.mkdir()
            shutil.copyfile(whole, path)
            FAULTS[k % len(FAULTS)](path, rng)
            before = path.read_bytes()
            try:
                opened = Session(path)
                word = "opened whole" if opened.state == want else "opened, repaired" if opened.repairs else "opened"
                opened.close()
            except DamagedBook as error:
                word = "damaged, told"
                assert len(error.message()) < 2000
                readable(path)
                restore(path, backups(whole)[0], datetime.now())
                again = Session(path)
                assert again.state == want
                again.close()
            except UserError as error:
                word = "refused, untouched" if path.read_bytes() == before else "REFUSED AND TOUCHED"
                assert len(error.message()) < 2000
            except BaseException as error:
                word = f"ERROR {error!r}"[:120]
            tally[word] = tally.get(word, 0) + 1
            if word.isupper() or word.startswith("ERROR"):
                print(f"case {k}, {FAULTS[k % len(FAULTS)]}: {word}", flush=True)
    return tally


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    print(attack(count, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
