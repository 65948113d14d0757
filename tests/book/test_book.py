"""The book: what is saved stays, what is undone comes back, what cannot be read is refused."""

from __future__ import annotations

import json
import math
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.app import building, catalogue_edits, fields, nights
from juxtatune.app import night as edits
from juxtatune.app.preferences import LIMITS, Preferences, TuningPreferences, load_preferences
from juxtatune.app.record import RecordPitch
from juxtatune.book.db import Book, migrations
from juxtatune.book.demo import demo_state
from juxtatune.book.formats.gig import parse_gig, read_gig
from juxtatune.book.formats.gig_out import write_gig
from juxtatune.book.rows import COLUMNS, entities, entity_of, row_of
from juxtatune.book.state import BookState, gig_of, state_of_gig, with_song_added, without_song
from juxtatune.core.errors import UserError
from juxtatune.core.listening.reference.offset import Offset
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import same_pitches, shifted_to
from juxtatune.core.repertoire.night import Now, Part
from tests.strategies import small_gigs


@settings(max_examples=40, deadline=None)
@given(small_gigs())
def test_rows_hold_everything(data) -> None:
    state = state_of_gig(parse_gig(json.dumps(data)))
    state = state.with_kept(edits.kept_order(state, state.nights[0]))
    held = entities(state)
    assert set(held) == set(COLUMNS)
    for table, rows in held.items():
        written = json.loads(json.dumps([row_of(table, k, e) for k, e in enumerate(rows)]))
        assert tuple(entity_of(table, tuple(row)) for row in written) == rows


def test_an_edit_is_saved_at_once_and_undone_and_done_again(session, demo_book) -> None:
    was = session.state
    tuned = was.tuned("rook", parse_tuning("drop D"))
    told = []
    stop = session.watch(lambda: told.append(1))
    session.edit("Tune", tuned)
    assert Book(demo_book).load() == tuned
    assert session.can_undo == "Tune" and session.undo() == "Tune"
    assert session.state == was == Book(demo_book).load()
    assert session.can_redo == "Tune" and session.redo() == "Tune"
    assert session.state == tuned and len(told) == 3
    stop()
    session.undo()
    assert len(told) == 3
    assert session.undo() is None


def test_an_edit_that_changes_nothing_is_no_edit(session) -> None:
    session.edit("Nothing", session.state)
    assert session.can_undo is None


def test_the_log_only_grows(session) -> None:
    session.log("pluck", {"string": 6, "cents": -1.5})
    session.edit("Tune", session.state.tuned("rook", parse_tuning("drop D")))
    session.undo()
    session.log("retune", {"to": "x"})
    assert session.flush(5.0)
    assert [(kind, data) for _, kind, data in session.book.log()] == [
        ("pluck", {"string": 6, "cents": -1.5}), ("retune", {"to": "x"}),
    ]  # fmt: skip


def test_a_newer_book_is_refused_and_left_alone(demo_book) -> None:
    with sqlite3.connect(demo_book) as db:
        db.execute("PRAGMA user_version = 99")
    db.close()
    with pytest.raises(UserError, match="version 99"):
        Book(demo_book)
    check = sqlite3.connect(demo_book)
    assert check.execute("SELECT count(*) FROM song").fetchone()[0] == 18
    check.close()


def test_a_file_that_is_no_book_is_refused(tmp_path) -> None:
    path = tmp_path / "x.juxtatune"
    path.write_text("this is no database, and long enough to look at" * 50)
    with pytest.raises(UserError, match=r"x\.juxtatune"):
        Book(path)
    assert path.read_text().startswith("this is no database")


def test_a_fresh_book_has_the_newest_schema_and_is_empty(tmp_path) -> None:
    book = Book(tmp_path / "new" / "mine.juxtatune")
    assert book.load().songs == ()
    assert book._db.execute("PRAGMA user_version").fetchone()[0] == len(migrations())
    assert book._db.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
    book.close()


