"""A book that is damaged, foreign, newer, open elsewhere, or gone: one message, a way on, and nothing lost."""

from __future__ import annotations

import os
import shutil
import sqlite3
import stat
import threading
import time
from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from benchmarks.attacks import books as attack

from juxtatune.app.session import Session
from juxtatune.book.backup import KEPT, back_up, backups, readable, restore, save_readable
from juxtatune.book.db import Book, DamagedBook, placed
from juxtatune.core.errors import UserError
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.planning.model.plan import Slot
from juxtatune.qt.damaged import mend


def sql(path, text: str) -> None:
    db = sqlite3.connect(path)
    db.execute(text)
    db.commit()
    db.close()


def test_a_hundred_faults_each_lead_to_a_message_and_a_way_on() -> None:
    tally = attack.attack(60, 7)
    assert all(word.split(",")[0] in ("opened whole", "opened", "damaged", "refused") for word in tally), tally
    assert tally["damaged, told"] > 20


@pytest.mark.parametrize("left", [0, 1, 60, 5000])
def test_a_cut_book_is_told_and_comes_back_from_its_backup(demo_book, left) -> None:
    session = Session(demo_book, keep_backup=True)
    session.edit("Tune", session.state.tuned("rook", parse_tuning("drop D")))
    assert session.flush(5.0)
    want = session.state
    back_up(session.book, datetime.now() + timedelta(seconds=5))
    session.close()
    demo_book.write_bytes(demo_book.read_bytes()[:left])
    for ending in ("-wal", "-shm"):
        demo_book.with_name(demo_book.name + ending).unlink(missing_ok=True)
    with pytest.raises(DamagedBook, match="demo"):
        Session(demo_book)
    restore(demo_book, backups(demo_book)[0], datetime.now())
    again = Session(demo_book)
    assert again.state == want
    again.close()
    aside = next(demo_book.parent.glob("demo.damaged-*"))
    assert aside.stat().st_size == left  # put aside, not thrown away


def test_what_can_be_read_is_kept_with_its_log(demo_book) -> None:
    session = Session(demo_book)
    session.log("pluck", {"string": 6})
    session.close()
    sql(demo_book, "UPDATE song SET ways = '{' WHERE position = 3")
    with pytest.raises(DamagedBook, match="copper-ballast"):
        Session(demo_book)
    told: list[int] = []
    save_readable(demo_book, datetime.now(), told.append)
    again = Session(demo_book)
    assert len(again.state.songs) == 17 and len(again.state.nights[0].slots) == 17 and told[0] >= 1
    assert [kind for _, kind, _ in again.book.log()] == ["pluck"]
    again.close()
    assert mend(demo_book, None, fresh=True)
    empty = Session(demo_book)
    assert empty.state.songs == ()
    empty.close()


def test_slots_of_deleted_songs_are_dropped_at_load_and_told(demo_book) -> None:
    sql(demo_book, "DELETE FROM song WHERE id = 'tidewire'")
    session = Session(demo_book)
    night = session.state.nights[0]
    assert session.repairs and all(s.song != "tidewire" for s in night.slots)
    assert sum(p.songs for p in night.rules.parts) == len(night.slots) == 17
    session.close()
    again = Session(demo_book)
    assert again.repairs == () and again.state.nights[0] == night
    again.close()


def test_the_second_window_on_a_book_only_reads(demo_book) -> None:
    first, second = Session(demo_book), None
    try:
        second = Session(demo_book)
        assert second.read_only and second.state == first.state
        with pytest.raises(UserError, match="open in another window"):
            second.edit("Tune", second.state.tuned("rook", parse_tuning("drop D")))
        first.edit("Tune", first.state.tuned("rook", parse_tuning("drop C")))
    finally:
        if second is not None:
            second.close()
        first.close()
    third = Session(demo_book)
    assert not third.read_only and str(third.state.instrument("rook").tuning) == str(parse_tuning("drop C"))
    third.close()


