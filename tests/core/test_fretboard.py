"""Tunings as players write them, chords, harmonics and re-fingering; against music21 and brute force."""

from __future__ import annotations

import itertools
import math
from collections import Counter

import music21
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.chordnames import QUALITIES, name_chord
from juxtatune.core.fretboard.harmonics import harmonics
from juxtatune.core.fretboard.refinger import Place, parse_passage, translate
from juxtatune.core.fretboard.shapes import parse_shape, play, written_tuning
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.families import FAMILIES
from juxtatune.core.music.naming import name_tuning, nearest_named
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import same_pitches, tuning_of_pitches
from tests.strategies import pitch_lists


# -- tunings as players write and say them (common practice, no source)
@pytest.mark.parametrize(
    ("text", "notes"),
    [
        ("DADF#AD", "D2 A2 D3 F#3 A3 D4"), ("D A D F# A D", "D2 A2 D3 F#3 A3 D4"), ("EbAbDbGbBbEb", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4"),
        ("AEADF#B", "A1 E2 A2 D3 F#3 B3"), ("CGCFAD", "C2 G2 C3 F3 A3 D4"), ("GGDGBE", "G2 G2 D3 G3 B3 E4"),
        ("BEADF#B", "B1 E2 A2 D3 F#3 B3"), ("BEADGBE", "B1 E2 A2 D3 G3 B3 E4"), ("GDGBD", "G2 D3 G3 B3 D4"),
        ("BEADG", "B0 E1 A1 D2 G2"), ("EADG", "E1 A1 D2 G2"), ("F#BEADGBE", "F#1 B1 E2 A2 D3 G3 B3 E4"),
        ("F standard", "F2 Bb2 Eb3 Ab3 C4 F4"), ("G standard", "G2 C3 F3 Bb3 D4 G4"), ("A standard", "A1 D2 G2 C3 E3 A3"),
        ("drop G", "G1 D2 G2 C3 E3 A3"), ("open G minor tuning", "D2 G2 D3 G3 Bb3 D4"), ("open D♭", "Db2 Ab2 Db3 F3 Ab3 Db4"),
        ("open F sharp", "C#2 F#2 C#3 F#3 A#3 C#4"), ("E flat standard", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4"), ("C", "C2 F2 Bb2 Eb3 G3 C4"),
        ("3 half steps down", "C#2 F#2 B2 E3 G#3 C#4"), ("down a half step", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4"),
        ("full step down", "D2 G2 C3 F3 A3 D4"), ("7-string A standard", "A1 D2 G2 C3 F3 A3 D4"),
        ("standard, 30 ¢ up", "E2+30 A2+30 D3+30 G3+30 B3+30 E4+30"),
        ("drop D -12.5", "D2-12.5 A2-12.5 D3-12.5 G3-12.5 B3-12.5 E4-12.5"),
        ("30 cents up", "E2+30 A2+30 D3+30 G3+30 B3+30 E4+30"), ("E2 A2 D3 G3 B3 E4 +30", "E2+30 A2+30 D3+30 G3+30 B3+30 E4+30"),
        ("open G without the 6th", "G2 D3 G3 B3 D4"),
        ("standard tuning", "E2 A2 D3 G3 B3 E4"), ("Eb drop", "Eb2 Bb2 Eb3 Ab3 C4 F4"),
    ],
)  # fmt: skip
def test_tunings_are_read_as_players_write_and_say_them(text, notes) -> None:
    assert same_pitches(parse_tuning(text), parse_tuning(notes))


def test_letters_take_the_octaves_nearest_to_the_home_of_the_instrument() -> None:
    baritone = parse_tuning("A1 D2 G2 C3 E3 A3")
    assert str(parse_tuning("GDGCEG", baritone)) == "G1 D2 G2 C3 E3 G3"


UNREADABLE = ["open B", "drop", "E9", "H standard", "half step", "standard standard", "DAD", "∞", "drop D + drop D"]


@pytest.mark.parametrize("text", UNREADABLE)
def test_what_cannot_be_read_says_what_was_read_and_what_can(text) -> None:
    with pytest.raises(UserError) as caught:
        parse_tuning(text)
    assert text[:3] in caught.value.message() and "allowed" in caught.value.message()


CENTS = st.one_of(st.just(0.0), st.integers(-49, 50).map(float), st.floats(-49.9, 49.9).map(lambda c: round(c, 2)))


@settings(max_examples=1500)
@given(st.sampled_from(FAMILIES), st.integers(-14, 14), CENTS, st.booleans())
def test_every_printed_name_reads_back(family, steps, cents, flats) -> None:
    tuning = family.tuning.moved(steps + cents / 100, flats)
    for printed in (name_tuning(tuning).name, pretty(name_tuning(tuning).name)):
        assert same_pitches(parse_tuning(printed), tuning), printed


@settings(max_examples=500)
@given(pitch_lists, CENTS)
def test_a_tuning_of_no_family_is_its_notes_and_reads_back(pitches, cents) -> None:
    tuning = tuning_of_pitches([p + cents / 100 for p in pitches])
    assert same_pitches(parse_tuning(name_tuning(tuning).name), tuning)


def test_names_of_families_and_what_lies_near() -> None:
    found = name_tuning(parse_tuning("open E"))
    assert (found.name, found.shape, found.moved) == ("open E", "open D", 2)
    assert ("open D", 12.0) in nearest_named(parse_tuning("open E"))
    assert name_tuning(parse_tuning("drop C")).shape == "drop D" and name_tuning(parse_tuning("drop C")).moved == -2
    odd = name_tuning(parse_tuning("D2 A2 D3 G3 C4 E4"))
    assert odd.shape is None and odd.name == "D2 A2 D3 G3 C4 E4"
    assert all(name_tuning(e.tuning).name in (e.name, *e.aliases) for e in CATALOGUE)


# -- chords
@pytest.mark.parametrize(
    ("tuning", "shape", "sounds", "written"),
    [  # common practice, no source
        ("drop D", "0 0 0 x x x", "D5", "D5"), ("drop D", "14 14 14 x x x", "E5", "E5"), ("drop D", "x 5 7 7 6 5", "Dm", "Dm"),
        ("drop D", "x 5 4 5 6 x", "D7#9", "D7#9"), ("whole step down", "x 7 6 7 8 x", "D7#9", "E7#9"),
        ("half step down", "5 7 7 x x x", "Ab5", "A5"), ("open D", "10 10 10 10 10 10", "C", "C"),
        ("open G", "x 5 5 5 5 5", "C", "C"), ("BEADGBE", "1 3 3 x x x x", "C5", "C5"), ("drop C", "x 5 7 7 6 5", "Cm", "Dm"),
        ("standard", "x x 2 2 x x", "A5/E", "A5/E"), ("standard", "x 0 2 0 1 0", "Am7", "Am7"),
        ("standard", "x 5 x 7 x x", "D", "D"),
    ],
)  # fmt: skip
def test_shapes_are_named_as_they_sound_and_as_they_are_written(tuning, shape, sounds, written) -> None:
    t = parse_tuning(tuning)
    played = play(t, parse_shape(shape, len(t)))
    assert name_chord([round(p.sounds.pitch) for p in played], t.flats).name == sounds
    assert name_chord([round(p.written.pitch) for p in played]).name == written


def test_two_notes_that_are_no_fifth_are_an_interval() -> None:
    assert name_chord([50, 54]).interval == "major third" and name_chord([50, 54]).name is None
    assert name_chord([50, 62]).name == "D"
    assert written_tuning(parse_tuning("drop C"))[1] == -2


THEIRS = {"": "major", "m": "minor"}  # it reads others from spellings, which a shape on a fretboard has not


def test_roots_and_qualities_agree_with_music21() -> None:
    """Every chord symbol on every root in every inversion and spread, as music21 reads it from the notes."""
    tally: Counter[str] = Counter()
    for quality in QUALITIES:
        if len(quality.must) < 3:
            continue
        notes = sorted(quality.must | (quality.may & {7}))
        for root, turn in itertools.product(range(40, 52), range(len(notes))):
            bass = notes[turn]
            pitches = [root + bass] + [root + n + 12 * (1 + (n <= bass)) for n in notes if n != bass]
            ours = name_chord(pitches)
            readings = [ours.name, *ours.others] if ours.name else []
            asked = [r for r in readings if _root(r) == root % 12 and _symbol(r) == quality.symbol]
            assert asked, (quality.symbol, pitches, readings)  # the chord it was made as is always among the readings
            chord = music21.chord.Chord(pitches)
            if quality.symbol in ("", "m"):
                assert (_root(ours.name), _symbol(ours.name)) == (root % 12, quality.symbol)
                assert chord.root().pitchClass == root % 12 and chord.quality == THEIRS[quality.symbol]
            # it spells what has no spelling on a fretboard, and stacks thirds: sixths, suspended and symmetrical chords,
            # and those with a thirteenth have another root there
            if quality.symbol not in ("6", "m6", "sus4", "sus2", "7sus4", "aug", "dim7", "11", "13", "m7", "m7b5", "mMaj7"):
                tally["same" if chord.root().pitchClass == _root(ours.name) else "other"] += 1
    assert tally["same"] > 0.9 * tally.total(), tally


def _root(name: str) -> int:
    letter = name[:2] if name[1:2] in ("#", "b") else name[:1]
    return music21.pitch.Pitch(letter.replace("b", "-")).pitchClass


def _symbol(name: str) -> str:
    rest = name.split("/")[0]
    return rest[2:] if rest[1:2] in ("#", "b") else rest[1:]


# -- harmonics
def test_harmonics_lie_where_just_ratios_put_them() -> None:
    """1200 log2(n) cents above the open string; 3:2 is 1.955 cents above a tempered fifth, 5:4 13.686 below a third."""
    string, note, found = harmonics(parse_tuning("drop C"))[0]
    assert (string, str(note)) == (6, "C2")
    by_partial = {h.partial: h for h in found}
    assert [round(by_partial[n].cents, 3) for n in (2, 3, 4, 5)] == [0.0, 1.955, 0.0, -13.686]
    assert str(by_partial[5].note) == "E4" and by_partial[5].fret == 9 and by_partial[3].frets == (7, 19)
    for n, h in by_partial.items():
        assert 100 * (h.note.pitch - note.pitch) + h.cents == pytest.approx(1200 * math.log2(n), abs=1e-6)


# -- re-fingering
def brute(source, target, passage, frets, capo) -> int:
    """Least cost over every choice of strings and positions, tried one by one."""
    ways = []
    for event in passage:
        pitches = [(round(source.pitch(p.string) + p.fret), p.fret == 0) for p in event]
        spots = [
            [(s, f) for s in target.strings if 0 <= (f := pitch - round(target.pitch(s)) - capo) <= frets - capo]
            for pitch, _ in pitches
        ]
        here = []
        for choice in itertools.product(*spots):
            if len({s for s, _ in choice}) < len(choice):
                continue
            fretted = [f for _, f in choice if f]
            drones = 4 * sum(was and f > 0 for (_, f), (_, was) in zip(choice, pitches, strict=True))
            if not fretted:
                here.append((None, drones))
            for p in range(1, 30):
                if fretted and p <= min(fretted) and max(fretted) <= p + 4:
                    here.append((p, drones + 2 * (max(fretted) > p + 3)))
        ways.append(here or [(None, 0)])
    best = math.inf
    for choice in itertools.product(*ways):
        cost, hand = 0, None
        for p, extra in choice:
            cost += extra + (abs(p - hand) if p is not None and hand is not None else 0)
            hand = p if p is not None else hand
        best = min(best, cost)
    return int(best)


NAMES = ("standard", "drop D", "drop C", "open G", "BEADGBE", "whole step down", "bass")
FRET = st.one_of(st.just(0), st.integers(0, 9))


@settings(max_examples=150)
@given(
    st.sampled_from(NAMES), st.sampled_from(NAMES), st.integers(0, 2), st.sampled_from([9, 12]),
    st.lists(st.dictionaries(st.integers(1, 4), FRET, min_size=1, max_size=2), min_size=1, max_size=3),
)  # fmt: skip
def test_the_cheapest_fingering_equals_brute_force(source, target, capo, frets, events) -> None:
    start, goal = parse_tuning(source), parse_tuning(target)
    passage = [tuple(Place(s, f) for s, f in event.items()) for event in events]
    found = translate(start, goal, passage, frets, capo)
    assert found.cost == brute(start, goal, passage, frets, capo)
    for event, places in zip(passage, found.events, strict=True):
        if places is not None:
            was = [start.pitch(p.string) + p.fret for p in event]
            now = [goal.pitch(p.string) + p.fret + capo for p in places]
            assert now == pytest.approx(was) and len({p.string for p in places}) == len(places)


def test_a_seven_string_stands_in_for_drop_c() -> None:
    """Drop C's open 6th is fret 1 on the low B, its 4th fret the open E (common practice, no source)."""
    found = translate(parse_tuning("drop C"), parse_tuning("BEADGBE"), parse_passage("6:0 6:4", 6))
    assert found.events == ((Place(7, 1),), (Place(6, 0),)) and found.drones_lost == 1


@pytest.mark.parametrize("text", ["", "  ", "6", "6:x", "9:0", "6:0+6:3", "6:99", "6:-1"])
def test_passages_that_cannot_be_read(text) -> None:
    with pytest.raises(UserError) as caught:
        parse_passage(text, 6)
    assert "allowed" in caught.value.message()