def test_an_edit_that_cannot_be_saved_is_kept_told_and_saved_when_the_disk_is_back(session, demo_book, monkeypatch) -> None:
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 0.3)
    monkeypatch.setattr("juxtatune.book.writer.RETRY_S", 0.05)
    session.book._db.execute("PRAGMA query_only = ON")  # stands in for a full or read-only disk
    was = session.state
    tuned = was.tuned("rook", parse_tuning("drop D"))
    session.edit("Tune", tuned)
    assert session.state == tuned and session.unsaved == 1
    assert "what was saved before is safe" in session.trouble
    assert not session.flush(0.2) and Book(demo_book).load() == was
    session.book._db.execute("PRAGMA query_only = OFF")
    assert session.flush(5.0) and session.trouble is None
    assert Book(demo_book).load() == tuned


KILLED = """
import sys
from pathlib import Path
from juxtatune.app.session import Session
from juxtatune.core.music.catalogue import CATALOGUE
s = Session(Path(sys.argv[1]))
six = [e.tuning for e in CATALOGUE if len(e.tuning) == 6]
k = 0
while True:
    s.edit("Tune", s.state.tuned("rook", six[k % len(six)]))
    print(str(six[k % len(six)]), flush=True)
    k += 1
"""


def test_after_kill_9_every_finished_edit_is_there(demo_book) -> None:
    child = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(demo_book)], stdout=subprocess.PIPE, text=True
    )
    assert child.stdout is not None
    lines = [child.stdout.readline() for _ in range(25)]
    time.sleep(0.05)
    os.kill(child.pid, signal.SIGKILL)
    lines += child.stdout.readlines()
    child.wait()
    finished = [line.strip() for line in lines if line.endswith("\n")]
    book = Book(demo_book)
    now = str(book.load().instrument("rook").tuning)
    # the last finished edit, or the one begun after it
    position = finished[-26:]
    assert now == position[-1] or now not in position[-2:]
    assert book._db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    assert len(book.load().songs) == 18
    book.close()


def test_gig_files_are_written_whole_or_not_at_all(tmp_path) -> None:
    state = demo_state()
    gig = gig_of(state, state.nights[0])
    path = tmp_path / "gig.json"
    write_gig(path, gig)
    assert read_gig(path) == gig
    with pytest.raises(UserError):
        write_gig(tmp_path / "nowhere" / "gig.json", gig)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["gig.json"]
    now = Now(("tidewire",), "rook", {"rook": parse_tuning("drop D")}, {"rook": 0})
    under_way = replace(gig, night=replace(gig.night, now=now))
    write_gig(path, under_way)
    assert read_gig(path) == under_way  # a night under way too
    with pytest.raises(UserError, match="add up to 18"):
        state_of_gig(replace(gig, night=replace(gig.night, parts=(Part("Set", 2), Part("Rest", 2)))))


def test_songs_come_and_go_with_their_rules() -> None:
    state = demo_state()
    night = state.nights[0]
    cut = without_song(night, "hempwalk-nine")
    assert [p.songs for p in cut.rules.parts] == [8, 9] and cut.rules.adjacent == ()
    assert sum(p.songs for p in with_song_added(cut, "x").rules.parts) == 18
    fewer = catalogue_edits.remove_song(state, "tidewire")
    assert all(p.song != "tidewire" for p in fewer.nights[0].rules.pins)
    more = catalogue_edits.add_song(fewer, "Slack Water")
    assert more.songs[-1].id == "slack-water" and more.nights == fewer.nights
    night = building.add_to_night(more, more.nights[0], "slack-water")[0]
    assert night.slots[-1].song == "slack-water" and night.rules.parts[-1].songs == 10 - 0
    with pytest.raises(UserError, match="still played"):
        catalogue_edits.remove_guitar(state, "rook")
    assert len(catalogue_edits.remove_guitar(state, "plover").instruments) == 4
    with pytest.raises(UserError, match="at least one way"):
        catalogue_edits.remove_way(state, "tidewire", 0)


