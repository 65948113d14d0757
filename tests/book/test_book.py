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

from juxtatune.app import catalogue_edits, fields
from juxtatune.app import night as edits
from juxtatune.app.preferences import LIMITS, Preferences, TuningPreferences, load_preferences
from juxtatune.app.record import RecordPitch
from juxtatune.book.db import Book, migrations
from juxtatune.book.demo import demo_state
from juxtatune.book.formats.gig import parse_gig, read_gig
from juxtatune.book.formats.gig_out import write_gig
from juxtatune.book.rows import COLUMNS, rows_of, state_of
from juxtatune.book.state import gig_of, state_of_gig, with_song_added, without_song
from juxtatune.core.errors import UserError
from juxtatune.core.listening.reference import Offset
from juxtatune.core.music.catalogue import CATALOGUE, parse_tuning
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.tuning import same_pitches, shifted_to
from tests.strategies import small_gigs


@settings(max_examples=40, deadline=None)
@given(small_gigs())
def test_rows_hold_everything(data) -> None:
    data["set"].pop("now", None)
    state = state_of_gig(parse_gig(json.dumps(data)))
    tables = {t: sorted(rows.values(), key=lambda r: r[1]) for t, rows in rows_of(state).items()}
    assert set(tables) == set(COLUMNS)
    again = state_of(json.loads(json.dumps(tables)))
    assert again.songs == state.songs and again.instruments == state.instruments
    assert again.nights[0].slots == state.nights[0].slots
    assert gig_of(again, again.nights[0]).songs == gig_of(state, state.nights[0]).songs


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


def test_a_disk_that_cannot_be_written_loses_nothing(session, demo_book) -> None:
    session.book._db.execute("PRAGMA query_only = ON")  # stands in for a full or read-only disk
    was = session.state
    with pytest.raises(UserError, match="what was saved before is safe"):
        session.edit("Tune", was.tuned("rook", parse_tuning("drop D")))
    assert session.state == was and session.can_undo is None
    assert Book(demo_book).load() == was


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


def test_songs_come_and_go_with_their_rules() -> None:
    state = demo_state()
    night = state.nights[0]
    cut = without_song(night, "hempwalk-nine")
    assert [p.songs for p in cut.rules.parts] == [8, 9] and cut.rules.adjacent == ()
    assert sum(p.songs for p in with_song_added(cut, "x").rules.parts) == 18
    fewer = catalogue_edits.remove_song(state, "tidewire")
    assert all(p.song != "tidewire" for p in fewer.nights[0].rules.pins)
    more = catalogue_edits.add_song(fewer, "Slack Water")
    assert more.songs[-1].id == "slack-water" and more.nights[0].slots[-1].song == "slack-water"
    with pytest.raises(UserError, match="still played"):
        catalogue_edits.remove_guitar(state, "rook")
    assert len(catalogue_edits.remove_guitar(state, "plover").instruments) == 4
    with pytest.raises(UserError, match="at least one way"):
        catalogue_edits.remove_way(state, "tidewire", 0)


def test_the_first_song_of_an_empty_book_makes_a_night() -> None:
    state = catalogue_edits.add_guitar(
        replace(demo_state(), songs=(), nights=(), instruments=()), "Siskin", 7
    )
    state = catalogue_edits.add_song(state, "Slack Water")
    assert gig_of(state, state.nights[0]).songs[0].ways[0].instrument == "siskin"


def test_edits_of_the_order_keep_the_parts() -> None:
    state = demo_state()
    night = state.nights[0]
    moved = edits.move_song(night, "tidewire", 12)
    assert [s.part for s in moved.slots] == [s.part for s in night.slots]
    assert moved.slots[12].song == "tidewire"
    pinned = edits.toggle_pin(night, "gantry-lights")
    assert pinned.rules.pins[-1].place == 4
    assert edits.toggle_pin(pinned, "gantry-lights") == night
    tied = edits.toggle_medley(night, "gantry-lights")
    assert ("gantry-lights", "lowwater-mark") in tied.rules.adjacent
    assert edits.toggle_medley(tied, "gantry-lights") == night
    assert edits.toggle_medley(night, "iron-pilot") == night
    assert edits.set_talk(night, "groyne", 22).rules.cover("groyne") == 22
    assert (
        next(s for s in edits.next_way(state, night, "iron-pilot").slots if s.song == "iron-pilot").way == 1
    )


@pytest.mark.parametrize(
    ("call", "value"),
    [
        (lambda: fields.length("3:35"), 215.0), (lambda: fields.length("90"), 90.0),
        (lambda: fields.used_strings("6, 5 4", 6), (6, 5, 4)), (lambda: fields.used_strings("all", 6), ()),
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
