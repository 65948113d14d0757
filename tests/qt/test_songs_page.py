"""A song's page: what the player keeps, its music, ways that are offered; and the fretboard. In the real window."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QDialog, QMessageBox, QPushButton

from juxtatune.app.offer import offers
from juxtatune.book.db import Book
from juxtatune.book.demo import demo_state
from juxtatune.core.fretboard.refinger import parse_passage, translate
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import same_pitches
from juxtatune.core.repertoire.song import Details
from juxtatune.qt.views.songs.offer_dialog import OfferDialog

KEY = Qt.Key
TAB = "[Verse]\ne|------|\nB|------|\nG|------|\nD|--0---|\nA|--0-3-|\nD|--0-3-|\n"


def press_take(monkeypatch, label: str = "Take it") -> list[str]:
    seen: list[str] = []

    def answer(box: QMessageBox) -> int:
        seen.append(box.text() + "\n" + box.informativeText())
        next(b for b in box.findChildren(QPushButton) if b.text().replace("&", "") == label).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    return seen


@pytest.fixture
def songs(window):
    window.show_view("Songs")
    window.views["Songs"].select("iron-pilot")
    return window.views["Songs"]


def test_what_the_player_keeps_about_a_song_is_saved_and_undone(qtbot, window, songs, demo_book) -> None:
    page = songs.page
    for name, text in (("key", "A"), ("tempo", "132"), ("cue", "dirty from the chorus")):
        page.texts[name].setFocus()
        page.texts[name].selectAll()
        qtbot.keyClicks(page.texts[name], text)
        qtbot.keyClick(page.texts[name], KEY.Key_Return)
    qtbot.mouseClick(page.shakes, Qt.MouseButton.LeftButton, pos=page.shakes.rect().center() / 4)
    page.down.setValue(2)
    saved = Book(demo_book).load().song("iron-pilot").details
    assert (saved.key, saved.tempo, saved.cue, saved.down) == ("A", 132.0, "dirty from the chorus", 2)
    assert "sounds G, written A, 2 half steps down" in page.sounds.text()  # drop C is drop D, two lower
    qtbot.keyClicks(page.texts["tempo"], "fast")
    qtbot.keyClick(page.texts["tempo"], KEY.Key_Return)
    assert "Nothing was changed" in window.notice.text()
    window.session.undo()
    assert window.session.state.song("iron-pilot").details.down == 0


def test_songs_are_searched_by_title_tuning_guitar_and_cue(qtbot, window, songs) -> None:
    songs.search.setFocus()
    qtbot.keyClicks(songs.search, "drop d rook")
    titles = {songs.songs_model.row(k).title for k in range(songs.songs_model.rowCount())}
    assert "Tidewire" in titles and "Copper Ballast" not in titles
    window.choose("copper-ballast")  # what is chosen elsewhere is shown
    assert songs.search.text() == "" and songs.songs_model.rowCount() == 18


def test_music_is_previewed_taken_and_undone_in_one(qtbot, window, songs, tmp_path, monkeypatch) -> None:
    path = tmp_path / "pilot.txt"
    path.write_text(TAB)
    seen = press_take(monkeypatch)
    before = window.session.state
    songs.read_music(path, "iron-pilot")
    assert "drop D" in seen[0] and "5 notes on strings 6 5 4" in seen[0]
    song = window.session.state.song("iron-pilot")
    assert song.ways[0].strings_used == (6, 5, 4) and song.details.passage == "6:0+5:0+4:0 6:3+5:3"
    assert song.details.sections[0].name == "Verse" and "5 notes, 2 events" in songs.page.music.text()
    window.undo()
    assert window.session.state == before
    press_take(monkeypatch, "Cancel")
    songs.read_music(path, "iron-pilot")
    assert window.session.state == before
    (tmp_path / "no.txt").write_text("no tab")
    songs.read_music(tmp_path / "no.txt", "iron-pilot")
    assert "no tab line" in window.notice.text() and window.session.state == before


def test_dropped_music_makes_a_new_song(qtbot, window, songs, tmp_path, monkeypatch) -> None:
    press_take(monkeypatch)
    path = tmp_path / "Slack Water.tab"
    path.write_text(TAB)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    drop = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(drop)
    qtbot.waitUntil(lambda: window.session.state.songs[-1].title == "Slack Water", timeout=60000)
    assert window.session.state.songs[-1].title == "Slack Water" and songs.ways_title.text() == "Slack Water"


def test_ticked_ways_are_added_and_the_planner_weighs_them(qtbot, window, songs, monkeypatch) -> None:
    song = window.session.state.song("iron-pilot")

    def tick(dialog: OfferDialog) -> int:
        dialog.list.item(0).setCheckState(Qt.CheckState.Checked)
        return QDialog.DialogCode.Accepted

    monkeypatch.setattr(OfferDialog, "exec", tick)
    best = offers(window.session.state, song)[0]
    with qtbot.waitSignal(songs.presenter.offered, timeout=60000):
        songs.offer_ways()
    assert window.session.state.song("iron-pilot").ways == (*song.ways, best.way)
    assert "3 ways now" in window.notice.text()
    assert all(o.way != best.way for o in offers(window.session.state, window.session.state.song("iron-pilot")))


def test_offered_ways_never_move_the_song_silently_nor_beyond_the_singer() -> None:
    state = demo_state()
    for song in state.songs:
        for down, up in ((0, 0), (2, 1)):
            asked = replace(song, details=Details(down=down, up=up))
            found = offers(state.with_song(asked), asked)
            for offer in found:
                assert -down <= offer.moves <= up
                sounding = offer.way.tuning.moved(offer.way.capo), song.ways[0].tuning.moved(song.ways[0].capo + offer.moves)
                assert same_pitches(*sounding)
                assert offer.moves == 0 or (offer.way.compromise_s > 0 and "song sounds" in offer.account)


def test_a_passage_is_fingered_anew_on_other_guitars_at_its_own_pitch() -> None:
    state = demo_state()
    song = state.song("iron-pilot")
    song = replace(song, ways=song.ways[:1], details=Details(passage="6:0 6:3 5:2+4:2", passage_tuning=parse_tuning("drop C")))
    found = [o for o in offers(state, song) if "other fingers" in o.account]
    whimbrel = next(o for o in found if o.way.instrument == "whimbrel" and o.way.capo == 0)
    asked = translate(parse_tuning("drop C"), state.instrument("whimbrel").home, parse_passage(song.details.passage, 6))
    assert whimbrel.moves == 0 and "1 open string fretted" in whimbrel.account and asked.drones_lost == 1


# -- fretboard
def test_a_shape_is_clicked_typed_named_and_found_on_the_other_guitars(qtbot, window) -> None:
    window.show_view("Fretboard")
    view = window.views["Fretboard"]
    p = view.presenter
    view.tuning.setFocus()
    view.tuning.setText("drop C")
    qtbot.keyClick(view.tuning, KEY.Key_Return)
    view.shape.setFocus()
    view.shape.setText("x 5 7 7 6 5")
    qtbot.keyClick(view.shape, KEY.Key_Return)
    assert view.chord.text() == "Cm" and "written Dm, sounds 2 half steps down" in view.rest.text()
    assert "Whimbrel" in view.others.text() and p.one_finger()[2] == "D5"
    assert "9 E4 −13.7 ¢" in view.harmonics.text()
    neck = view.neck
    spot = QPointF(neck._x(0), neck._y(3)).toPoint()
    qtbot.mouseClick(neck, Qt.MouseButton.LeftButton, pos=spot)
    assert p.shape[0] == 3
    neck.setFocus()
    qtbot.keyClick(neck, KEY.Key_X)
    assert p.shape[0] is None
    qtbot.keyClick(neck, KEY.Key_Right)
    qtbot.keyClick(neck, KEY.Key_Space)
    assert p.shape[1] == 3
    view.passage.setFocus()
    view.passage.setText("6:0 6:3 5:2+4:2")
    qtbot.keyClick(view.passage, KEY.Key_Return)
    assert "7:1 7:4 5:0+4:0" in view.others.text() and "1 open strings lost" in view.others.text()
    view.shape.setFocus()
    view.shape.setText("x 5 77")
    qtbot.keyClick(view.shape, KEY.Key_Return)
    assert "3 entries" in window.notice.text() and view.shape.text() == "x 5 77"


def test_tune_tells_what_a_guitar_is_in_and_takes_it_as_its_state(qtbot, window, demo_book, sound_goes_on) -> None:
    window.open_song("nine-fathom-static")
    view, tune = window.views["Tune"], window.tune
    drop_c = parse_tuning("drop C")
    tune.guitar.detune([100 * (p - q) for p, q in zip(drop_c.pitches, tune.run.source.pitches, strict=True)])
    qtbot.keyClick(view, KEY.Key_F12)
    assert "What is it in?" in window.notice.text()
    sound_goes_on(tune.guitar, 0.5)
    qtbot.keyClick(view, KEY.Key_S)
    qtbot.waitUntil(lambda: "drop C" in window.notice.text(), timeout=60000)
    qtbot.keyClick(view, KEY.Key_F12)
    assert same_pitches(window.session.state.instrument("rook").tuning, drop_c)
    assert same_pitches(tune.run.source, drop_c) and "drop C to drop D" in view.what.text()
    assert same_pitches(Book(demo_book).load().instrument("rook").tuning, drop_c)


def test_the_fretboard_follows_the_guitars_and_rests_while_songs_change(qtbot, window) -> None:
    window.show_view("Fretboard")
    view, session = window.views["Fretboard"], window.session
    state = session.state
    with qtbot.assertNotEmitted(view.presenter.changed):
        session.edit("Edit a song", state.with_song(replace(state.songs[0], length_s=100)))
    rook = replace(session.state.instrument("rook"), name="Rook the Elder")
    guitars = tuple(rook if i.id == "rook" else i for i in session.state.instruments)
    session.edit("Rename", replace(session.state, instruments=guitars))
    assert view.guitar.itemText(view.guitar.findData("rook")) == "Rook the Elder"
