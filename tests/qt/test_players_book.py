"""The player's book on screen: tunings, several songs at once, tables of songs, sheets, backups, files that are dropped."""

from __future__ import annotations

import csv
import io
import shutil
from dataclasses import replace
from html.parser import HTMLParser

import numpy as np
import pytest
from PySide6.QtCore import QItemSelectionModel, QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QDialog, QMessageBox

from juxtatune.app.preferences import Preferences, TuningPreferences, load_preferences
from juxtatune.app.sheet_texts import FLOOR, TECHNICIAN
from juxtatune.book.db import Book
from juxtatune.book.demo import demo_state
from juxtatune.book.state import gig_of
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import same_pitches
from juxtatune.core.retuning import procedure
from juxtatune.core.retuning.costs import retune_seconds
from juxtatune.devices import sound_out
from juxtatune.qt.application import Application
from juxtatune.qt.songs_dialog import SongsDialog
from juxtatune.qt.views.songs.many_dialog import DuplicatesDialog, ManyDialog

KEY = Qt.Key


def typed(qtbot, field, text) -> None:
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, KEY.Key_Return)


@pytest.fixture
def songs(window):
    window.show_view("Songs")
    return window.views["Songs"]


# -- tunings
def test_tunings_show_tonights_first_and_how_far_they_lie_from_each_other(qtbot, window) -> None:
    window.show_view("Tunings")
    view = window.views["Tunings"]
    rows = view.presenter.rows("")
    night = {s.song for s in window.night.night().slots}
    assert rows[0].group == "tonight" and rows[-1].group == "catalogue" and len(night) == 18
    values, rook = view.presenter.distances(), window.session.state.instrument("rook")
    a, b = values.names.index("standard"), values.names.index("drop C")
    assert values.seconds[a][b] == retune_seconds(rook.costs, 6, [-4, -2, -2, -2, -2, -2])
    assert all(values.seconds[k][k] == 0 for k in range(len(values.names)))
    view.distances.setFocus()
    qtbot.keyClick(view.distances, KEY.Key_Down)
    qtbot.keyClick(view.distances, KEY.Key_Right)
    assert f"{values.names[0]} to {values.names[1]}" in window.notice.text() and window.notice.text().endswith(" s.")
    qtbot.keyClicks(view.search, "open e")
    assert view.chosen().name == "open E" and "the shape of open D, 2 half steps up" in view.words.text()
    names = [view.relatives.itemText(k) for k in range(view.relatives.count())]
    assert len(names) == 5 and names[1] == "open D" and names[3:] == ["open E", "open F"]
    view.relatives.setCurrentIndex(4)
    view.relatives.activated.emit(4)
    assert view.title.text() == "open F" and "from home: 6 strings move" in view.words.text()
    view.table.setFocus()
    qtbot.keyClick(view.table, KEY.Key_T)
    assert window.view_name() == "Tune" and window.tune.job.instrument == "rook"


def test_a_tuning_of_the_players_own_is_read_and_shown_everywhere(qtbot, window, demo_book) -> None:
    window.show_view("Tunings")
    view = window.views["Tunings"]
    typed(qtbot, view.name, "Harbour Low")
    assert "its notes" in window.notice.text() and view.name.text() == "Harbour Low"
    typed(qtbot, view.notes, "C2 G2 D3 G3 B3 E4")
    assert view.chosen().name == "Harbour Low" and view.chosen().own is not None and view.name.text() == ""
    typed(qtbot, view.name, "drop C")
    typed(qtbot, view.notes, "CGDGBE")
    assert "means" in window.notice.text() and view.notes.text() == "CGDGBE"
    songs = window.views["Songs"]
    window.show_view("Songs")
    songs.select("iron-pilot")
    assert songs.ways_model.setData(songs.ways_model.index(0, 1), "harbour low")
    assert songs.ways_model.data(songs.ways_model.index(0, 1)) == "Harbour Low"
    assert str(Book(demo_book).load().song("iron-pilot").ways[0].tuning) == "C2 G2 D3 G3 B3 E4"
    window.show_view("Tunings")
    view._select(parse_tuning("C2 G2 D3 G3 B3 E4"))
    view.table.setFocus()
    qtbot.keyClick(view.table, KEY.Key_Delete)
    assert window.session.state.tunings == () and "Ctrl+Z brings it back" in window.notice.text()
    window.session.undo()
    assert window.session.state.tunings[0].name == "Harbour Low"


