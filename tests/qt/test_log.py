"""The log on screen: what happened, pictures with their tables, what it teaches, rows by hand, a night on a page."""

from __future__ import annotations

import csv
import json
import statistics
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QInputDialog

from juxtatune.app.log_pictures import PICTURES
from juxtatune.app.logbook import events
from juxtatune.book.db import Book
from juxtatune.book.demo import demo_state, write_demo_book
from juxtatune.book.demo_log import demo_log
from juxtatune.book.log_query import Wanted, rows
from juxtatune.core.logbook.learned import learn

KEY = Qt.Key


@pytest.fixture
def demo_book(tmp_path: Path) -> Path:
    return write_demo_book(tmp_path)


@pytest.fixture
def log(qtbot, window):
    window.show_view("Log")
    view = window.views["Log"]
    qtbot.waitUntil(lambda: view.presenter.shown is not None, timeout=60000)
    return view


def anew(qtbot, view, work) -> None:
    was = view.presenter.shown
    work()
    qtbot.waitUntil(lambda: view.presenter.shown is not was, timeout=60000)


def test_rows_are_found_by_guitar_and_song_and_written_as_a_table(qtbot, window, log, tmp_path: Path) -> None:
    assert {"Rook", "Dunlin"} <= {x.guitar for x in log.presenter.shown.lines}
    log.guitar.setCurrentIndex(log.guitar.findText("Dunlin"))
    anew(qtbot, log, log._want)
    assert {x.guitar for x in log.presenter.shown.lines} == {"Dunlin"}
    log.song.setCurrentIndex(log.song.findText("Signal Tax"))
    anew(qtbot, log, log._want)
    lines = log.presenter.shown.lines
    assert lines and {x.song for x in lines} == {"Signal Tax"} and any("retuned to standard, 30 ¢ up" in x.words for x in lines)
    log.song.setCurrentIndex(0)
    log.guitar.setCurrentIndex(0)
    log.night.setCurrentIndex(log.night.findText("2026-05-15"))
    anew(qtbot, log, log._want)
    assert {x.at[:10] for x in log.presenter.shown.lines} <= {"2026-05-15", "2026-05-16"}
    assert sum("played" in x.words for x in log.presenter.shown.lines) == 18
    lines = log.presenter.shown.lines
    table = list(csv.reader(log.presenter.csv().splitlines()))
    assert len(table) == len(lines) + 1 and table[1][1] == lines[0].guitar


def test_every_picture_answers_from_the_rows(qtbot, window, log) -> None:
    found = rows(window.session.book.path, Wanted(("retune",), limit=20000))
    for name in PICTURES:
        log.pictures.question.setCurrentText(name)
        anew(qtbot, log, log._want)
        picture = log.presenter.shown.picture
        assert picture.title == name and picture.answer in log.pictures.answer.text() and picture.table
        assert log.pictures.table.rowCount() == len(picture.table)
        assert all(len(x) == len(y) > 0 for _, x, y in picture.series)
    log.pictures.question.setCurrentText("Which retunes cost most")
    anew(qtbot, log, log._want)
    guitar, to, times, each, _ = log.presenter.shown.picture.table[0]
    same = [r.data["seconds"] for r in found if r.data["instrument"] == guitar.lower() and r.data["to"] == "D2 A2 D3 G3 B3 E4"]
    assert (to, int(times), each) == ("drop D", len(same), f"{statistics.median(same):.0f} s")


def test_what_the_log_teaches_is_taken_or_left(qtbot, window, log) -> None:
    learned = learn(events(rows(window.session.book.path, Wanted(("retune", "strum"), limit=20000)), window.session.state))
    rook = window.session.state.instrument("rook")
    log.tabs.setCurrentIndex(1)
    panel = log.teaches
    panel.guitar.setCurrentIndex(panel.guitar.findData("rook"))
    shown = {panel.table.item(r, 0).text(): panel.table.item(r, 2).text() for r in range(panel.table.rowCount())}
    typical = next(t for t in learned["rook"].typical if t.target == "drop D")
    assert shown["standard to drop D"] == f"{typical.seconds:.0f} s"
    assert "hardly separable" in panel.note.text()
    qtbot.mouseClick(panel.take, Qt.MouseButton.LeftButton)
    taken = window.session.state.instrument("rook").costs
    assert taken.string_s == pytest.approx(learned["rook"].costs["string_s"].value, abs=0.01) != rook.costs.string_s
    window.undo()
    assert window.session.state.instrument("rook") == rook


def test_rows_are_kept_by_hand_and_corrected_by_notes_alone(qtbot, window, log, monkeypatch) -> None:
    log.hand_text.setText("drop C")
    log.hand_seconds.setValue(48)
    anew(qtbot, log, lambda: qtbot.mouseClick(log.hand_add, Qt.MouseButton.LeftButton))
    newest = log.presenter.shown.lines[0]
    assert newest.guitar == "Rook" and newest.words.startswith("retuned to drop C, 48 s")
    log.table.selectRow(0)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("it was drop D", True))
    anew(qtbot, log, lambda: qtbot.keyClick(log, KEY.Key_N))
    mine = next(x for x in log.presenter.shown.lines if x.number == newest.number)
    assert mine.words.endswith("(noted: it was drop D)")
    log.hand_text.setText("no tuning at all")
    qtbot.mouseClick(log.hand_add, Qt.MouseButton.LeftButton)
    assert "no tuning at all" in window.notice.text()
    log.hand_kind.setCurrentText("has new strings")
    assert log.hand_text.isHidden() and log.hand_seconds.isHidden()
    anew(qtbot, log, lambda: qtbot.mouseClick(log.hand_add, Qt.MouseButton.LeftButton))
    assert log.presenter.shown.lines[0].words == "new strings"


def test_the_last_night_stands_on_a_page(window, log, tmp_path: Path) -> None:
    for name in ("night.html", "night.pdf"):
        log.write_page(tmp_path / name)
    html = (tmp_path / "night.html").read_text(encoding="utf-8")
    gaps = [r for r in rows(window.session.book.path, Wanted(("song",), limit=18)) if "gap_s" in r.data]
    assert f"{sum(r.data['dead_s'] for r in gaps):.0f} s of dead air" in html
    assert html.count("<tr><td>") == 18 and "What to change" in html
    assert (tmp_path / "night.pdf").read_bytes().startswith(b"%PDF")


def test_a_hundred_thousand_rows_stay_instant(demo_book: Path) -> None:
    """By counting what is looked at, no clock: each question goes by an index."""
    book = Book(demo_book)
    data = json.dumps({"instrument": "rook", "string": 3, "cents": 0.4})
    book.fill_log([("2026-01-01T20:00:00+00:00", "pluck", data)] * 20_000)
    fields = (f"json_extract(data, '$.{name}') = 'x'" for name in ("instrument", "song"))
    for wanted in ("kind IN ('retune')", *fields):
        plan = book._db.execute(f"EXPLAIN QUERY PLAN SELECT * FROM log WHERE {wanted} ORDER BY number DESC LIMIT 500").fetchall()
        assert any("USING INDEX log_" in str(step[-1]) for step in plan), plan
    book.close()
    assert len(rows(demo_book, Wanted(("retune",)))) > 100


def test_the_demo_is_the_same_at_every_start(demo_book: Path) -> None:
    book = Book(demo_book)
    kept = [(at, kind, data) for at, kind, data in book.log()]
    book.close()
    assert kept == [(at, kind, json.loads(data)) for at, kind, data in demo_log(demo_state())]
    assert len(kept) > 400 and {i.id for i in demo_state().instruments} >= {d.get("instrument") for _, _, d in kept} - {None}
