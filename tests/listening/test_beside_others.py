"""Strings beside a band, hum and rooms, where a rule for one of them could take another's place."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import sounds
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.listening.dsp.peaks import Peaks
from juxtatune.core.listening.dsp.statistics import medians
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.partials.demodulate import partial_hz
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.rejection.bleed import without_bleed, without_strays
from juxtatune.core.listening.tone.twm import Tone, candidates, likeliest
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off

RATE = 48000
STANDARD = Targets(parse_tuning("standard"))


def swelling(
    f1: float, seconds: float, lead: float = 0.5, tail: float = 1.0, stays: float = 0.0
) -> np.ndarray:
    """A tone of eight partials that does not fall until it is damped, or stays so long (s)."""
    t = np.arange(int((seconds + stays) * RATE)) / RATE
    tone = sum(np.sin(2 * np.pi * n * f1 * t + n) / n for n in range(1, 9)) * 0.15
    tone[-960:] *= np.linspace(1, 0, 960)
    return np.concatenate([np.zeros(int(lead * RATE)), tone, np.zeros(int(tail * RATE))])


@pytest.mark.parametrize("f1", [100.1, 119.8])
def test_a_staccato_string_tuned_like_hum_is_a_string_and_hum_that_stays_is_none(f1) -> None:
    targets = Targets(parse_tuning("G2 B2 D3 G3 B3 D4"))
    (reading,) = analyse(swelling(f1, 0.33), RATE, targets)
    assert abs(off(reading, f1)) < 0.5
    (sustained,) = analyse(swelling(f1, 0.33, stays=1.9), RATE, targets)  # as distortion does
    assert abs(off(sustained, f1)) < 0.1
    assert analyse(swelling(f1, 0.33, stays=4.0), RATE, targets) == []


@pytest.mark.parametrize(("f1", "string", "seed"), [(200, 3, 2), (300, 1, 2), (120, 5, 2)])
def test_what_a_room_leaves_of_a_damped_string_is_no_second_pluck(f1, string, seed) -> None:
    r = np.random.default_rng([seed, f1 * 10, 70, sum(map(ord, "laptop"))])
    pitch = 69 + 12 * np.log2((f1 + r.uniform(-0.15, 0.15)) / 440)
    tuning = {6: 40.2, 5: 45.1, 4: 49.8, 3: 55.3, 2: 58.9, 1: 63.8} | {string: pitch}
    gap, strings = r.uniform(0.05, 0.4), list(r.permutation([6, 5, 4, 3, 2, 1]))
    sound = sounds.pluck_run(r, length=0.7, gap=gap, spread=0.0, tuning=tuning, strings=strings)
    sound = sounds.laptop(r, sound)
    names = f"E2 {'B2' if f1 == 120 else 'A2'} D3 G3 B3 {'D4' if f1 == 300 else 'E4'}"
    heard = analyse(sound.samples, sound.rate, Targets(parse_tuning(names)))
    assert [h.string for h in heard] == strings


def test_a_string_over_a_bass_of_one_of_its_partials_is_no_echo() -> None:
    r = np.random.default_rng(4)
    x = np.zeros(3 * RATE)
    bass = sounds.string_tone(r, sounds.hz(28), RATE, 2.0, 6e-5, 3, 0.1)
    string = sounds.string_tone(r, 8 * sounds.hz(28) * 2 ** (-25 / 1200), RATE, 2.0, 4e-5, 3, 0.1)
    x[int(0.5 * RATE) :][: len(bass)] += 0.15 * bass
    x[int(0.61 * RATE) :][: len(string)] += 0.25 * string
    assert 1 in [q.string for q in analyse(x, RATE, STANDARD)]


@pytest.mark.parametrize("times", [5, 6, 7])
def test_a_loud_tone_that_is_out_of_tune_with_the_bass_under_it_is_heard_itself(times) -> None:
    n, own = np.arange(1, 25), np.arange(1, 7)
    bass, string = partial_hz(41.2, 4e-5, n), partial_hz(41.2 * times * 2 ** (12 / 1200), 4e-5, own)
    bass = bass[n % times != 0]
    hz = np.concatenate([bass, string])
    db = np.concatenate([-24.0 - 0.2 * np.arange(len(bass)), -2.0 * own])
    order = np.argsort(hz)
    tone = likeliest(Peaks(hz[order], np.clip(1 + db[order] / 60, 0, 1), db[order], 3.3))
    assert tone is not None and tone.f1 == pytest.approx(string[0], rel=1e-3)


def test_a_sample_that_goes_over_into_its_loop_is_not_picked_again() -> None:
    # partials shift at the seam, and neither fall nor move any more
    r, f1 = np.random.default_rng(3), 329.6
    t = np.arange(int(2.5 * RATE)) / RATE
    seam, before, after = 0.9, np.zeros(len(t)), np.zeros(len(t))
    for n in range(1, 9):
        size, phase = 0.2 / n, r.uniform(0, 6)
        before += size * np.exp(-2 * t) * np.sin(2 * np.pi * n * f1 * t + phase)
        after += size * np.exp(-2 * seam) * np.sin(2 * np.pi * n * f1 * t + phase + r.uniform(0.8, 1.2))
    share = np.clip((t - seam) / 0.01, 0, 1)
    tone = (1 - share) * before + share * after
    heard = analyse(np.concatenate([np.zeros(RATE // 2), tone, np.zeros(RATE // 2)]), RATE, STANDARD)
    assert [h.string for h in heard] == [1]


@pytest.mark.parametrize(("count", "seed"), [(30, 2), (40, 1), (40, 5), (60, 0)])
def test_a_string_that_carries_the_power_is_heard_among_many_soft_tones(count, seed) -> None:
    r = np.random.default_rng(seed)
    string = sounds.string_tone(r, 83.5, RATE, 2.2, 6e-5, 3, 0.1, position=0.25)
    t = np.arange(len(string)) / RATE
    many = [np.sin(2 * np.pi * f * t + r.uniform(0, 6)) for f in r.uniform(150, 3000, count)]
    tone = 0.3 * string + 0.3 * 10 ** (-26 / 20) * np.sum(many, axis=0) * np.exp(-t * 1.5)
    (heard,) = analyse(np.concatenate([np.zeros(RATE // 2), tone, np.zeros(RATE // 4)]), RATE, STANDARD)
    assert heard.string == 6 and abs(off(heard, 83.5)) < 0.3


def candidate(at: float, hz: float, db: float, score: float = 0.9) -> Candidate:
    number = np.arange(1, 9)
    peaks = Peaks(hz * number, np.ones(8), np.full(8, db), 3.3)
    return Candidate(
        at, Tone(hz, 0.0, score, 8 * 10 ** (db / 10), peaks, number), 0.0, 10 ** (db / 10), False
    )


def test_the_one_string_that_the_loud_ones_lack_is_the_players() -> None:
    loud = [candidate(2.0 * k, hz, -k) for k, hz in enumerate((82.4, 110.0, 146.8, 196.0, 246.9))]
    band = [
        candidate(1 + 0.4 * k, hz, -18.0) for k, hz in enumerate((65.4, 55.0, 65.4, 55.0, 82.4, 65.4, 55.0))
    ]
    last = candidate(11.0, 332.0, -13.5)
    heard = sorted([*loud, *band, last], key=lambda c: c.onset)
    assert without_bleed(heard, STANDARD) == [*loud, last]
    softest, other = candidate(11.0, 332.0, -23.0), candidate(11.0, 196.5, -23.0)
    assert without_bleed([*loud, softest], STANDARD) == [*loud, softest]
    assert without_bleed([*loud, other], STANDARD) == loud


def test_a_band_that_plays_a_strings_note_softly_is_no_player() -> None:
    loud = [candidate(2.0 * k, hz, -k) for k, hz in enumerate((82.4, 110.0, 146.8, 196.0))]
    # levels without a gap wide enough to part two players
    band = [candidate(0.3 + k, 65.4, db) for k, db in enumerate((-9.8, -13.7, -15.0, -16.0, -17.0, -18.0))]
    soft = candidate(5.5, 82.6, -14.5)
    heard = sorted([*loud, *band, soft], key=lambda c: c.onset)
    assert soft not in without_bleed(heard, STANDARD)
    assert without_bleed([*loud, soft], STANDARD) == [*loud, soft]


def reading(
    at: float, string: int, sigma: float, db: float, cents: float = 5.0, lasts: float = 1.5
) -> Reading:
    target = STANDARD.tuning.note(string)
    f1 = STANDARD.target_hz(string)
    return Reading(at, at + lasts, f1, target.pitch, string, target, f1, None, cents, sigma, 6.0, 1.0, db)


def test_a_soft_string_whose_partials_disagree_is_not_left_out() -> None:
    many = [reading(2.0 * k, 6 - k, 0.7, -15.0) for k in range(5)]
    assert without_strays([*many, reading(12.0, 1, 3.7, -27.0)], STANDARD)[-1].string == 1
    two = [reading(0.5, 2, 2.45, -24.0), reading(3.0, 1, 0.73, -13.0)]
    assert without_strays(two, STANDARD) == two
    vague = [reading(0.5, 2, 20.0, -24.0), reading(3.0, 1, 0.01, -13.0)]
    assert without_strays(vague, STANDARD) == vague[1:]


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=40))
@settings(max_examples=50)
def test_medians_are_numpys(values) -> None:
    rows = np.array([values, values[::-1]])
    assert medians(rows) == pytest.approx(np.median(rows, axis=1))


@given(st.floats(60, 700), st.integers(3, 30), st.integers(0, 1000))
@settings(max_examples=30)
def test_the_likeliest_tone_is_the_first_of_the_candidates(f1, count, seed) -> None:
    r = np.random.default_rng(seed)
    hz = np.sort(np.concatenate([f1 * np.arange(1, 5), r.uniform(60, 4000, count)]))
    peaks = Peaks(hz, r.uniform(0.1, 1, len(hz)), r.uniform(-40, 0, len(hz)), 3.3)
    first = likeliest(peaks)
    assert first is not None
    assert (first.f1, first.score) == (candidates(peaks)[0].f1, candidates(peaks)[0].score)