# -- names
def test_strings_keys_and_chords_are_called_as_the_player_calls_them(qtbot, window, tmp_path) -> None:
    window.open_song("nine-fathom-static")
    dialog, run = window.tuning_dialog, window.tune.run
    columns = lambda: [c.head for c in window.tune.columns()]  # noqa: E731
    assert columns()[0] == "6   D♭2" and "6th: 3 half steps down" in run.summary()
    dialog.strings.setCurrentIndex(1)
    assert window.tune.run is run  # a name is no reason to begin anew
    assert columns()[0] == "low E   6 · D♭2" and "low E string: 3 half steps down" in run.summary()
    dialog.strings.setCurrentIndex(2)
    assert "low D♭ string: 3 half steps down, A♭ string to E♭ string" in run.summary()
    window.views["Songs"].presenter.set_detail("iron-pilot", "key", "Am")
    window.choose("iron-pilot")
    keys = window.views["Songs"].page.sounds
    assert keys.text().startswith("sounds Gm, written Am")
    dialog.first.setCurrentIndex(1)
    assert keys.text().startswith("written Am, sounds Gm")
    fretboard = window.views["Fretboard"]
    window.show_view("Fretboard")
    typed(qtbot, fretboard.tuning, "drop C")
    typed(qtbot, fretboard.shape, "x 5 7 7 6 5")
    assert fretboard.chord.text() == "Dm" and "sounds Cm, 2 half steps down" in fretboard.rest.text()
    kept = Preferences(path=tmp_path / "p.json", tuning=dialog.preferences)
    kept.save()
    assert load_preferences(tmp_path / "p.json").tuning.calling == dialog.preferences.calling != TuningPreferences().calling


# -- several songs
def test_songs_are_filtered_by_guitar_tuning_and_strings(qtbot, window, songs) -> None:
    bar, state = songs.filters, window.session.state
    bar.guitar.setCurrentText("Dunlin")
    bar.guitar.activated.emit(1)
    shown = {songs.songs_model.row(k).id for k in range(songs.songs_model.rowCount())}
    assert shown == {s.id for s in state.songs if any(w.instrument == "dunlin" for w in s.ways)}
    bar.clear()
    bar.tuning.setCurrentText("open G")
    bar.tuning.activated.emit(1)
    assert {songs.songs_model.row(k).id for k in range(songs.songs_model.rowCount())} == {"hempwalk-nine", "the-long-fetch"}
    bar.clear()
    qtbot.keyClicks(bar.strings, "6-4")
    assert songs.songs_model.row(0).id == "tidewire" and songs.count.text().endswith("of 18 songs")
    window.choose("a-lamp-for-skarnhythe")  # a song that is hidden comes into sight
    assert not bar.active and songs.ways_title.text() == "A Lamp for Skarnhythe"