def test_an_empty_book_is_filled_guitar_song_night() -> None:
    state = catalogue_edits.add_guitar(BookState(), "Siskin", 7)
    state = catalogue_edits.add_guitar(state, "Siskin", 6, parse_tuning("drop C"))
    assert [i.name for i in state.instruments] == ["Siskin", "Siskin 2"]
    assert str(state.instruments[1].home) == str(parse_tuning("drop C"))
    state = catalogue_edits.add_song(state, "Slack Water")
    state = catalogue_edits.add_song(state, "Slack Water", parse_tuning("drop D"))
    assert [s.ways[0].instrument for s in state.songs] == ["siskin", "siskin-2"]
    assert state.songs[1].title == "Slack Water 2"
    night = building.add_to_night(state, nights.new_night(state), "slack-water")[0]
    assert gig_of(state, night).songs[0].ways[0].instrument == "siskin"


def test_edits_of_the_order_keep_the_parts_and_say_what_they_did() -> None:
    state = demo_state()
    night = state.nights[0]
    moved, words = edits.move_song(state, night, "tidewire", 12)
    assert [s.part for s in moved.slots] == [s.part for s in night.slots]
    assert moved.slots[12].song == "tidewire" and words == "Tidewire is now in place 13."
    pinned, words = edits.toggle_pin(state, night, "gantry-lights")
    assert pinned.rules.pins[-1].place == 4 and "pinned to place 5 of First half" in words
    assert edits.toggle_pin(state, pinned, "gantry-lights")[0] == night
    tied, words = edits.toggle_medley(state, night, "gantry-lights")
    assert ("gantry-lights", "lowwater-mark") in tied.rules.adjacent and "Lowwater Mark" in words
    assert edits.toggle_medley(state, tied, "gantry-lights")[0] == night
    with pytest.raises(UserError, match="last song of First half"):
        edits.toggle_medley(state, night, "iron-pilot")
    assert edits.set_talk(state, night, "groyne", 22)[0].rules.cover("groyne") == 22
    way, words = edits.next_way(state, night, "iron-pilot")
    assert next(s.way for s in way.slots if s.song == "iron-pilot") == 1 and "way 2 of" in words
    alone = next(s for s in state.songs if len(s.ways) == 1)
    with pytest.raises(UserError, match="one way to play it only"):
        edits.next_way(state, night, alone.id)


def test_a_night_is_built_and_its_parts_always_add_up() -> None:
    state = demo_state()
    night = state.nights[0]
    for work in (
        lambda n: building.take_out(state, n, "tidewire"), lambda n: building.add_interval(state, n, "groyne"),
        lambda n: building.move_within(state, n, "groyne", 1), lambda n: building.move_within(state, n, "groyne", -1),
        lambda n: building.add_to_night(state, n, "tidewire"), lambda n: building.remove_interval(n, 2),
        lambda n: building.bring(state, n, "whimbrel", True), lambda n: building.remove_interval(n, 0),
    ):  # fmt: skip
        night, words = work(night)
        assert words.endswith(".") and sum(p.songs for p in night.rules.parts) == len(night.slots)
        assert [sum(s.part == k for s in night.slots) for k in range(len(night.rules.parts))] == [
            p.songs for p in night.rules.parts
        ]
        assert edits.as_given(state, gig_of(state, night), night) is not None
    with pytest.raises(UserError, match="is needed"):
        building.bring(state, night, "rook", False)


def test_a_removed_way_leaves_every_night_with_the_way_it_played() -> None:
    state = demo_state()
    song = next(s for s in state.songs if len(s.ways) > 1)
    night = edits.next_way(state, state.nights[0], song.id)[0]
    state = state.with_night(night)
    kept = next(s.way for s in night.slots if s.song == song.id)
    played = song.ways[kept]
    fewer = catalogue_edits.remove_way(state, song.id, 0)
    slot = next(s for s in fewer.nights[0].slots if s.song == song.id)
    assert fewer.song(song.id).ways[slot.way] == played


