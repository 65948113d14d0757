"""Notes, frequencies, tunings and names against ISO 16, the MIDI standard and music21."""

from __future__ import annotations

import music21
import pytest
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import CATALOGUE, lookup, standard_for
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import parse_note, pretty, spell
from juxtatune.core.music.pitch import ISO_16, Reference, cents_between
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import same_pitches, tuning_of_pitches
from tests.strategies import notes, pitch_lists


def test_a4_is_440_hz_and_middle_c_is_note_60() -> None:
    # ISO 16:1975 for A4 = 440 Hz; MIDI 1.0 Detailed Specification for note numbers
    assert ISO_16.hz(parse_note("A4").pitch) == pytest.approx(440.0, abs=1e-12)
    assert parse_note("C4").pitch == 60
    assert ISO_16.hz(60) == pytest.approx(261.6255653, abs=1e-6)


@pytest.mark.parametrize("entry", CATALOGUE, ids=lambda e: e.name)
def test_open_strings_agree_with_music21(entry) -> None:
    # reference: music21's pitch space and frequencies
    for note in entry.tuning.notes:
        theirs = music21.pitch.Pitch(note.letter_name().replace("b", "-") + str(note.octave))
        assert note.pitch == theirs.midi
        assert ISO_16.hz(note.pitch) == pytest.approx(theirs.frequency, rel=1e-9)


@given(notes)
def test_a_note_reads_back_as_written(note) -> None:
    again = parse_note(str(note))
    assert again == note
    assert again.pitch == pytest.approx(note.pitch)


@given(st.floats(20, 110), st.booleans())
def test_spelling_keeps_the_pitch(pitch, flats) -> None:
    assert spell(pitch, flats).pitch == pytest.approx(pitch, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "pitch"),
    [
        ("Cb4", 59),
        ("B#3", 60),
        ("E2+30", 40.3),
        ("A4-12.5", 68.875),
        ("f#3", 54),
        ("G♭3", 54),
        ("F♯3", 54),
        ("Fx3", 55),
    ],
)
def test_spellings(text, pitch) -> None:
    assert parse_note(text).pitch == pytest.approx(pitch)


@pytest.mark.parametrize("text", ["", "H2", "E", "E2+", "2E", "E2+x", "E99", "E2 A2", "E2+99999", "NaN"])
def test_what_is_no_note_is_refused_with_what_is_allowed(text) -> None:
    with pytest.raises(UserError) as caught:
        parse_note(text)
    assert "allowed" in caught.value.message()


@given(st.floats(300, 600), st.floats(-100, 100), st.floats(20, 100))
def test_reference_is_a_round_trip(a4, offset, pitch) -> None:
    reference = Reference(a4, offset)
    assert reference.pitch(reference.hz(pitch)) == pytest.approx(pitch, abs=1e-9)


def test_offset_moves_every_target_by_its_cents() -> None:
    moved = Reference(440.0, 30.0)
    assert cents_between(moved.hz(40), ISO_16.hz(40)) == pytest.approx(30.0, abs=1e-9)


@pytest.mark.parametrize("a4", [0, -440, float("nan"), float("inf"), 10000])
def test_unusable_references(a4) -> None:
    with pytest.raises(UserError):
        Reference(a4)


# Which names there are and what they hold is common practice, no source.
@pytest.mark.parametrize(
    ("name", "notes"),
    [
        ("Eb standard", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4"),
        ("D# STANDARD", "D#2 G#2 C#3 F#3 A#3 D#4"),
        ("drop db", "C#2 G#2 C#3 F#3 A#3 D#4"),
        ("drop A", "A1 E2 A2 D3 F#3 B3"),
        ("dadgad", "D2 A2 D3 G3 A3 D4"),
        ("doubled low G", "G2 G2 D3 G3 B3 E4"),
        ("five-string bass", "B0 E1 A1 D2 G2"),
    ],
)
def test_catalogue_names_in_any_case(name, notes) -> None:
    assert same_pitches(parse_tuning(name), parse_tuning(notes))


def test_an_alias_spells_as_it_is_written() -> None:
    assert str(lookup("D# standard")).startswith("D#2")
    assert str(lookup("half step down")).startswith("Eb2")


@pytest.mark.parametrize(
    "text", ["", "drop", "E2", "E2 A2 D3", " ".join(["E2"] * 13), "standard tuning of mine"]
)
def test_what_is_no_tuning_is_refused(text) -> None:
    with pytest.raises(UserError):
        parse_tuning(text)


@pytest.mark.parametrize(
    ("notes", "name"),
    [
        ("C#2 F#2 B2 E3 G#3 C#4", "C# standard"),
        ("Bb1 F2 Bb2 Eb3 G3 C4", "drop Bb"),
        ("F2 C3 F3 A3 C4 F4", "open F"),
        ("F2 Bb2 F3 Bb3 D4 F4", "open Bb"),
        ("G1 D2 G2 C3 F3 A3 D4", "seven-string drop G"),
        ("E2+30 A2+30 D3+30 G3+30 B3+30 E4+30", "standard, 30 ¢ up"),
    ],
)
def test_tunings_never_seen_are_named_from_their_intervals(notes, name) -> None:
    assert name_tuning(parse_tuning(notes)).name == name


@given(pitch_lists, st.integers(-12, 12))
def test_a_tuning_moved_as_a_whole_keeps_its_intervals(pitches, by) -> None:
    tuning = tuning_of_pitches(map(float, pitches))
    assert tuning.moved(by).intervals == tuning.intervals
    assert tuning.moved(by).moved(-by).pitches == tuning.pitches


def test_standard_for_every_string_count() -> None:
    assert [len(standard_for(n)) for n in range(4, 13)] == list(range(4, 13))
    with pytest.raises(UserError):
        standard_for(3)


def test_pretty_names_use_true_signs() -> None:
    assert pretty("F#3 Bb1 E2-5") == "F♯3 B♭1 E2−5"
