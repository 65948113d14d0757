"""Strums, repeated picks, other people's sound, and the quick steps of live listening."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
import scipy.ndimage as reference
from benchmarks import sounds as room
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.listening.dsp import statistics as rolling
from juxtatune.core.listening.dsp.resample import to_working_rate
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.multipitch import matrix_pencil
from juxtatune.core.listening.multipitch.kernels import density
from juxtatune.core.listening.onset.flux import RollingFlux, onsets
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Block, Signal
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import one_string

STANDARD = Targets(parse_tuning("standard"))
RATE = 12000.0


def strummed(name, seed, spread=45.0, without=None):
    tuning = parse_tuning(name)
    pitches = {s: int(tuning.pitch(s)) for s in tuning.strings if s != without}
    samples, truth = room.strum(np.random.default_rng(seed), tuning=pitches, spread=spread)
    return {r.string: r for r in read_strum(samples, 48000, Targets(tuning))}, truth


@pytest.mark.parametrize("name", ["standard", "drop D", "open D", "open G", "DADGAD"])
def test_a_strum_with_octaves_is_read_to_a_fraction_of_a_cent(name) -> None:
    readings, truth = strummed(name, 20)
    assert all(readings[s].cents is not None for s in truth)
    errors = sorted(abs(readings[s].cents - truth[s]) for s in truth)
    assert errors[2] < 0.05 and errors[-1] < 1.5


def test_two_strings_in_unison_are_both_read_in_either_order() -> None:
    readings, truth = strummed("doubled low G", 21)
    assert readings[6].also == (5,) and readings[5].also == (6,)
    assert sorted(readings[s].cents for s in (5, 6)) == pytest.approx(
        sorted(truth[s] for s in (5, 6)), abs=0.5
    )


@pytest.mark.parametrize(("name", "gone"), [("standard", 6), ("standard", 3), ("open D", 4), ("drop D", 1)])
def test_a_string_that_does_not_ring_is_declined_and_never_guessed(name, gone) -> None:
    readings, truth = strummed(name, 22, without=gone)
    assert readings[gone].cents is None and "play it alone" in readings[gone].problem
    assert all(abs(readings[s].cents - truth[s]) < 1.5 for s in truth)


def test_the_pencil_parts_what_a_spectrum_cannot() -> None:
    # 0.3 Hz apart over 2.4 s: less than one bin; exact by construction (Hua and Sarkar 1990)
    t = np.arange(int(2.4 * RATE)) / RATE
    x = np.exp(-0.5 * t) * np.cos(2 * np.pi * 440 * t) + 0.6 * np.exp(-1.1 * t) * np.cos(
        2 * np.pi * 440.3 * t + 1
    )
    z = matrix_pencil.bands(Signal(x, RATE), np.array([440.1]))
    [found] = matrix_pencil.damped_sinusoids(z, matrix_pencil.PENCIL.step_s, np.array([440.1]), 1e-14)
    hz = sorted(c.hz for c in found[:2])
    assert hz == pytest.approx([440.0, 440.3], abs=0.002)
    assert sorted(c.decay for c in found[:2]) == pytest.approx([0.5, 1.1], abs=0.03)
    rest = matrix_pencil.without(z[:, 0], found[:2])
    assert np.max(np.abs(rest)) < 0.01 * np.max(np.abs(z))


def test_bands_are_told_apart_as_if_each_were_alone() -> None:
    t = np.arange(int(1.5 * RATE)) / RATE
    x = sum(np.exp(-k * t) * np.cos(2 * np.pi * f * t + k) for k, f in ((1, 200.0), (2, 300.4), (1.5, 301.1)))
    centres = np.array([200.0, 300.5, 900.0])
    z = matrix_pencil.bands(Signal(x, RATE), centres)
    together = matrix_pencil.damped_sinusoids(z, matrix_pencil.PENCIL.step_s, centres, 1e-10)
    apart = [
        matrix_pencil.damped_sinusoids(z[:, k : k + 1], matrix_pencil.PENCIL.step_s, centres[k : k + 1], 1e-10)[0] for k in range(3)
    ]
    assert [len(found) for found in together] == [1, 2, 0]
    for one, other in zip(together, apart, strict=True):
        assert [c.hz for c in one] == pytest.approx([c.hz for c in other], abs=1e-6)
        assert [c.amplitude for c in one] == pytest.approx([c.amplitude for c in other], rel=1e-6)


@given(st.integers(0, 10_000))
def test_votes_are_the_best_bump_of_each_partial_at_every_place(seed) -> None:
    r = np.random.default_rng(seed)
    cents, width, weight = r.uniform(-80, 80, 30), r.uniform(1, 4, 30), r.uniform(0.1, 1, 30)
    columns, grid = r.integers(0, 5, 30), np.arange(-70, 70.25, 0.25)
    bumps = weight * np.exp(-0.5 * ((grid[:, None] - cents) / width) ** 2)
    best = [bumps[:, columns == k].max(axis=1, initial=0.0) for k in range(5)]
    np.testing.assert_allclose(
        density(cents, width, weight, columns, 5, grid), np.sum(best, axis=0), atol=1e-6
    )


def test_a_string_picked_again_while_it_rings_is_two_plucks() -> None:
    rng = np.random.default_rng(23)
    sound = room.pluck_run(rng, strings=[6, 6, 4, 4, 1, 1], length=0.8, gap=0.0, spread=0.5)
    readings = analyse(sound.samples, sound.rate, STANDARD)
    assert [r.string for r in readings] == [6, 6, 4, 4, 1, 1]
    assert [r.start for r in readings] == pytest.approx([p.start for p in sound.plucks], abs=0.03)


@pytest.mark.parametrize("seed", [24, 25])
def test_the_band_beside_the_microphone_is_not_taken_for_the_player(seed) -> None:
    rng = np.random.default_rng(seed)
    sound = room.add_bleed(rng, room.pluck_run(rng))
    readings = analyse(sound.samples, sound.rate, STANDARD)
    assert [r.string for r in readings] == [p.string for p in sound.plucks]
    for r, p in zip(readings, sound.plucks, strict=True):
        assert abs(1200 * np.log2(r.f1 / p.f1)) < 1.2


def test_a_soft_pluck_on_its_own_string_is_kept() -> None:
    rng = np.random.default_rng(26)
    sound = room.pluck_run(rng)
    p = sound.plucks[2]
    a, b = round((p.start - 0.05) * sound.rate), round((p.end + 0.1) * sound.rate)
    sound.samples[a:b] *= 0.25
    assert [r.string for r in analyse(sound.samples, sound.rate, STANDARD)] == [
        q.string for q in sound.plucks
    ]


def test_hum_that_is_switched_on_is_no_string() -> None:
    rng = np.random.default_rng(27)
    samples = room.add_hum(rng, room.Sound(48000, np.zeros(48000 * 6)), 50, 0.1).samples
    samples[: 2 * 48000] = 0
    assert analyse(samples, 48000, STANDARD) == [] and analyse(samples, 48000, Targets()) == []


def test_neither_an_offset_nor_a_stages_rumble_moves_a_strum() -> None:
    samples, _ = room.strum(np.random.default_rng(5))
    t = np.arange(len(samples)) / 48000
    under = 0.1 + 0.3 * np.sin(2 * np.pi * 3.1 * t) + 0.1 * np.sin(2 * np.pi * 11.7 * t)
    plain, over = (read_strum(x, 48000, STANDARD) for x in (samples, samples + under))
    assert all(r.cents is not None for r in plain)
    assert [r.cents for r in over] == pytest.approx([r.cents for r in plain], abs=0.01)


@given(st.lists(st.floats(-100, 100), min_size=1, max_size=40), st.sampled_from([1, 3, 5, 9]))
def test_moving_windows_agree_with_scipy(values, width) -> None:
    x = np.array(values)
    assert np.allclose(rolling.moving_max(x, width), reference.maximum_filter1d(x, width, mode="nearest"))
    assert np.allclose(rolling.moving_min(x, width), reference.minimum_filter1d(x, width, mode="nearest"))
    assert np.allclose(rolling.moving_mean(x, width), reference.uniform_filter1d(x, width, mode="nearest"))
    assert np.allclose(rolling.moving_median(x, width), reference.median_filter(x, size=width, mode="nearest"))


def test_onsets_found_block_by_block_are_those_found_at_once() -> None:
    samples, _ = one_string(45)
    x, rate = to_working_rate(samples + 1e-3 * np.random.default_rng(31).normal(size=len(samples)), 48000)
    rolling = RollingFlux(rate, 10.0)
    for k in range(0, len(x), 240):
        rolling.feed(x[k : k + 240])
    # both are liberal, and an end may be flagged by one of them: the pluck itself is found by both
    for found in (rolling.onsets(), onsets(Signal(x, rate))):
        assert min(abs(t - 0.4) for t in found) < 0.03


def test_a_noise_print_looks_past_what_the_room_hums() -> None:
    # two amplifiers' fans hum like a string: partials of 98 Hz that never stop
    t = np.arange(48000 * 6) / 48000
    room_tone = sum(0.02 / n * np.sin(2 * np.pi * 98.0 * n * t + n) for n in range(1, 8))
    tone, f1 = one_string(50, 12.0, lead=0.0, tail=0.0)
    samples = room_tone + 1e-4 * np.random.default_rng(32).normal(size=len(t))
    samples[4 * 48000 : 4 * 48000 + len(tone)] += tone

    def glimpses(with_print):
        listener, seen, profiled = Listener(STANDARD), [], False
        if with_print:
            listener.take_noise_profile()
        for k in range(0, len(samples) - 960, 960):
            heard = listener.feed(Block(samples[k : k + 960], 48000, k))
            profiled |= heard.profiled
            if heard.glimpse is not None:
                seen.append((heard.glimpse.t, heard.glimpse.f1))
        assert profiled == with_print
        return seen

    assert any(2.5 < t < 3.9 for t, _ in glimpses(False))
    seen = glimpses(True)
    assert not any(2.5 < t < 3.9 for t, _ in seen)
    assert any(4.2 < t < 5 and abs(1200 * np.log2(hz / f1)) < 10 for t, hz in seen)


def test_a_string_hardly_heard_is_said_to_be_too_quiet() -> None:
    tone, _ = one_string(45)
    for gain, quiet in ((1.0, False), (1.5e-3, True)):
        listener = Listener(STANDARD)
        heard = [listener.feed(Block(gain * tone[k : k + 960], 48000, k)) for k in range(0, 48000, 960)]
        assert any(h.too_quiet for h in heard[-15:]) == quiet


def test_stated_uncertainty_covers_most_errors_of_beating_and_cut_strings() -> None:
    # two thirds of readings should lie within one standard deviation; hardly any beyond four
    ratios = []
    for seed in range(6):
        for kind in ({"beat": 2.0}, {"length": 0.35, "gap": 0.3}):
            sound = room.pluck_run(np.random.default_rng(seed), **kind)
            readings = analyse(sound.samples, sound.rate, STANDARD)
            for pluck, reading in zip(sound.plucks, readings, strict=True):
                ratios.append(abs(1200 * np.log2(reading.f1 / pluck.f1)) / reading.sigma_cents)
    assert np.mean(np.array(ratios) < 1) > 0.55
    assert np.mean(np.array(ratios) < 4) > 0.95


def test_looking_for_new_notes_costs_no_glimpse_of_the_string() -> None:
    x, _ = one_string(45)
    listener = Listener(STANDARD)
    seen = [listener.feed(Block(x[k : k + 960], 48000, k)).glimpse for k in range(0, len(x) - 960, 960)]
    gaps = [g is None for g in seen[45:85]]
    assert (
        0 < sum(gaps) <= 2 * len(gaps) // 5
    )  # two blocks in five look for new notes or a second string instead
    assert not any(a and b for a, b in pairwise(gaps))
