"""Strings picked again, distorted, under others and beside a band: one reading for each pluck, and none for the rest."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import banks, listening, sampled, strange
from benchmarks.sounds import attack_mean, hz, string_tone

from juxtatune.core.listening.dsp.peaks import Peaks
from juxtatune.core.listening.multipitch.cancellation import isolate
from juxtatune.core.listening.partials.demodulate import partial_hz
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.rejection.bleed import without_strays
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.tone.twm import score_tone
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off, sampled_guitar

RATE = 48000
STANDARD = Targets(parse_tuning("standard"))


def mixed(seconds, *tones):
    """Sounds at their moments (s) over silence."""
    x = 1e-5 * np.random.default_rng(0).normal(size=int(seconds * RATE))
    for at, tone in tones:
        first = int(at * RATE)
        x[first : first + len(tone)] += tone[: len(x) - first]
    return x


def string(cents_off, pitch, seconds, level, seed=1):
    f1 = hz(pitch + cents_off / 100)
    tone = level * string_tone(np.random.default_rng(seed), f1, RATE, seconds, 6e-5, 4.0, 0.08)
    tone[-2400:] *= np.linspace(1, 0, 2400)
    return tone, f1


@pytest.mark.parametrize(("program", "length"), [(24, 0.6274), (24, 0.8466), (25, 0.7644), (25, 0.8055)])
def test_a_sampled_string_picked_again_in_almost_the_same_phase_is_another_pluck(
    tmp_path, program, length
) -> None:
    note, rate = sampled_guitar(tmp_path, 55, program=program)
    part = note[rate // 10 :][: int(length * rate)].copy()
    part[-240:] *= np.linspace(1, 0, 240)
    x = np.concatenate([np.zeros(rate // 2), part, 0.8 * part, 0.9 * part, np.zeros(rate // 2)])
    starts = [r.start for r in analyse(x, rate, STANDARD)]
    assert starts == pytest.approx([0.5 + k * length for k in range(3)], abs=0.05)


def test_a_string_picked_again_is_another_pluck_though_its_loudest_partials_meet_in_phase() -> None:
    t, at = np.arange(int(2.4 * RATE)) / RATE, int(1.1 * RATE)
    x, phase = np.zeros(len(t)), np.random.default_rng(4).uniform(0, 6.28, 10)
    for n in range(1, 10):
        tone = np.exp(-0.9 * t) * np.cos(2 * np.pi * 110 * n * t + phase[n]) / n**1.5
        x += tone
        # the second pluck goes on as the first where that is loud, and against it elsewhere
        x[at:] += 0.05 * tone[at:] if n < 3 else -2.2 * tone[at:]
    starts = [r.start for r in analyse(mixed(3.2, (0.5, 0.2 * x)), RATE, STANDARD)]
    assert starts == pytest.approx([0.5, 1.6], abs=0.05)


def test_a_distorted_string_that_swells_as_it_rings_is_one_pluck() -> None:
    rng, t = np.random.default_rng(3), np.arange(int(3 * RATE)) / RATE
    tone = np.zeros(len(t))
    for n in range(1, 16):
        swell = np.interp(t, np.arange(0, 3.1, 0.12), rng.uniform(0.2, 1.6, 26))
        turn = np.interp(t, np.arange(0, 3.1, 0.12), np.cumsum(rng.normal(0, 0.5, 26)))
        tone += swell * np.cos(2 * np.pi * n * 82.6 * t + turn) / np.sqrt(n)
    readings = analyse(mixed(4, (0.5, 0.1 * tone)), RATE, STANDARD)
    assert [r.string for r in readings] == [6]


def test_ripples_beside_a_strong_partial_count_for_nothing_and_other_peaks_do() -> None:
    def score(extra):
        hz_of = np.concatenate([partial_hz(147.0, 5e-5, np.arange(1, 9)), [f for f, _ in extra]])
        level = np.concatenate([np.zeros(8), [db for _, db in extra]])
        order = np.argsort(hz_of)
        peaks = Peaks(hz_of[order], 1 + level[order] / 45, level[order], 3.3)
        tone = score_tone(peaks, 147.0)
        assert tone is not None
        return tone.score

    beside = [(147.0 * n + side, -25.0) for n in (3, 4, 5) for side in (-15.0, 15.0)]
    between = [(147.0 * (n + 0.5), -25.0) for n in (3, 4, 5) for _ in range(2)]
    assert score(beside) == pytest.approx(score([]), abs=0.01)
    assert score(between) < score([]) - 0.1


def test_a_bass_note_under_a_ringing_string_is_not_the_players() -> None:
    low, _ = string(-20, 40, 1.6, 0.3)
    ringing, _ = string(10, 50, 2.0, 0.3, seed=2)
    bass, _ = string(0, 38, 0.8, 0.15, seed=3)
    x = mixed(6, (0.4, low), (2.3, ringing), (3.4, bass))
    assert [r.string for r in analyse(x, RATE, STANDARD)] == [6, 4]
    # on its way from drop D the 6th string may well lie there
    moving = Targets(parse_tuning("standard"), parse_tuning("drop D"))
    assert [r.string for r in analyse(x, RATE, moving)] == [6, 4, 6]


@pytest.mark.parametrize("cents", [-18.0, 7.0, 25.0])
def test_a_string_that_begins_under_its_octave_is_read_for_itself(cents) -> None:
    octave, _ = string(0, 62, 3.5, 0.3)
    own, f1 = string(cents, 50, 3.0, 0.12, seed=2)
    tuning = Targets(parse_tuning("D2 A2 D3 G3 B3 D4"))
    readings = analyse(mixed(5, (0.4, octave), (1.2, own)), RATE, tuning)
    assert [r.string for r in readings] == [1, 4]
    assert abs(off(readings[1], f1)) < 0.5


@pytest.mark.parametrize(
    "job",
    [
        ("small bank", 29, "B standard", 0, ", picked again"),
        ("small bank", 30, "standard", 1, ", picked again"),
    ],
)
def test_distorted_strings_picked_again_as_they_ring_are_all_heard(job) -> None:
    _, errors, plucks, faults = banks.one(job)
    assert faults == []
    assert len(errors) == plucks > 8


def reading(string: int, start: float, end: float, sigma: float, level: float) -> Reading:
    target = STANDARD.tuning.note(string)
    f1 = hz(target.pitch)
    return Reading(start, end, f1, target.pitch, string, target, f1, None, 5.0, sigma, 6.0, 1.0, level)


@pytest.mark.parametrize(
    ("rings_until", "usual", "of_string", "kept"),
    [
        (2.0, 0.01, 0.01, False),
        (2.0, 2.0, 2.0, True),  # partials of a real guitar disagree
        (2.0, 0.01, 2.0, True),  # those of this string do
        (1.6, 0.01, 0.01, True),  # the louder string was damped for it
    ],
)
def test_under_a_louder_string_what_is_vaguer_than_usual_is_nobodys(
    rings_until, usual, of_string, kept
) -> None:
    louder, unsure = reading(5, 0.0, rings_until, usual, -8.0), reading(3, 1.5, 2.5, 2.5, -12.0)
    others = [reading(5, 3.0, 4.0, usual, -8.0), reading(3, 5.0, 6.0, of_string, -10.0)]
    heard = without_strays([louder, unsure, *others], STANDARD)
    assert (unsure in heard) == kept
    assert len(heard) == 3 + kept


@pytest.mark.parametrize(("kind", "seed"), [("drums", 801), ("stage bleed 10 dB", 807)])
def test_a_pluck_spoilt_by_a_drum_still_begins_when_it_did(kind, seed) -> None:
    sound = listening.KINDS[kind](np.random.default_rng([seed, 4242]))
    starts = [r.start for r in analyse(sound.samples, sound.rate, STANDARD)]
    assert starts == pytest.approx([p.start for p in sound.plucks], abs=0.025)


@pytest.mark.parametrize(("seed", "level"), [(0, 0.06), (0, 0.1), (2, 0.06), (3, 0.06)])
def test_a_string_a_fourth_above_a_louder_one_that_rings_is_neither_lost_nor_taken_for_it(
    seed, level
) -> None:
    # each partial of the one lies between two of the other
    low, _ = string(-20, 35, 3.0, 0.3, seed=seed + 1)
    own, f1 = string(-40, 40, 2.2, level, seed=seed + 20)
    readings = analyse(mixed(5, (0.4, low), (1.3, own)), RATE, Targets(parse_tuning("B standard")))
    assert [r.string for r in readings] == [6, 5]
    assert abs(off(readings[1], f1)) < 0.1


@pytest.mark.parametrize(("seed", "level"), [(0, 0.06), (2, 0.04), (3, 0.1), (4, 0.04)])
def test_a_string_a_whole_tone_above_a_louder_one_is_read_from_its_first_moment(seed, level) -> None:
    low, _ = string(-14.0, 55, 3.3, 0.3, seed)
    high, f1 = string(-30.0, 57, 3.3, level, seed + 7)
    lower, r = analyse(mixed(5.5, (0.4, low), (1.2, high)), RATE, Targets(parse_tuning("DADGAD")))
    assert (lower.string, r.string) == (3, 2)
    assert r.start == pytest.approx(1.2, abs=0.004)
    assert off(r, f1) == pytest.approx(0.0, abs=0.02)
    # the glide of these strings: 4 cents that die away in 80 ms, heard from 12 to 112 ms
    assert r.attack_cents - r.cents == pytest.approx(attack_mean(4.0, 0.08), abs=0.2)


@pytest.mark.parametrize(("at", "cents"), [(1.2, 10.0), (1.45, -20.0), (1.59, 0.0)])
def test_a_sampled_string_a_fourth_above_one_that_rings_is_not_taken_for_its_octave(at, cents) -> None:
    low, _ = sampled.shifted(sampled.note(48, 27), cents)
    high = sampled.note(53, 27)
    parts = [tone[: int(3.2 * RATE)] / np.max(np.abs(tone)) for tone in (low, high)]
    tuning = Targets(parse_tuning("drop C"))
    under = analyse(mixed(5.0, (0.4, 0.3 * parts[0]), (at, 0.2 * parts[1])), RATE, tuning)
    [alone] = analyse(mixed(5.0, (at, 0.2 * parts[1])), RATE, tuning)
    assert [r.string for r in under] == [4, 3]
    assert under[1].start == pytest.approx(alone.start, abs=0.015)
    assert under[1].cents == pytest.approx(alone.cents, abs=1.5)


def test_what_is_left_when_a_louder_string_is_taken_away_is_the_other_string() -> None:
    low, ringing = string(-14.0, 55, 3.3, 0.3)
    high, f1 = string(-30.0, 57, 3.3, 0.06)
    lone, both = mixed(4.0, (1.2, high)), mixed(4.0, (0.4, low), (1.2, high))
    left = isolate(Signal(both, RATE), 1.2, 3.4, f1 * 1.003, (ringing,)).x
    inside = slice(int(1.1 * RATE), int(3.4 * RATE))
    taken, rest = both[inside] - lone[inside], left[inside] - lone[inside]
    assert np.sum(rest**2) < 0.005 * np.sum(taken**2)
    np.testing.assert_array_equal(left[: int(1.0 * RATE)], both[: int(1.0 * RATE)])


@pytest.mark.parametrize("seed", [704, 708, 721])
def test_strings_begun_under_louder_ones_are_read_for_themselves(seed) -> None:
    sound = strange.under_another(np.random.default_rng([seed, 4242]))
    readings = analyse(sound.samples, sound.rate, sound.targets)
    assert [r.string for r in readings] == [q.string for q in sound.plucks]
    assert max(abs(off(r, q.f1)) for r, q in zip(readings, sound.plucks, strict=True)) < 0.3


@pytest.mark.parametrize(
    ("corpus", "kind", "seed"),
    [(listening, "stage bleed 10 dB", 736), (strange, "picked again", 707)],
    ids=["a bass under a string that shares its partials", "hard glides"],
)
def test_every_pluck_of_a_hard_night_and_no_other(corpus, kind, seed) -> None:
    sound = corpus.KINDS[kind](np.random.default_rng([seed, 4242]))
    readings = analyse(sound.samples, sound.rate, getattr(sound, "targets", STANDARD))
    assert [r.string for r in readings] == [q.string for q in sound.plucks]
    assert max(abs(off(r, q.f1)) for r, q in zip(readings, sound.plucks, strict=True)) < 0.3


def test_among_strings_that_ring_the_scatter_of_partials_is_not_the_strings_own() -> None:
    kind = "ring-over"
    sound = strange.KINDS[kind](np.random.default_rng([1, sum(map(ord, kind))]))
    readings = analyse(sound.samples, sound.rate, sound.targets)
    assert max(abs(off(r, q.f1)) for r, q in zip(readings, sound.plucks, strict=True)) < 0.1


def test_strings_that_ring_on_through_distortion_are_read_one_by_one() -> None:
    """What four of them make together is a tone two octaves under the fourth, which is no string's."""
    x = np.zeros(8 * RATE)
    for k, (pitch, cents) in enumerate(((40, -32), (45, 42), (50, -15), (55, -15))):
        note, _ = sampled.shifted(sampled.note(pitch, 26), cents)
        first = int((0.5 + 1.1 * k) * RATE)
        note = note[: min(4 * RATE, len(x) - first)]
        x[first : first + len(note)] += note / np.abs(note).max()
    heard = analyse(np.clip(3 * x / np.abs(x).max(), -1, 1), RATE, STANDARD)
    assert [r.string for r in heard] == [6, 5, 4, 3]
    assert [r.cents for r in heard] == pytest.approx([-30, 44, -13, -13], abs=2.5)


@pytest.mark.parametrize("seed", [1, 6])
def test_the_octave_within_a_string_that_rings_is_not_picked_as_it_swells(seed) -> None:
    """As even partials do when a distorted sample begins to loop: fourfold in power, but in step with what rang."""
    r = np.random.default_rng(seed)
    t = np.arange(3 * RATE) / RATE
    swell = np.clip((t - 1.4) / 0.01, 0, 1)
    tone = np.zeros(len(t))
    for n in range(1, 45):
        size = 1 + (2 * r.uniform(0.3, 1) * swell if n % 2 == 0 else 0)
        hz_n = float(partial_hz(73.6, 3e-5, np.array(n)))
        tone += size * n**-0.6 * np.exp(-0.3 * t) * np.sin(2 * np.pi * hz_n * t + r.uniform(0, 6.3))
    x = np.concatenate([np.zeros(RATE // 2), 0.4 * tone / np.abs(tone).max(), np.zeros(RATE)])
    heard = analyse(x + 1e-4 * r.normal(size=len(x)), RATE, Targets(parse_tuning("DADGAD")))
    assert [q.string for q in heard] == [6]