@pytest.mark.parametrize("replaced", [False, True])
def test_a_book_gone_while_open_is_noticed_and_can_be_copied(
    session, demo_book, tmp_path, replaced, monkeypatch
) -> None:
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 0.3)
    monkeypatch.setattr("juxtatune.book.writer.RETRY_S", 0.05)
    other = tmp_path / "other"
    shutil.copyfile(demo_book, other)
    demo_book.unlink()
    if replaced:
        os.replace(other, demo_book)
    tuned = session.state.tuned("rook", parse_tuning("drop D"))
    session.edit("Tune", tuned)
    assert session.trouble is not None and "deleted or replaced" in session.trouble and session.state == tuned
    session.copy_to(tmp_path / "kept.juxtatune")
    assert Book(tmp_path / "kept.juxtatune").load() == tuned


def test_foreign_and_newer_files_are_not_touched(tmp_path, demo_book) -> None:
    foreign = tmp_path / "theirs.juxtatune"
    sql(foreign, "CREATE TABLE recipes (id TEXT)")
    sql(demo_book, "PRAGMA user_version = 99")
    for path, word in ((foreign, "another program"), (demo_book, "version 99")):
        before = path.read_bytes()
        with pytest.raises(UserError, match=word):
            Session(path)
        assert path.read_bytes() == before and not path.with_name(path.name + "-wal").exists()


def test_seven_dated_backups_are_kept_and_all_is_private(tmp_path) -> None:
    path = tmp_path / "folder" / "mine.juxtatune"
    session = Session(path)
    for k in range(KEPT + 3):
        back_up(session.book, datetime(2026, 5, 1, 20, 0, k))
    assert [p.stem[-6:] for p in backups(path)] == [f"2000{k:02d}" for k in range(9, 2, -1)]
    assert stat.S_IMODE(path.stat().st_mode) == 0o600 and stat.S_IMODE(path.parent.stat().st_mode) == 0o700
    assert all(stat.S_IMODE(p.stat().st_mode) == 0o600 for p in backups(path))
    session.close()


def test_a_copy_is_whole_in_one_file(session, tmp_path) -> None:
    session.log("pluck", {"string": 6})
    session.edit("Tune", session.state.tuned("rook", parse_tuning("drop D")))
    session.copy_to(tmp_path / "copy.juxtatune")
    assert [p.name for p in tmp_path.glob("copy*")] == ["copy.juxtatune"]
    copy = Book(tmp_path / "copy.juxtatune")
    assert copy.load() == session.state and [kind for _, kind, _ in copy.log()] == ["pluck"]
    copy.close()


def test_a_slow_disk_holds_no_edit_up(session, demo_book, monkeypatch) -> None:
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 0.04)
    save, gate = session.book.save, threading.Event()
    monkeypatch.setattr(session.book, "save", lambda *states: (gate.wait(10), save(*states)))
    began = time.monotonic()
    for name in ("drop D", "drop C", "open D"):
        session.edit("Tune", session.state.tuned("rook", parse_tuning(name)))
    assert time.monotonic() - began < 1.0 and session.unsaved == 3
    gate.set()
    assert session.flush(10.0) and Book(demo_book).load() == session.state


def test_positions_rise_and_what_is_known_stays() -> None:
    assert placed(["a", "b", "c"], {"a": 0, "b": 5, "c": 9}) == {"a": 0, "b": 5, "c": 9}
    assert placed(["b", "c", "d"], {"a": 0, "b": 5, "c": 9}) == {"b": 5, "c": 9, "d": 10}
    assert list(placed(["c", "a"], {"a": 0, "c": 9}).values()) == [9, 10]


def test_an_order_of_songs_moved_in_the_book_is_read_back(session, demo_book) -> None:
    state = session.state
    songs = (state.songs[-1], *state.songs[1:-1], state.songs[0])
    session.edit("Sort", replace(state, songs=songs))
    rest = [s for s in state.nights[0].slots if s.song != "tidewire"]
    night = replace(state.nights[0], slots=(Slot("tidewire", 0, 0), *rest))
    session.edit("Order", session.state.with_night(night))
    assert Book(demo_book).load() == session.state
    assert readable(demo_book)[0].songs == songs