@pytest.mark.parametrize(
    ("call", "value"),
    [
        (lambda: fields.length("3:35"), 215.0), (lambda: fields.length("90"), 90.0),
        (lambda: fields.used_strings("6, 5 4", 6), (6, 5, 4)), (lambda: fields.used_strings("654", 6), (6, 5, 4)),
        (lambda: fields.used_strings("6-4, 1", 6), (6, 5, 4, 1)), (lambda: fields.used_strings("all", 6), ()),
        (lambda: str(fields.tuning("F♯2 B2 E3 A3 C♯4 F♯4", 6)), "F#2 B2 E3 A3 C#4 F#4"),
        (lambda: fields.number("2,5"), 2.5),
    ],
)  # fmt: skip
def test_fields_read_what_a_player_types(call, value) -> None:
    assert call() == value


@pytest.mark.parametrize(
    "call",
    [
        lambda: fields.number("nan"), lambda: fields.number("-1"), lambda: fields.whole("2.5", 0, 9), lambda: fields.words("  "),
        lambda: fields.used_strings("7", 6), lambda: fields.tuning("bass", 6), lambda: fields.length("x"),
    ],
)  # fmt: skip
def test_fields_refuse_what_cannot_be(call) -> None:
    with pytest.raises(UserError) as caught:
        call()
    assert "allowed" in caught.value.message()


@given(st.data())
def test_preferences_are_read_as_they_were_written(data) -> None:
    tuning = TuningPreferences(attack=data.draw(st.booleans()))
    for name, (least, most) in LIMITS.items():
        tuning = tuning.with_figure(name, data.draw(st.floats(least, most)))
    with tempfile.TemporaryDirectory() as folder:
        kept = Preferences("dark", False, Path(folder) / "preferences.json", tuning=tuning)
        kept.save()
        assert load_preferences(kept.path) == kept
        kept.path.write_text('{"a4": 1e9, "tolerance": "wide", "hold_s": NaN, "recheck": true, "attack": 1}')
        assert load_preferences(kept.path).tuning == TuningPreferences()


@given(st.sampled_from([e.name for e in CATALOGUE]), st.integers(-49, 49), st.integers(-49, 49))
def test_a_tuning_moved_to_a_record_is_shown_read_and_moved_again(name, cents, other) -> None:
    plain = parse_tuning(name)
    moved = shifted_to(plain, cents)
    assert np.allclose(moved.pitches, np.array(plain.pitches) + cents / 100)
    assert same_pitches(shifted_to(shifted_to(moved, other), cents), moved)
    assert same_pitches(shifted_to(moved, 0), plain)
    for shown in (fields.show_tuning(moved), fields.show_notes(moved)):
        assert same_pitches(fields.tuning(shown, len(plain)), moved)


@given(st.floats(-49.9, 50), st.floats(400, 480))
def test_a_record_lies_as_far_from_the_players_a4_as_its_own_a4_does(cents, a4) -> None:
    pitch = RecordPitch("take.wav", Offset(cents, 0.9))
    away = 1200 * math.log2(pitch.offset.a4 / a4) - pitch.shift(Reference(a4))
    assert abs(away - 100 * round(away / 100)) <= 1.0 + 1e-9


def test_preferences_survive_a_broken_file(tmp_path) -> None:
    path = tmp_path / "sub" / "preferences.json"
    Preferences("light", True, path).save()
    assert load_preferences(path) == Preferences("light", True, path)
    path.write_text("{broken")
    assert load_preferences(path).theme == "system"
    path.write_text('{"theme": "purple", "left_handed": 3}')
    assert load_preferences(path) == Preferences(path=path)
