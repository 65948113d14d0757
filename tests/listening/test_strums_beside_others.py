"""A strum beside hum or a band that sounds before it already, and one that ends too soon."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks import strange
from benchmarks.sounds import Sound, hz
from benchmarks.strummed import synthetic

from juxtatune.core.listening.multipitch.voting import VotedString
from juxtatune.core.listening.strum.read import StrumReading, _of_both, read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 48000


def strummed(name: str, seed: int, beside=lambda r, sound: sound) -> list[tuple[StrumReading, float]]:
    """The reading and what is true (cents) of every string of a strum beside other sound."""
    r = np.random.default_rng([seed, sum(map(ord, name))])
    tuning = parse_tuning(name)
    x, truth = synthetic(r, "exact", tuning, False)
    sound = beside(r, Sound(RATE, x))
    return [(q, truth[q.string]) for q in read_strum(sound.samples, RATE, Targets(tuning))]


def few_declined_none_wrong(readings: list[tuple[StrumReading, float]]) -> None:
    errors = [abs(q.cents - true) for q, true in readings if q.cents is not None]
    assert len(errors) >= len(readings) - 1
    assert max(errors) < 5


@pytest.mark.parametrize(("name", "seed"), [("standard", 3), ("drop D", 1)])
def test_the_notes_of_a_band_that_plays_already_take_no_strings_place(name, seed) -> None:
    few_declined_none_wrong(strummed(name, seed, strange.with_band))


@pytest.mark.parametrize("seed", [5, 7])
def test_hum_is_not_the_lowest_string_of_a_strum(seed) -> None:
    few_declined_none_wrong(strummed("B standard", seed, lambda r, sound: strange.hum(r, sound, 60)))


@pytest.mark.parametrize(
    ("name", "seed", "base"), [("open E", 1, 50), ("drop C", 5, 60), ("open G", 6, 50), ("open E", 2, 60)]
)
def test_of_a_strum_that_is_muted_in_hum_only_what_rang_is_read(name, seed, base) -> None:
    r, tuning = np.random.default_rng([seed, 3]), parse_tuning(name)
    x, truth, muted = np.zeros(int(1.96 * RATE)), {}, int(1.6 * RATE)
    for k, s in enumerate(tuning.strings):
        truth[s] = r.uniform(-30, 30)
        y = strange.tone(r, hz(float(tuning.pitch(s)) + truth[s] / 100), RATE, 1.3, 0.0)[0]
        at = int((0.3 + 0.06 * k) * RATE)
        x[at:muted] += 0.1 * y[: muted - at]
    x[muted - 1440 : muted] *= np.linspace(1, 0, 1440)
    sound = strange.hum(r, Sound(RATE, x), base)
    readings = read_strum(sound.samples, RATE, Targets(tuning))
    few_declined_none_wrong([(q, truth[q.string]) for q in readings])
    assert all((q.sigma_cents or 0) < 10 for q in readings)


def test_a_strum_at_the_very_start_of_a_sound_is_read() -> None:
    def from_its_start(_, sound: Sound) -> Sound:
        sound.samples = sound.samples[np.argmax(np.abs(sound.samples) > 0.05) :]
        return sound

    few_declined_none_wrong(strummed("standard", 0, from_its_start))


def test_a_strum_that_is_damped_too_soon_says_so() -> None:
    def damped(_, sound: Sound) -> Sound:
        first = int(np.argmax(np.abs(sound.samples) > 0.05))
        sound.samples[first + RATE // 2 :] = 0.0
        return sound

    for reading, _ in strummed("standard", 0, damped):
        assert reading.cents is None
        assert reading.problem == "damped too soon: let the strum ring for a second"


def test_two_looks_at_a_string_that_differ_widely_are_no_answer_unless_one_is_much_clearer() -> None:
    one = VotedString(110.0, 6e-5, 2.0, np.arange(5), np.arange(1, 6), 0.1, doubt=-1.8)
    other = replace(one, f1=112.0, doubt=-0.8)
    assert _of_both(one, other) is None
    clearer = _of_both(replace(one, doubt=-4.0), other)
    assert clearer is not None
    assert clearer.f1 == one.f1
    assert clearer.sigma >= 2.0
