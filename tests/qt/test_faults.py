"""What a player sees when something goes wrong: a line, a log, a choice; and the window goes on."""

from __future__ import annotations

import threading
import time

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QPushButton

from juxtatune.app.preferences import Preferences, load_preferences
from juxtatune.app.sheet_texts import FLOOR
from juxtatune.book.db import Book
from juxtatune.core.music.reading import parse_tuning
from juxtatune.qt.application import Application, open_window
from juxtatune.qt.faults import Faults, faults


def test_an_unforeseen_error_is_a_line_and_a_log_told_at_the_next_start(qtbot, window, tmp_path, monkeypatch, capsys) -> None:
    monkeypatch.setattr(faults, "log", tmp_path / "state" / "errors.log")
    assert not faults.since_last_time()
    worker = threading.Thread(target=lambda: faults.report("listening", ValueError("odd")))
    worker.start()
    worker.join()
    qtbot.waitUntil(lambda: "unforeseen went wrong in listening" in window.notice.text(), timeout=60000)
    assert "ValueError: odd" in faults.log.read_text() and "ValueError: odd" in capsys.readouterr().err
    again = Faults()
    again.log = faults.log
    assert again.since_last_time() and not again.since_last_time()


def test_a_pricing_loop_that_fails_is_told_and_goes_on(qtbot, window, monkeypatch, tmp_path) -> None:
    monkeypatch.setattr(faults, "log", tmp_path / "errors.log")
    from juxtatune.app import night as orders

    real = orders.as_given
    monkeypatch.setattr(orders, "as_given", lambda *a: 1 / 0)
    window.night.edits.move("gantry-lights", 1)
    qtbot.waitUntil(lambda: "unforeseen" in window.notice.text(), timeout=60000)
    monkeypatch.setattr(orders, "as_given", real)
    window.night.edits.move("gantry-lights", 5)
    want = [s.song for s in window.night.night().slots]
    qtbot.waitUntil(lambda: [s.song for s in window.night.given.order] == want, timeout=60000)


def test_a_night_whose_half_is_emptied_is_priced_and_planned(qtbot, window) -> None:
    for slot in [s for s in window.night.night().slots if s.part == 0]:
        window.views["Songs"].presenter.remove_song(slot.song)
    night = window.night.night()
    assert [p.songs for p in night.rules.parts] == [0, 9]
    qtbot.waitUntil(lambda: window.night.given is not None and len(window.night.given.order) == 9, timeout=60000)
    window.night.plan(2.0)
    qtbot.waitUntil(lambda: not window.night.planning and window.night.planned is not None, timeout=60000)
    assert window.night.planned.plan is not None


def test_taking_an_order_on_a_locked_book_neither_waits_nor_raises(qtbot, window, demo_book, monkeypatch) -> None:
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 0.04)
    monkeypatch.setattr("juxtatune.book.writer.RETRY_S", 0.1)
    window.night.plan(2.0)
    qtbot.waitUntil(lambda: not window.night.planning and window.night.planned is not None, timeout=60000)
    other = Book(demo_book)
    other._db.execute("BEGIN IMMEDIATE")
    began = time.monotonic()
    qtbot.keyClick(window.views["Night"].canvas, Qt.Key.Key_T)
    assert time.monotonic() - began < 0.5
    qtbot.waitUntil(window.line.unsaved.isVisible, timeout=60000)
    assert "not saved yet, and kept" in window.line.unsaved.text()
    other._db.execute("ROLLBACK")
    other.close()
    qtbot.waitUntil(lambda: not window.line.unsaved.isVisible(), timeout=60000)
    assert Book(demo_book).load() == window.session.state


def test_the_book_is_said_to_know_only_once_it_does(qtbot, window, monkeypatch) -> None:
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 0.0)
    window.open_song("tidewire")
    run, gate = window.tune.run, threading.Event()
    save = window.session.book.save
    monkeypatch.setattr(window.session.book, "save", lambda *states: (gate.wait(10), save(*states)))
    from dataclasses import replace

    from juxtatune.core.retuning.procedure import Status

    done = tuple(replace(s, status=Status.CHECKED) for s in run.procedure.strings)
    run.procedure = replace(run.procedure, strings=done, checking=True)
    run._finish()
    qtbot.wait(200)
    assert run.finished and not run.saved and "the book knows" not in window.notice.text()
    gate.set()
    qtbot.waitUntil(lambda: "the book knows" in window.notice.text(), timeout=60000)


def test_what_could_not_be_saved_is_told_at_closing(qtbot, window, monkeypatch) -> None:
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 0.1)
    monkeypatch.setattr("juxtatune.book.writer.RETRY_S", 0.05)
    window.session.book._db.execute("PRAGMA query_only = ON")
    window.session.edit("Tune", window.session.state.tuned("rook", parse_tuning("open D")))
    asked: list[str] = []
    wanted = ["Stay"]

    def answer(box: QMessageBox) -> int:
        asked.append(box.text())
        button = next(b for b in box.findChildren(QPushButton) if b.text().replace("&", "") == wanted[0])
        button.click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    assert not window.close() and "1 changes could not be saved" in asked[0]
    window.session.book._db.execute("PRAGMA query_only = OFF")
    assert window.session.flush(5.0)