def test_several_songs_are_edited_at_once_or_not_at_all(qtbot, window, songs, monkeypatch) -> None:
    songs.songs.setFocus()
    songs.songs.selectRow(0)
    for _ in range(2):
        qtbot.keyClick(songs.songs, KEY.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    chosen = songs.chosen()
    assert len(chosen) == 3
    tries = []

    def fill(dialog: ManyDialog) -> int:
        tries.append(dialog.problem.text())
        dialog.fields["energy"].setText("12" if len(tries) == 1 else "2")
        dialog.fields["shakes"].setText("yes")
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(ManyDialog, "exec", fill)
    before = window.session.state
    songs.edit_chosen()
    assert len(tries) == 2 and "Energy" in tries[1] and "0 to 10" in tries[1]
    assert all(window.session.state.song(s).energy == 2 and window.session.state.song(s).details.shakes for s in chosen)
    assert "A check follows it in the plan: 7.2 s" in songs.way_words.text()
    window.session.undo()
    assert window.session.state == before
    for song in chosen:
        songs.songs.selectionModel().select(
            songs.songs_model.index([s.id for s in before.songs].index(song), 0),
            QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows,
        )
    songs.remove_song()
    assert len(window.session.state.songs) == 15


def test_songs_that_stand_twice_are_found_and_merged(qtbot, window, songs, monkeypatch) -> None:
    state = window.session.state
    twin = replace(state.song("groyne"), id="groin", title="The  Groynes", ways=(state.song("tidewire").ways[0],))
    window.session.edit("Add", state.with_song(twin))
    seen = []

    def tick(dialog: DuplicatesDialog) -> int:
        seen.extend(dialog._found)
        dialog.list.item(0).setCheckState(Qt.CheckState.Checked)
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(DuplicatesDialog, "exec", tick)
    songs.find_duplicates()
    assert [(d.kept.id, d.other.id) for d in seen] == [("groyne", "groin")]
    merged = window.session.state
    assert len(merged.songs) == 18 and twin.ways[0] in merged.song("groyne").ways


def test_a_check_after_arm_work_takes_its_seconds_of_the_talk_or_counts() -> None:
    state = demo_state()
    night = state.nights[0]
    plain, checked = gig_of(state, night, checks=False), gig_of(state, night)
    for song in plain.songs:
        after, before = checked.song(song.id), plain.song(song.id)
        took = plain.night.cover(song.id) - checked.night.cover(song.id)
        for way, was in zip(after.ways, before.ways, strict=True):
            guitar = state.instrument(way.instrument)
            seconds = guitar.costs.check_s * guitar.strings if song.details.shakes else 0.0
            assert took + way.compromise_s - was.compromise_s == pytest.approx(seconds)


def test_a_way_that_moves_the_song_never_costs_nothing_in_silence(qtbot, window, songs) -> None:
    songs.select("copper-ballast")
    assert songs.ways_model.setData(songs.ways_model.index(1, 5), "0")
    assert songs.ways_model.setData(songs.ways_model.index(1, 1), "half step down")
    way = window.session.state.song("copper-ballast").ways[1]
    assert way.compromise_s == 6 and "a half step down from the song's own pitch" in window.notice.text()
    assert songs.ways_model.setData(songs.ways_model.index(1, 5), "0")
    assert "takes that for 0 s" in window.notice.text() and "at no cost" in songs.way_words.text()


# -- music
def test_a_passage_is_typed_stepped_through_heard_and_kept(qtbot, window, songs, monkeypatch) -> None:
    window.choose("tidewire")
    songs.select("tidewire")
    typed(qtbot, songs.page.texts["passage"], "6:0 9:1")
    assert "strings 1 to 6" in window.notice.text() and songs.page.texts["passage"].text() == "6:0 9:1"
    typed(qtbot, songs.page.texts["sections"], "Verse 6; Chorus all")
    assert window.session.state.song("tidewire").details.sections[1].strings_used == (6, 5, 4, 3, 2, 1)
    window.show_view("Fretboard")
    view = window.views["Fretboard"]
    assert view.passage.text().startswith("6:0 6:0 6:3") and "strings 6 5 4" in view.about.text()
    typed(qtbot, view.passage, "6:0 5:2+4:2")
    view.neck.setFocus()
    qtbot.keyClick(view.neck, KEY.Key_N)
    qtbot.keyClick(view.neck, KEY.Key_N)
    assert view.shape.text() == "x 2 2 x x x" and view.chord.text() == "E5/B"
    heard = []
    monkeypatch.setattr(sound_out, "play", lambda samples, rate: heard.append((samples, rate)))
    qtbot.keyClick(view.neck, KEY.Key_P)
    qtbot.waitUntil(lambda: bool(heard), timeout=60000)
    samples, rate = heard[0]
    spectrum = np.abs(np.fft.rfft(samples[: round(0.25 * rate)] * np.hanning(round(0.25 * rate))))
    first = np.argmax(spectrum[10:30]) + 10  # 4 Hz a bin: the open 6th in drop D is D2, 73.4 Hz
    assert first * 4 == pytest.approx(73.4, abs=6) and np.max(np.abs(samples)) <= 0.21
    view.keep.click()
    kept = window.session.state.song("tidewire").details
    assert kept.passage == "6:0 5:2+4:2" and same_pitches(kept.passage_tuning, parse_tuning("drop D"))


# -- files
def test_a_table_of_songs_is_previewed_mapped_taken_as_one_edit_and_written_back(
    qtbot, window, songs, tmp_path, monkeypatch
) -> None:
    path = tmp_path / "set.csv"
    lines = ("Titel;Stimmung;Dauer", "Tidewire;drop D♭;3:35", "Schräge Mole;open G;4:01", "Bad;drop nothing;1")
    path.write_bytes("\r\n".join(lines).encode("utf-16"))
    seen = []

    def answer(dialog: SongsDialog) -> int:
        assert dialog.encoding.currentText() == "utf-16" and not dialog.take.isEnabled()
        for box, name in zip(dialog.columns, ("title", "tuning", "length"), strict=True):
            box.setCurrentText(name)
            box.activated.emit(0)
        seen.append(dialog.told.toPlainText())
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(SongsDialog, "exec", answer)
    before = window.session.state
    window.song_files.read(path)
    assert "New: 1" in seen[0] and "Changed: 1" in seen[0] and "line 4" in seen[0] and "drop nothing" in seen[0]
    state = window.session.state
    assert state.songs[-1].title == "Schräge Mole" and state.songs[-1].length_s == 241
    assert same_pitches(state.song("tidewire").ways[0].tuning, parse_tuning("drop Db"))
    window.session.undo()
    assert window.session.state == before
    out = tmp_path / "out.csv"
    window.song_files.write(out)
    rows = list(csv.DictReader(io.StringIO(out.read_text(encoding="utf-8-sig"))))
    assert len(rows) == 18 and rows[0]["Title"] == "Tidewire" and rows[0]["Strings"] == "6 5 4"
    (tmp_path / "bad.csv").write_bytes(b"\x00\x01")
    window.song_files.read(tmp_path / "bad.csv")
    assert "bad.csv" in window.notice.text() and "as it was" in window.notice.text()


class Cells(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.cells: list[str] = []
        self.inside = False

    def handle_starttag(self, tag, attrs) -> None:
        self.inside = tag == "td"
        if self.inside:
            self.cells.append("")

    def handle_data(self, data) -> None:
        if self.inside and self.cells:
            self.cells[-1] += data

    def handle_endtag(self, tag) -> None:
        self.inside = False


def test_sheets_are_written_as_html_csv_and_text(qtbot, window, tmp_path) -> None:
    state = window.session.state
    window.session.edit("Name", state.with_song(replace(state.song("tidewire"), title="=Tide <wire> & \"co\"")))
    qtbot.waitUntil(lambda: window.night.given_gig.song("tidewire").title.startswith("="), timeout=60000)
    for sheet in (FLOOR, TECHNICIAN):
        for ending in (".html", ".csv", ".txt"):
            window.night_menu.write_sheet(tmp_path / f"{sheet}{ending}", sheet)
    cells = Cells()
    cells.feed((tmp_path / "floor.html").read_text(encoding="utf-8"))
    assert cells.cells[1] == '=Tide <wire> & "co"' and "<wire>" not in (tmp_path / "floor.html").read_text(encoding="utf-8")
    rows = list(csv.reader(io.StringIO((tmp_path / "floor.csv").read_text(encoding="utf-8-sig"))))
    assert len(rows) == 19 and rows[1][2] == "'=Tide <wire> & \"co\""  # no formula for a spreadsheet
    assert "drop D" in (tmp_path / "floor.txt").read_text(encoding="utf-8")
    assert "have it in" in (tmp_path / "technician.txt").read_text(encoding="utf-8")


def test_a_backup_is_restored_and_the_book_that_stood_there_is_kept(qtbot, demo_book, tmp_path, monkeypatch) -> None:
    held = Application(Preferences(theme="dark"), keep_backup=False)
    assert held.open(demo_book)
    backup = tmp_path / "kept.juxtatune"
    held.window.book_files.back_up(backup)
    state = held.window.session.state
    held.window.session.edit("Remove", replace(state, nights=(), songs=()))
    monkeypatch.setattr(QMessageBox, "exec", lambda box: box.buttons()[0].click())
    held.window.book_files.restore(tmp_path / "none.juxtatune")
    assert "as it was" in held.window.notice.text()
    first = held.window
    held.window.book_files.restore(backup)
    assert held.window is not first and len(held.window.session.state.songs) == 18
    aside = list(demo_book.parent.glob("*.damaged-*")) or list(demo_book.parent.glob(f"{demo_book.stem}.*-*"))
    assert len(aside) == 1 and Book(shutil.copy(aside[0], tmp_path / "aside.juxtatune")).load().songs == ()
    held.window.close()


def test_a_file_that_is_dropped_goes_to_what_reads_its_kind(qtbot, window, tmp_path, monkeypatch) -> None:
    taken = []
    for name in ("read",):
        monkeypatch.setattr(window.song_files, name, lambda path: taken.append(path.name))
    window.dropped._readers = tuple(
        (endings, (lambda path, kind=endings[0]: taken.append((kind, path.name)))) for endings, _ in window.dropped._readers
    )
    names = ("gig.json", "songs.CSV", "riff.mxl", "take.flac", "old.juxtatune", "what.exe")
    for name in names:
        (tmp_path / name).write_bytes(b"x")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / n)) for n in names])
    where = (QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(QDropEvent(*where))
    qtbot.waitUntil(lambda: "what.exe is of no kind" in window.notice.text(), timeout=60000)
    assert taken == [
        (".json", "gig.json"), (".csv", "songs.CSV"), (".musicxml", "riff.mxl"), (".wav", "take.flac"),
        (".juxtatune", "old.juxtatune"),
    ]  # fmt: skip


# -- tones and presets
def test_the_tone_of_a_string_and_of_the_tuning_is_played_while_tuning_is_held(qtbot, window, monkeypatch) -> None:
    window.open_song("nine-fathom-static")
    heard = []
    monkeypatch.setattr(sound_out, "play", lambda samples, rate: heard.append(samples))
    view, run = window.views["Tune"], window.tune.run
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_R)
    qtbot.waitUntil(lambda: len(heard) == 1, timeout=60000)
    assert run.held and "keep levels down" in window.notice.text()
    string = run.procedure.active
    spectrum = np.abs(np.fft.rfft(heard[0][9600:57600] * np.hanning(48000)))
    hz = 440 * 2 ** ((run.target.pitch(string) - 69) / 12)  # ISO 16
    assert abs(np.argmax(spectrum[: round(1.5 * hz)]) - hz) <= 1.0
    qtbot.waitUntil(lambda: not run.held, timeout=60000)
    qtbot.keyClick(view, KEY.Key_R, Qt.KeyboardModifier.ShiftModifier)
    qtbot.waitUntil(lambda: len(heard) == 2, timeout=60000)
    assert "whole tuning" in window.notice.text() and np.max(np.abs(heard[1])) <= 0.21


