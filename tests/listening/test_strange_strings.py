"""Strings unlike the usual: stiff, bent by a hard pick, over another's trace, or picked the moment they are damped.

Stiffness: real guitar strings reach B of some 1e-4 (Fletcher 1964; Järveläinen, Välimäki and Karjalainen 2001, from
memory), and short thick ones more.
"""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import sounds as room
from benchmarks.sounds import attack_mean, hz, string_tone

from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Block
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off, one_string, sampled_guitar

STANDARD = Targets(parse_tuning("standard"))
RATE = 48000


@pytest.mark.parametrize("stiff", [1e-5, 1.5e-4, 3e-4, 5e-4])
@pytest.mark.parametrize("pitch", [64, 55])
def test_a_stiff_string_keeps_its_octave_and_its_pitch(pitch, stiff) -> None:
    samples, f1 = one_string(pitch, 20.0, stiff=stiff, seed=pitch)
    for targets in (STANDARD, Targets()):
        (reading,) = analyse(samples, RATE, targets)
        assert off(reading, f1) == pytest.approx(0.0, abs=0.05)


@pytest.mark.parametrize("pitch", [40, 59, 64])
@pytest.mark.parametrize("tau", [0.04, 0.28])
def test_a_hard_pick_bends_the_note_and_is_read_as_it_bends(pitch, tau) -> None:
    samples, f1 = one_string(pitch, -10.0, glide=19.0, tau=tau, seconds=2.6, seed=3)
    (reading,) = analyse(samples, RATE, STANDARD)
    assert off(reading, f1) == pytest.approx(0.0, abs=0.1)
    assert reading.start == pytest.approx(0.4, abs=0.004)
    assert reading.attack_cents - reading.cents == pytest.approx(attack_mean(19.0, tau), abs=0.5)


def test_an_octave_over_the_trace_of_a_lower_string_stays_an_octave() -> None:
    rng = np.random.default_rng(5)
    high, low = (string_tone(rng, f, RATE, 1.6, 4e-5, 2.0, 0.1) for f in (hz(64.1), hz(52.15)))
    sound = np.concatenate([np.zeros(9600), 0.4 * high + 0.01 * low, np.zeros(9600)])
    (reading,) = analyse(sound, RATE, STANDARD)
    assert reading.string == 1 and off(reading, hz(64.1)) == pytest.approx(0.0, abs=0.5)


def test_a_bass_that_plays_a_twelfth_below_does_not_take_the_string() -> None:
    rng = np.random.default_rng(6)
    string, bass = (
        string_tone(rng, hz(55.0), RATE, 1.6, 5e-5, 2.0, 0.1),
        string_tone(rng, hz(36.02), RATE, 1.6, 1e-4, 2, 0.1),
    )
    sound = np.concatenate([np.zeros(9600), 0.4 * string + 0.05 * bass, np.zeros(9600)])
    (reading,) = analyse(sound, RATE, STANDARD)
    assert reading.string == 3 and abs(off(reading, hz(55.0))) < 0.5


@pytest.mark.parametrize("times, level, seed", [(2, 0.1, 0), (2, 0.14, 7), (3, 0.05, 2), (3, 0.1, 7)])
def test_a_bass_of_many_partials_that_begins_with_a_string_is_told_by_how_unsure_one_tone_would_be(
    times, level, seed
) -> None:
    rng = np.random.default_rng(seed)
    f1 = hz(64.0)
    string = string_tone(rng, f1, RATE, 1.6, 5e-5, 2.0, 0.1)
    bass = string_tone(rng, f1 / times * 1.0015, RATE, 0.5, 1e-4, 2.0, 0.06)
    sound = np.concatenate([np.zeros(9600), 0.4 * string, np.zeros(9600)])
    sound[9600 : 9600 + len(bass)] += level * bass
    (reading,) = analyse(sound, RATE, STANDARD)
    assert reading.string == 1 and off(reading, f1) == pytest.approx(0.0, abs=0.1)


@pytest.mark.parametrize("seed", [0, 1, 2])
def test_strings_picked_the_moment_they_are_damped_are_two_plucks_each(seed) -> None:
    rng = np.random.default_rng(seed)
    sound = room.pluck_run(rng, strings=[6, 6, 4, 4, 2, 2], length=0.7, gap=0.0, spread=0.5)
    readings = analyse(sound.samples, RATE, STANDARD)
    assert [r.string for r in readings] == [6, 6, 4, 4, 2, 2]
    assert all(abs(r.end - p.end) < 0.12 for r, p in zip(readings, sound.plucks, strict=True))


@pytest.mark.parametrize("factor", [0.2, 2.5])
def test_a_strum_of_strings_of_any_stiffness(factor, monkeypatch) -> None:
    monkeypatch.setattr(room, "STIFF", {s: factor * b for s, b in room.STIFF.items()})
    x, truth = room.strum(np.random.default_rng(31))
    readings = {r.string: r.cents for r in read_strum(x, RATE, STANDARD)}
    errors = [abs(readings[s] - truth[s]) for s in truth if readings[s] is not None]
    assert len(errors) >= 5 and max(errors) < 1.5


def test_a_sampled_guitar_with_a_noisy_pick_begins_when_it_is_picked(tmp_path) -> None:
    for note in (42, 45, 50):
        samples, rate = sampled_guitar(tmp_path, note, program=27)
        (reading,) = analyse(np.concatenate([np.zeros(rate // 2), samples]), rate, STANDARD)
        picked = 0.5 + np.argmax(np.abs(samples) > 0.1 * np.max(np.abs(samples))) / rate
        assert reading.start == pytest.approx(picked, abs=0.03)


def heard_together(strings, seed=4):
    rng = np.random.default_rng(seed)
    sound = sum(
        gain * string_tone(rng, hz(room.STANDARD[s] + 0.1), RATE, 1.5, 6e-5, 4.0, 0.1)
        for s, gain in zip(strings, (0.3, 0.2), strict=False)
    )
    listener = Listener(STANDARD)
    return [
        listener.feed(Block(sound[k : k + 960], RATE, k)).together for k in range(0, len(sound) - 960, 960)
    ]


def test_two_strings_at_once_are_said_to_ring_together_and_one_is_not() -> None:
    assert (6, 4) in heard_together((6, 4)) and (3, 2) in heard_together((3, 2))
    assert not any(heard_together((s,)) != [None] * len(heard_together((s,))) for s in (6, 4, 1))
