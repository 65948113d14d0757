"""A song matched to its record, and what the player prefers while tuning: in the real window."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile as sf
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from juxtatune.app.preferences import Preferences
from juxtatune.book.db import Book
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import same_pitches
from juxtatune.core.sim.guitar import SimulatedGuitar, played


def record(path, cents: float, seconds: float = 8.0):
    """A riff on a guitar that lies so many cents off A4 = 440, in a file."""
    guitar = SimulatedGuitar(parse_tuning("drop D"), seed=5, reference=Reference(440.0, cents))
    picks = np.random.default_rng(2).integers(1, 7, int(2 * seconds))
    sf.write(path, 0.5 * played(guitar, [int(p) for p in picks], 0.5), 48000)
    return path


def choose(monkeypatch, path) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))


@pytest.fixture
def songs(window):
    window.show_view("Songs")
    window.views["Songs"].select("tidewire")
    return window.views["Songs"]


def heard(qtbot, view) -> str:
    qtbot.waitUntil(lambda: not view.record.listening, timeout=60000)
    return view.record.words.text()


def test_a_song_is_tuned_to_its_record_and_back(
    qtbot, window, songs, demo_book, tmp_path, monkeypatch
) -> None:
    choose(monkeypatch, record(tmp_path / "demo take.wav", 30.0))
    before = window.session.state
    qtbot.keyClick(songs.songs, Qt.Key.Key_M, Qt.KeyboardModifier.ControlModifier)
    assert songs.record.isVisible() and "Listening · demo take.wav" in songs.record.words.text()
    assert "A4 at 447." in heard(qtbot, songs) and "30 ¢ above yours" in songs.record.words.text()
    assert songs.record.take.text() == "Tune every way 30 ¢ up"
    qtbot.mouseClick(songs.record.take, Qt.MouseButton.LeftButton)
    assert songs.ways_model.data(songs.ways_model.index(0, 1)) == "drop D, 30 ¢ up"
    assert songs.ways_model.data(songs.ways_model.index(0, 2)) == "D2 A2 D3 G3 B3 E4 +30"
    saved = Book(demo_book).load().song("tidewire").ways[0].tuning
    assert np.allclose(np.subtract(saved.pitches, parse_tuning("drop D").pitches), 0.3)
    assert "every way is tuned to it" in songs.record.words.text() and not songs.record.take.isVisible()
    songs.select("iron-pilot")
    assert not songs.record.isVisible()
    songs.select("tidewire")
    assert songs.record.isVisible()
    window.undo()
    assert window.session.state == before and songs.record.take.isVisible()
    qtbot.keyClick(songs.songs, Qt.Key.Key_Escape)
    assert not songs.record.isVisible()


def test_a_record_is_measured_against_the_players_own_a4(qtbot, window, songs, tmp_path, monkeypatch) -> None:
    """442 Hz lies 7.85 ¢ above 440 (ISO 16 and 1200 log2 of the ratio)."""
    choose(monkeypatch, record(tmp_path / "take.wav", 7.85))
    window.tuning_dialog.figures["a4"].setValue(442)
    songs.match_record()
    assert "as yours" in heard(qtbot, songs) and "every way is tuned to it" in songs.record.words.text()
    window.tuning_dialog.figures["a4"].setValue(440)
    assert songs.record.take.text() == "Tune every way 8 ¢ up"


def test_what_is_no_record_changes_nothing(qtbot, window, songs, tmp_path, monkeypatch) -> None:
    before = window.session.state
    sf.write(tmp_path / "noise.wav", np.random.default_rng(1).normal(0, 0.1, 48000 * 3), 48000)
    (tmp_path / "words.mp3").write_text("no sound at all")
    for name, word in (
        ("noise.wav", "Nothing was changed"),
        ("words.mp3", "allowed"),
        ("gone.wav", "no such file"),
    ):
        choose(monkeypatch, tmp_path / name)
        songs.match_record()
        heard(qtbot, songs)
        assert name in window.notice.text() and word in window.notice.text()
        assert not songs.record.isVisible()
    whole = record(tmp_path / "long.wav", 0.0, 20.0)
    (tmp_path / "cut.wav").write_bytes(whole.read_bytes()[:900_000])
    choose(monkeypatch, tmp_path / "cut.wav")
    songs.match_record()
    assert "as yours" in heard(qtbot, songs) and "cut short" in window.notice.text()
    choose(monkeypatch, whole)
    songs.match_record()
    songs.select("iron-pilot")
    songs.match_record()
    assert "Tidewire is being heard" in window.notice.text()
    songs.select("tidewire")
    qtbot.mouseClick(songs.record.leave, Qt.MouseButton.LeftButton)
    assert not songs.record.listening and not songs.record.isVisible()
    assert "Stopped" in window.notice.text() and window.session.state == before


def test_another_a4_is_heard_at_once_and_the_guitar_stays_as_it_is(qtbot, window) -> None:
    window.open_song("lowwater-mark")
    tune, guitar = window.tune, window.tune.guitar
    cents = 100 * (guitar.pitch(5) - 45)
    window.tuning_dialog.figures["a4"].setValue(442)
    assert window.status.text().startswith("A4 442 ·") and tune.guitar is guitar
    tune.select(5)
    tune.pluck()

    def read() -> float | None:
        return tune.run.procedure.state(5).cents

    qtbot.waitUntil(lambda: read() is not None and abs(read() - (cents - 7.85)) < 0.5, timeout=60000)
    window.tuning_dialog.start_values()
    assert window.status.text().startswith("A4 440 ·")


def test_the_rules_of_landing_are_the_players(window) -> None:
    window.open_song("lowwater-mark")
    dialog = window.tuning_dialog
    dialog.figures["tolerance"].setValue(4.5)
    dialog.figures["turn_around"].setValue(60)
    dialog.moment.setCurrentIndex(1)
    run = window.tune.run
    assert run.procedure.rules.tolerance == 4.5 and run.attack
    assert window.preferences.tuning.rules.turn_around == 60
    dialog.figures["tolerance"].setValue(99)
    assert window.tune.run.procedure.rules.tolerance == 10.0
    dialog.start_values()
    assert window.preferences.tuning == Preferences().tuning
    assert not window.tune.run.attack and same_pitches(window.tune.run.target, parse_tuning("drop D"))