def test_a_second_window_reads_only_and_says_so(qtbot, window, demo_book) -> None:
    second = open_window(demo_book, Preferences(theme="dark"))
    qtbot.addWidget(second)
    second.show()
    assert "another window" in second.notice.text() and "read only" in second.status.text()
    second.night.edits.move("tidewire", 3)
    assert "open in another window" in second.notice.text()
    second.close()


def test_a_damaged_book_is_one_message_and_a_choice(qtbot, demo_book, monkeypatch) -> None:
    demo_book.write_bytes(b"x")
    seen: list[str] = []

    def answer(box: QMessageBox) -> int:
        seen.extend([box.text(), *(b.text() for b in box.findChildren(QPushButton))])
        next(b for b in box.findChildren(QPushButton) if b.text() == "Start a new book").click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    held = Application(Preferences(theme="dark"), keep_backup=False)
    assert held.open(demo_book)
    assert "damaged" in seen[0] and "Open what can be read" in seen
    assert held.window.session.state.songs == ()
    held.window.close()
    assert next(demo_book.parent.glob("demo.damaged-*")).read_bytes() == b"x"


def test_another_book_opens_in_the_windows_place(qtbot, demo_book, tmp_path) -> None:
    held = Application(Preferences(theme="dark"), keep_backup=False)
    assert held.open(demo_book)
    first = held.window
    first.open_book(tmp_path / "new.juxtatune")
    assert held.window is not first and not first.isVisible()
    assert held.window.session.book.path == tmp_path / "new.juxtatune"
    held.window.close()


def test_a_full_disk_under_a_pdf_leaves_the_good_file(qtbot, window, tmp_path, monkeypatch) -> None:
    target = tmp_path / "floor.pdf"
    window.night_menu.write_sheet(target, FLOOR)
    good = target.read_bytes()
    from juxtatune.qt import paper

    def cut(device, *rest) -> None:
        paper_path = next(tmp_path.glob(".floor.pdf*"))
        paper_path.write_bytes(good[: len(good) // 2])

    monkeypatch.setattr(paper, "paint_on", cut)
    monkeypatch.setattr(paper, "QPdfWriter", lambda path: type("W", (), {"setTitle": lambda *_: None})())
    monkeypatch.setattr(paper, "set_page", lambda _: None)
    window.night_menu.write_sheet(target, FLOOR)
    assert "the disk is full" in window.notice.text() and target.read_bytes() == good
    assert [p.name for p in tmp_path.glob(".*part")] == []


def test_preferences_nested_deep_are_left_alone(tmp_path) -> None:
    path = tmp_path / "preferences.json"
    path.write_text("[" * 100_000)
    assert load_preferences(path) == Preferences(path=path)


def test_edits_of_a_slot_that_is_gone_are_refused_in_words(window) -> None:
    window.night.edits.toggle_pin("no-such-song")
    assert "no song 'no-such-song' in the book" in window.notice.text()


def test_compiling_at_a_first_start_is_shown_and_can_be_left(qtbot, monkeypatch) -> None:
    import subprocess
    import sys

    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    from juxtatune.qt import preparing

    app = QApplication.instance()
    monkeypatch.setattr(preparing, "compiled", lambda: False)
    monkeypatch.setattr(preparing, "USUAL_S", 1.0)
    real = subprocess.Popen
    for seconds, leaves in ((0.6, False), (30, True)):
        monkeypatch.setattr(
            preparing.subprocess, "Popen", lambda *_, s=seconds, **__: real([sys.executable, "-c", f"import time; time.sleep({s})"])
        )
        seen: list[int] = []

        def look(leaves=leaves, seen=seen) -> None:
            window = next(w for w in app.topLevelWidgets() if isinstance(w, preparing.Preparing) and w.isVisible())
            seen.append(window.bar.value())
            if leaves:
                window.close()

        QTimer.singleShot(450, look)
        assert preparing.prepare(app) is not leaves
        assert seen[0] > 0


def test_the_demos_folder_goes_when_the_program_is_ended(tmp_path) -> None:
    import os
    import signal
    import subprocess
    import sys

    env = os.environ | {"QT_QPA_PLATFORM": "offscreen", "TMPDIR": str(tmp_path), "XDG_STATE_HOME": str(tmp_path / "state")}
    program = "from juxtatune.cli.main import run; run()"
    child = subprocess.Popen([sys.executable, "-c", program, "--demo"], env=env, stderr=subprocess.DEVNULL)
    for _ in range(300):
        if list(tmp_path.glob("juxtatune-demo-*/demo.juxtatune")):
            break
        time.sleep(0.1)
    time.sleep(2.0)  # until it waits for its player
    child.send_signal(signal.SIGTERM)
    assert child.wait(120) == 0 and list(tmp_path.glob("juxtatune-demo-*")) == []
