"""How far whole recordings lie off 440."""

from __future__ import annotations

import shutil

import numpy as np
import pytest
from benchmarks import recordings, sampled
from benchmarks import sounds as room

from juxtatune.core.errors import CannotTell
from juxtatune.core.listening.reference.notes import Played, of_both
from juxtatune.core.listening.reference.offset import reference_offset


@pytest.mark.parametrize("cents", [-42.0, -10.0, 0.0, 30.0, 48.0])
def test_a_recording_off_440(cents) -> None:
    rng = np.random.default_rng(9)
    samples = np.zeros(24000 * 10)
    for k, pitch in enumerate([40, 47, 52, 45, 52, 43, 50, 40, 45, 57, 50, 47] * 2):
        tone = room.string_tone(rng, room.hz(pitch + cents / 100), 24000, 1.2, 5e-5, 3, 0.07)
        at = int((0.1 + 0.3 * k) * 24000)
        samples[at : at + len(tone)] += 0.2 * tone
    found = reference_offset(samples, 24000)
    assert not isinstance(found, CannotTell)
    assert found.cents == pytest.approx(cents, abs=0.5)


def test_a_note_on_the_border_between_two_counts_once() -> None:
    """The loudest note lies seven cents above the rest: at 43 cents off 440 its tones lie on either side of half a semitone."""
    t = np.arange(24000) / 24000
    notes = [
        note
        for sharp, other in zip((7.3, 6.7, 7.5, 6.4, 7.2, 6.6), (60, 64, 62, 55, 65, 59), strict=True)
        for note in ((57 + sharp / 100, 1.0), (other, 0.4))
    ]

    def played(cents: float) -> np.ndarray:
        return np.concatenate([
            level * np.exp(-2 * t)
            * sum(np.sin(2 * np.pi * room.hz(pitch + cents / 100) * n * t + n) / n**2 for n in (1, 2, 3))
            for pitch, level in notes
        ])  # fmt: skip

    at_440 = reference_offset(played(0.0), 24000).cents
    assert reference_offset(played(43.0), 24000).cents == pytest.approx(at_440 + 43.0, abs=0.5)


def test_third_partials_of_roots_that_are_not_heard_do_not_make_a_recording_sharp() -> None:
    # a just fifth is two cents wider than a tempered one; fundamentals below 60 Hz, or lost in a small speaker, are not there
    t, r = np.arange(12000) / 24000, np.random.default_rng(3)
    tones = [
        sum(np.sin(2 * np.pi * room.hz(pitch) * n * t + r.uniform(0, 6)) / n for n in (2, 3, 4, 5, 6, 7))
        * np.exp(-3 * t)
        for pitch in r.permutation(np.arange(40, 60))
    ]
    found = reference_offset(np.concatenate(tones), 24000)
    assert not isinstance(found, CannotTell) and abs(found.cents) < 0.3


@pytest.mark.skipif(shutil.which("fluidsynth") is None, reason="fluidsynth plays the bass")
def test_short_low_notes_of_a_bass_are_told_from_drums_by_their_plucks() -> None:
    """A sampled double bass: windows of a third of a second hear few of its notes long enough. It lies 3 cents sharp itself."""
    samples = np.zeros(24000 * 15)
    for k, pitch in enumerate([30, 35, 33, 37, 30, 40, 35, 42, 33, 30, 38, 37, 35, 33, 28]):
        note, _ = sampled.shifted(sampled.note(pitch, 32, rate=24000)[:10800], 21.0)
        at = int((0.3 + 0.9 * k) * 24000)
        samples[at : at + len(note)] += note * np.minimum(1, np.arange(len(note))[::-1] / 480)
    found = reference_offset(samples, 24000)
    assert not isinstance(found, CannotTell) and found.cents == pytest.approx(24.0, abs=2.0)


def test_a_recording_without_pitch_gives_no_offset() -> None:
    noise = np.random.default_rng(10).normal(0, 0.1, 48000 * 5)
    assert isinstance(reference_offset(noise, 48000), CannotTell)


@pytest.mark.parametrize("kind", ["drums", "hum"])
def test_drums_or_hum_alone_give_no_reference(kind) -> None:
    rng = np.random.default_rng(28)
    empty = room.Sound(48000, np.zeros(48000 * 8))
    samples = room.drums(rng, 48000, 8.0) if kind == "drums" else room.add_hum(rng, empty, 60, 0.1).samples
    assert isinstance(reference_offset(samples, 48000), CannotTell)


@pytest.mark.parametrize("seed", [29, 30])
def test_a_recording_with_drums_over_it(seed) -> None:
    rng = np.random.default_rng(seed)
    cents = rng.uniform(-49, 49)
    assert reference_offset(room.recording(rng, cents), 44100).cents == pytest.approx(cents, abs=0.8)


@pytest.mark.parametrize(("kind", "within"), [("sharp attacks", 0.4), ("tension", 2.0)])
def test_a_recording_lies_where_its_notes_settle_and_not_where_they_are_picked(kind, within) -> None:
    """Long windows alone lie 0.5 and 3.4 cents sharp of these."""
    off = [recordings.one((kind, seed))[1] for seed in (1, 2)]
    assert np.abs(off).max() < within


def test_of_a_long_recording_the_loudest_part_of_each_stretch_is_heard() -> None:
    rate, t = 12000, np.arange(6000) / 12000
    riff = np.concatenate([
        sum(np.sin(2 * np.pi * room.hz(pitch + 0.17) * n * t) / n for n in (1, 2, 3, 4)) * np.exp(-3 * t)
        for pitch in (45, 52, 48, 50, 57, 55, 53, 59)
    ])  # fmt: skip
    quiet = 1e-3 * np.random.default_rng(4).normal(size=rate * 20)
    long = np.concatenate([np.append(quiet, np.tile(riff, 5)) for _ in range(7)])
    assert len(long) > 200 * rate
    found = reference_offset(long, rate)
    assert not isinstance(found, CannotTell) and found.cents == pytest.approx(17.0, abs=0.3)


def test_long_windows_count_little_where_they_lean_on_attacks_that_glide() -> None:
    gliding, still = Played(0.4, 0.35, 4.3), Played(0.4, 0.35, 0.0)
    # 3 cents above what plucks say, as far as they glide: an attack's doing
    assert of_both(3.8, gliding) - gliding.cents < 0.1
    # the same without any glide to explain it counts as before, and so does what agrees
    assert of_both(3.8, still) - still.cents > 0.3
    assert of_both(0.4 + 0.43 + 0.2, gliding) > gliding.cents