def test_a_preset_sets_how_strings_are_judged(qtbot, window) -> None:
    dialog = window.tuning_dialog
    dialog.presets["recording"].click()
    rules = window.preferences.tuning.rules
    assert (rules.tolerance, rules.hold_s, rules.recheck) == (1.0, 1.0, 1.5) and dialog.figures["tolerance"].value() == 1.0
    dialog.start_values()
    assert window.preferences.tuning.rules.tolerance == 2.0


def test_a_string_is_taken_as_it_is_by_a_key_and_the_log_says_so(qtbot, window, demo_book) -> None:
    window.open_song("late-by-two-tides")
    view, run = window.views["Tune"], window.tune.run
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_Return)
    assert "6th is taken as it is" in window.notice.text() and run.procedure.checking
    for _ in range(6):
        qtbot.keyClick(view, KEY.Key_Return)
    assert run.finished and same_pitches(window.session.state.instrument("rook").tuning, run.target)
    window.session.flush(5.0)
    assert [kind for _, kind, _ in Book(demo_book).log()].count("taken") == 7


def test_the_bridge_is_learned_by_strums_step_by_step_and_can_be_left(qtbot, window, sound_goes_on) -> None:
    window.tune_guitar("dunlin", parse_tuning("standard"))
    view = window.views["Tune"]
    view.setFocus()
    qtbot.keyClick(view, KEY.Key_C)
    assert view.title.text() == "Dunlin: its bridge" and view.what.text().startswith("Step 1 of 13. F11")
    qtbot.keyClick(view, KEY.Key_F11)
    sound_goes_on(window.tune.guitar, 0.5)
    qtbot.keyClick(view, KEY.Key_S)
    qtbot.waitUntil(lambda: view.what.text().startswith("Step 2 of 13"), timeout=60000)
    string = window.tune.run.procedure.active
    assert f"{200} ¢ below" in view.what.text() and window.tune.run.aim(string) < -190
    qtbot.keyClick(view, KEY.Key_C)
    assert window.tune.run.calibration is None and "nothing of it was kept" in window.notice.text()
    assert window.session.state.instrument("dunlin").setup.taught == "" and window.view_name() == "Tune"


