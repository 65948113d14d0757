"""What a book keeps of songs and guitars beyond the gig format: it reads back, from tables, files and fields."""

from __future__ import annotations

import json
import tempfile
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.app import guitar_fields, song_edits
from juxtatune.app.moments import ago, day
from juxtatune.app.songs_in import guessed, preview, table_of
from juxtatune.book.demo import demo_state
from juxtatune.book.formats.gig import parse_gig
from juxtatune.book.formats.gig_out import gig_json
from juxtatune.book.formats.songs_csv import SongTable, read_table, table_text
from juxtatune.book.rows import entity_of, row_of
from juxtatune.book.state import gig_of
from juxtatune.core.errors import UserError
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.repertoire.song import MATTERS, Details, Section
from juxtatune.core.strings.setup import RETUNERS, Setup
from juxtatune.core.strings.tension import Gauge

STATE = demo_state()
WORDS = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=40)
FINITE = st.floats(0.2, 3.0).map(lambda x: round(x, 4))


@st.composite
def details(draw) -> Details:
    passage = draw(st.lists(st.tuples(st.integers(1, 6), st.integers(0, 20)), max_size=6))
    sections = draw(st.lists(st.tuples(WORDS, st.lists(st.integers(1, 6), min_size=1, max_size=6, unique=True)), max_size=3))
    return Details(
        draw(WORDS), float(draw(st.integers(0, 400))), draw(WORDS), draw(WORDS), draw(st.sampled_from(MATTERS)), draw(WORDS),
        draw(st.booleans()), draw(st.integers(0, 12)), draw(st.integers(0, 12)), " ".join(f"{s}:{f}" for s, f in passage),
        parse_tuning("drop D") if passage else None, draw(st.integers(0, 5)) if passage else 0,
        tuple(Section(n, tuple(u)) for n, u in sections),
    )  # fmt: skip


@st.composite
def setups(draw) -> Setup:
    some = draw(st.booleans())
    gauges = tuple(Gauge(draw(FINITE), draw(st.booleans()), draw(st.none() | st.just(0.006))) for _ in range(6)) if some else ()
    return Setup(
        draw(st.sampled_from([(), (648.0,) * 6, (670.0, 665.0, 660.0, 655.0, 650.0, 645.0)])), gauges,
        draw(st.none() | st.integers(0, 6)), draw(st.sampled_from(["", "2026-05-01"])), draw(st.sampled_from([(), (6,), (6, 1)])),
        draw(st.sampled_from([(), ((-5, 2),) * 6])), draw(st.sampled_from(RETUNERS)), draw(st.integers(0, 8)),
        draw(st.sampled_from(["", "2026-05-01T21:10:00+02:00"])), draw(st.none() | FINITE),
    )  # fmt: skip


@given(details(), setups(), st.booleans())
def test_songs_and_guitars_read_back_from_tables_and_gig_files(kept, setup, refingered) -> None:
    song = replace(STATE.song("tidewire"), details=kept)
    song = replace(song, ways=(replace(song.ways[0], refingered=refingered), *song.ways[1:]))
    rook = replace(STATE.instrument("rook"), setup=setup)
    assert entity_of("song", row_of("song", 3, song)) == song
    assert entity_of("instrument", row_of("instrument", 0, rook)) == rook
    gig = gig_of(STATE.with_song(song).with_instrument(rook), STATE.nights[0], checks=False)
    assert parse_gig(json.dumps(gig_json(gig))) == gig


@pytest.mark.parametrize(
    ("key", "value"),
    [("scale_mm", [648, 650]), ("gauges", [{"mm": 0.0}] * 6), ("off", [9]), ("ranges", [[1]]), ("retuner", "a ghost"),
     ("certainty_cents", float("1e999")), ("channel", True)],
)  # fmt: skip
def test_a_gig_file_with_a_bad_setup_says_where(key, value) -> None:
    data = gig_json(gig_of(STATE, STATE.nights[0]))
    data["instruments"][0][key] = value
    with pytest.raises(UserError) as told:
        parse_gig(json.dumps(data))
    assert key in told.value.message() or "Infinity" in told.value.message()


def test_null_and_unknown_keys_are_absent_in_what_is_kept() -> None:
    data = gig_json(gig_of(STATE, STATE.nights[0], checks=False))
    for row in (data["instruments"][0], data["songs"][0]["details"]):
        row |= {"no such key": 1}
    data["instruments"][0] |= {"off": None, "retuner": None}
    data["songs"][0]["details"]["cue"] = None
    gig = parse_gig(json.dumps(data))
    assert gig.instruments[0].setup.off == () and gig.songs[0].details.cue == ""
    data["songs"][0]["details"]["passage"] = "6:0 6:99"
    with pytest.raises(UserError, match=r"songs\[0\]"):
        parse_gig(json.dumps(data))


# -- fields
@given(st.lists(st.tuples(st.floats(0.2, 3.0), st.booleans()), min_size=4, max_size=12).filter(lambda g: len(g) != 12))
def test_gauges_read_back_as_they_are_shown(rows) -> None:
    found = tuple(Gauge(float(f"{mm:.3g}"), wound) for mm, wound in sorted(rows, reverse=True))
    assert guitar_fields.gauges(guitar_fields.show_gauges(found), len(found)) == found


