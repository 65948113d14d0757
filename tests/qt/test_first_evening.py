"""A stranger's first evening, by keys alone, from an empty book to a tuned guitar and back the next day."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit

from juxtatune.app.preferences import Preferences
from juxtatune.core.retuning.procedure import Status
from juxtatune.qt.application import open_window
from juxtatune.qt.theme import font

KEY = Qt.Key
CONTROL = Qt.KeyboardModifier.ControlModifier
SONGS = (
    ("Slack Water", ""), ("Second Buoy", "half step down"), ("Tar and Oakum", "drop C"), ("Ebb Light", "open D"),
    ("Rope Ladder", "D2 A2 D3 G3 C4 E4"), ("Harbour Wall", ""),
)  # fmt: skip


class Hands:
    """Presses keys where the focus is, as hands do, and counts them."""

    def __init__(self, qtbot, window) -> None:
        self.qtbot, self.window, self.count = qtbot, window, 0

    def _focus(self):
        return QApplication.focusWidget() or self.window

    def press(self, key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        self.count += 1
        self.qtbot.keyClick(self._focus(), key, modifier)

    def type(self, text: str) -> None:
        self.count += len(text)
        self.qtbot.keyClicks(self._focus(), text)


@pytest.fixture
def empty(qtbot, tmp_path):
    window = open_window(tmp_path / "mine.juxtatune", Preferences(theme="dark"))
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.focusWidget() is not None, timeout=60000)
    yield window
    window.close()


def test_two_names_and_enter_after_each_make_two_guitars(qtbot, empty) -> None:
    hands = Hands(qtbot, empty)
    for letter in ("A", "B", "A"):
        hands.type(letter)
        hands.press(KEY.Key_Return)
    assert [i.name for i in empty.session.state.instruments] == ["A", "B", "A 2"]
    field = empty.views["Guitars"].name
    assert field.hasFocus() and field.text() == ""
    field.setText("Siskin")
    empty.views["Guitars"].home.setText("E9")
    hands.press(KEY.Key_Return)
    assert field.text() == "Siskin" and "E9" in empty.notice.text()  # nothing typed is lost


def test_a_whole_evening_by_keys_alone(qtbot, empty, tmp_path, monkeypatch, sound_goes_on) -> None:
    window, hands = empty, Hands(qtbot, empty)
    add_guitars_and_songs(window, hands)
    set_up_a_night_of_two_halves(window, hands)
    plan_take_and_print(qtbot, window, hands, tmp_path, monkeypatch)
    tune_the_first_song(qtbot, window, hands, sound_goes_on)
    hands.press(KEY.Key_PageDown)
    assert window.song == window.tonight.model.rows[1].song
    state = window.session.state
    hands.press(KEY.Key_Q, CONTROL)
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=60000)
    print(f"keys: {hands.count}")
    again = open_window(tmp_path / "mine.juxtatune", Preferences(theme="dark"))
    qtbot.addWidget(again)
    assert again.session.state == state and again.view_name() == "Night"
    again.close()


def add_guitars_and_songs(window, hands) -> None:
    for name in ("Siskin", "Wheatear"):
        hands.type(name)
        hands.press(KEY.Key_Return)
    hands.press(KEY.Key_1, CONTROL)
    assert window.view_name() == "Songs" and window.views["Songs"].name.hasFocus()
    for title, tuning in SONGS:
        hands.type(title)
        if tuning:
            hands.press(KEY.Key_Tab)
            hands.type(tuning)
        hands.press(KEY.Key_Return)
    assert [s.title for s in window.session.state.songs] == [title for title, _ in SONGS]
    assert window.session.state.nights == ()


def set_up_a_night_of_two_halves(window, hands) -> None:
    hands.press(KEY.Key_5, CONTROL)
    hands.press(KEY.Key_B)
    builder = window.views["Night"].builder
    assert builder.isVisible() and builder.search.hasFocus()
    for _ in SONGS:
        hands.press(KEY.Key_Return)
    for _ in range(3):
        hands.press(KEY.Key_Tab)
        if builder.order.hasFocus():
            break
    assert builder.order.hasFocus()
    for _ in range(3):
        hands.press(KEY.Key_Down)
    hands.press(KEY.Key_I)
    assert [p.songs for p in window.night.night().rules.parts] == [3, 3]
    hands.press(KEY.Key_Escape)
    assert not builder.isVisible() and window.views["Night"].canvas.hasFocus()


def plan_take_and_print(qtbot, window, hands, tmp_path, monkeypatch) -> None:
    qtbot.waitUntil(lambda: window.night.given is not None, timeout=60000)
    before = window.night.given.totals.dead_s
    hands.press(KEY.Key_R, CONTROL)
    assert "Planning, 0 s of 60" in window.line.doing.text()
    qtbot.waitUntil(lambda: "proven" in window.notice.text(), timeout=90000)
    assert "so far" not in window.notice.text()
    assert not window.line.doing.isVisible()
    hands.press(KEY.Key_T)
    qtbot.waitUntil(lambda: window.night.given.totals.dead_s < before, timeout=60000)
    target = tmp_path / "floor.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(target), ""))
    size = font(16).pixelSize()
    hands.press(KEY.Key_P, CONTROL)
    assert target.read_bytes().startswith(b"%PDF-")
    assert font(16).pixelSize() == size == QApplication.font().pixelSize()  # paper leaves the screen's letters alone


def tune_the_first_song(qtbot, window, hands, sound_goes_on) -> None:
    window.choose(window.tonight.model.rows[0].song)
    hands.press(KEY.Key_Return)
    assert window.view_name() == "Tune"
    run, guitar = window.tune.run, window.tune.guitar
    stray = np.array([run.target.pitch(s) - guitar.pitch(s) for s in run.target.strings])
    guitar.detune(100 * stray)  # as if every peg had been turned
    hands.press(KEY.Key_F10)
    for _ in range(4):
        hands.press(KEY.Key_F11)
        sound_goes_on(guitar, 0.5)
        hands.press(KEY.Key_S)
        qtbot.waitUntil(lambda: "strum" in window.notice.text() or run.saved, timeout=60000)
        try:
            qtbot.waitUntil(lambda: run.saved, timeout=8000)
            break
        except qtbot.TimeoutError:
            sound_goes_on(guitar, 0.5)
    assert all(s.status is Status.CHECKED for s in run.procedure.strings) and run.saved
    qtbot.waitUntil(lambda: "the book knows" in window.notice.text(), timeout=60000)
    assert window.note.text().endswith("next song")


def test_a4_is_typed_without_selecting_it_first(qtbot, empty) -> None:
    empty.tuning_dialog.show()
    field = empty.tuning_dialog.figures["a4"]
    qtbot.waitUntil(lambda: field.hasFocus() and field.lineEdit().selectedText() != "", timeout=60000)
    qtbot.keyClicks(field, "442")
    qtbot.keyClick(field, KEY.Key_Return)
    assert empty.preferences.tuning.a4 == 442.0 and empty.tuning_dialog.isVisible()
    assert isinstance(field.lineEdit(), QLineEdit) and field.lineEdit().selectedText() != ""
    empty.tuning_dialog.close()


def test_a_song_asks_for_a_guitar_first_and_keeps_what_was_typed(empty) -> None:
    empty.views["Songs"].name.setText("Slack Water")
    empty.views["Songs"].add_song()
    assert "Guitars (Ctrl+2)" in empty.notice.text() and empty.views["Songs"].name.text() == "Slack Water"
    assert empty.session.state.songs == ()