def test_the_beats_that_the_ear_should_hear_are_said_near_the_target(qtbot, window) -> None:
    window.open_song("late-by-two-tides")
    run = window.tune.run
    for k in range(12):
        run.procedure = procedure.hear(run.procedure, 0.05 * k, 6, -20.0, 0.2, -20.0)
    # 2 x 73.416 Hz x (1 - 2^(-20/1200)) below the 4th's D3: 1.69 beats a second
    assert "1.7 beats a second with the 4th, too low" in window.tune.columns()[0].detail


def test_the_intonation_of_a_string_is_heard_and_says_which_way_the_saddle_goes(
    qtbot, window, sound_goes_on
) -> None:
    window.show_view("Guitars")
    view = window.views["Guitars"]
    view.table.selectRow(0)
    view.table.setFocus()
    qtbot.keyClick(view.table, KEY.Key_I)
    dialog = window.intonation
    guitar, run = dialog._source, dialog.run
    assert dialog.asked.text() == "The 6th: play it open"
    for words in ("play its harmonic", "play it fretted", "The 5th: play it open"):
        sound_goes_on(guitar, 0.8)  # it listens before the note is played
        with qtbot.waitSignal(dialog.taken, timeout=60000):
            qtbot.keyClick(dialog, KEY.Key_Space)
        assert words in dialog.asked.text()
    truth = float(guitar._sharp[0])
    assert run.rows[0].error == pytest.approx(truth, abs=0.5)
    told = dialog.model.data(dialog.model.index(0, 6))
    assert told == run.advice(run.rows[0]) and (abs(truth) <= 1 or ("back" if truth > 0 else "forward") in told)
    qtbot.keyClick(dialog, KEY.Key_PageUp)
    dialog.again()
    assert run.rows[0].before == pytest.approx(truth, abs=0.5) and run.rows[0].open is None
    window.show_view("Songs")
    assert not dialog.isVisible() and not dialog._worker.isRunning()


def test_the_part_of_a_score_that_is_the_guitars_is_chosen(qtbot, window, songs, tmp_path, monkeypatch) -> None:
    import music21

    score = music21.stream.Score()
    for name, notes in (("Lead", ("E4", "G4")), ("Low", ("E2", "A2", "D3"))):
        part = music21.stream.Part(id=name)
        part.partName = name
        for n in notes:
            part.append(music21.note.Note(n))
        score.append(part)
    path = tmp_path / "two parts.musicxml"
    score.write("musicxml", fp=str(path))
    asked = []

    def choose(parent, title, label, parts, at, editable):
        asked.append(parts)
        return parts[1], True

    monkeypatch.setattr("juxtatune.qt.views.songs.view.QInputDialog.getItem", choose)
    monkeypatch.setattr(QMessageBox, "exec", lambda box: box.buttons()[0].click())
    songs.read_music(path, None)
    assert [p.split()[-1] for p in asked[0]] == ["Lead", "Low"]
    assert len(window.session.state.songs[-1].details.passage.split()) == 3