def test_gauges_are_typed_in_mm_inches_or_thousandths_in_either_direction() -> None:
    # 1 in = 25.4 mm exactly (ISO 80000-3)
    for text in ("46 36 26 17 13 10", "10 13 17 26w 36 46", ".046 .036 .026 .017 .013 .010", "1.168w 0.914 0.66w .432 .33 .254"):
        found = guitar_fields.gauges(text, 6)
        assert [round(g.mm, 2) for g in found] == [1.17, 0.91, 0.66, 0.43, 0.33, 0.25]
        assert [g.wound for g in found] == [True, True, True, False, False, False]
    for bad in ("46 36", "46 36 26 17 13 ten", "46 36 26 17 13 900"):
        with pytest.raises(UserError):
            guitar_fields.gauges(bad, 6)


@pytest.mark.parametrize(("text", "first", "last"), [("648", 648, 648), ("25.5 in", 647.7, 647.7), ("635-673", 673, 635)])
def test_scales_are_typed_as_one_length_or_a_fan(text, first, last) -> None:
    found = guitar_fields.scales(text, 6)
    assert (found[0], found[-1]) == (first, last)
    assert guitar_fields.scales(guitar_fields.show_scales(Setup(scales_mm=found)), 6) == found


@given(st.lists(st.tuples(st.integers(0, 24), st.integers(0, 24)), min_size=6, max_size=6))
def test_ranges_read_back_as_they_are_shown(rows) -> None:
    found = tuple((-low, high) for low, high in rows)
    again = guitar_fields.ranges(guitar_fields.show_ranges(Setup(ranges=found)), 6)
    assert again == (() if set(found) == {(-7, 3)} else found)


@given(st.integers(0, 4000))
def test_days_are_typed_and_said(days) -> None:
    today = date(2026, 12, 1)
    iso = day(f"{days} days ago", today)
    assert date.fromisoformat(iso) == today - timedelta(days=days) and day(iso, today) == iso
    now = datetime(2026, 12, 1, 12, tzinfo=UTC)
    assert ago((now - timedelta(minutes=days)).isoformat(), now).endswith(("now", "ago", "yesterday"))
    with pytest.raises(UserError):
        day("2027-01-01", today)


@given(st.lists(st.tuples(st.sampled_from(["Verse", "Chorus 2", "Solo"]), st.sets(st.integers(1, 6), min_size=1)), max_size=4))
def test_sections_read_back_as_they_are_shown(rows) -> None:
    found = tuple(Section(n, tuple(sorted(u, reverse=True))) for n, u in rows)
    assert song_edits.sections(song_edits.show_sections(found), 6) == found


# -- several songs
@given(st.sampled_from([s.id for s in STATE.songs]), st.integers(0, 30))
def test_a_title_one_letter_off_is_a_duplicate_and_another_title_is_none(song_id, at) -> None:
    assert song_edits.duplicates(STATE.songs) == []
    title = STATE.song(song_id).title
    word = max(title.split(), key=len)
    at = title.index(word) + at % len(word)
    for other in (title[:at] + title[at + 1 :], title[:at] + "x" + title[at + 1 :], f"The {title}", title.upper()):
        twin = replace(STATE.song(song_id), id="twin", title=other, details=Details())
        assert [d.kept.id for d in song_edits.duplicates((*STATE.songs, twin))] == [song_id]


def test_a_merged_song_takes_the_others_place_in_nights_and_rules() -> None:
    twin = replace(STATE.song("tidewire"), id="twin", title="Tide wire")
    state = STATE.with_song(twin)
    merged = song_edits.merged(state, "twin", "tidewire")
    night, before = merged.nights[0], state.nights[0]
    assert [s.song for s in night.slots] == ["twin" if s.song == "tidewire" else s.song for s in before.slots]
    assert {p.song for p in night.rules.pins} == {"twin", "home-by-the-groundsel"} and len(merged.songs) == 18
    gig_of(merged, night)


# -- tables
def test_every_song_of_a_book_reads_back_from_its_own_table(tmp_path) -> None:
    path = tmp_path / "songs.csv"
    path.write_text(table_text(*table_of(STATE)), encoding="utf-8")
    table = read_table(path)
    found = preview(STATE, table, guessed(table))
    assert found.same == 18 and not (found.new or found.changed or found.refused) and found.state == STATE
    fresh = replace(STATE, songs=(), nights=())
    again = preview(fresh, table, guessed(table))
    assert len(again.new) == 18 and not again.refused
    assert [(s.title, s.length_s, s.ways[0]) for s in again.state.songs] == [(s.title, s.length_s, s.ways[0]) for s in STATE.songs]


CELLS = st.lists(st.tuples(WORDS.map(lambda w: w.strip() or "x"), WORDS.map(str.strip)), min_size=1, max_size=5)


@given(CELLS, st.sampled_from(["utf-8-sig", "utf-16", "utf-8"]))
def test_any_cells_read_back_from_a_table_in_any_encoding(rows, encoding) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "t.csv"
        path.write_bytes(table_text(("title", "cue"), rows).removeprefix("\ufeff").encode(encoding))
        found = read_table(path)
    assert [cells for _, cells in found.rows] == rows


@given(st.binary(max_size=400))
def test_no_bytes_break_the_reading_of_a_table(data) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "t.csv"
        path.write_bytes(data)
        try:
            table = read_table(path)
        except UserError as error:
            assert "t.csv" in error.message()
            return
    assert isinstance(table, SongTable)
    for name in guessed(table):
        assert name is None or isinstance(name, str)


def test_tables_that_are_too_large_are_refused(tmp_path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("title\n" + "a\n" * 2002)
    with pytest.raises(UserError, match="2000"):
        read_table(path)
    path.write_text("title," * 200 + "\nx\n")
    with pytest.raises(UserError, match="columns"):
        read_table(path)
