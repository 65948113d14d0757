"""A pitch that sinks for as long as the note lasts is read at its mean; an attack's glide, and what a string's own tension
does, at its end."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import sampled

from juxtatune.core.listening.f0.estimate import fit_pluck
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 48000
A2 = 110.0


def read(cents: np.ndarray) -> Reading:
    """The reading of an A2 of ten partials whose pitch follows `cents` (one a sample)."""
    t = np.arange(len(cents)) / RATE
    turns = np.cumsum(A2 * 2 ** (cents / 1200)) / RATE
    tone = sum(np.cos(2 * np.pi * n * turns + n) / n * np.exp(-t * (0.5 + 0.1 * n)) for n in range(1, 11))
    x = np.concatenate([np.zeros(RATE // 2), 0.2 * tone * np.minimum(1, t / 0.002), np.zeros(RATE // 4)])
    (pluck,) = analyse(x, RATE, Targets(parse_tuning("standard")))
    return pluck


def test_a_slow_sinking_is_read_at_its_mean_and_says_how_much_it_moves() -> None:
    t = np.arange(3 * RATE) / RATE
    course = 5 * np.exp(-t / 1.6)  # its energy falls in half that time
    mean = course[(t > 0.25) & (t < 1.75)].mean()
    pluck = read(course)
    assert pluck.cents == pytest.approx(mean, abs=0.6) and pluck.sigma_cents > 0.3
    attack = course[(t > 0.012) & (t < 0.112)].mean()
    assert pluck.attack_cents == pytest.approx(attack, abs=0.3)


@pytest.mark.parametrize("way", [-1, 1])
def test_a_pitch_that_a_hand_or_a_neck_moves_evenly_is_not_led_further(way: int) -> None:
    t = np.arange(3 * RATE) / RATE
    course = way * np.clip(3 * (t - 0.3), 0, 6)
    mean = course[(t > 0.25) & (t < 1.75)].mean()
    assert read(course).cents == pytest.approx(mean, abs=1.2)


@pytest.mark.parametrize("tau", [0.06, 0.15, 0.28])
def test_the_glide_of_an_attack_is_read_at_its_end(tau: float) -> None:
    t = np.arange(3 * RATE) / RATE
    assert read(8 * np.exp(-t / tau)).cents == pytest.approx(0.0, abs=0.02)


def test_a_string_that_is_turned_is_read_where_it_ends() -> None:
    t = np.arange(3 * RATE) / RATE
    assert read(60 * np.exp(-t / 0.5)).cents < 12
    foretold = read(25 * np.exp(-t / 1.2))  # it has not come there as the note ends
    assert abs(foretold.cents) < 0.5 < foretold.sigma_cents


def test_how_slow_a_glide_is_counts_by_how_likely_that_is() -> None:
    def slow(tau: float, noise: float) -> float:
        t = np.arange(2 * RATE) / RATE
        turns = np.cumsum(A2 * 2 ** (0.5 * np.exp(-t / tau) / 1200)) / RATE
        tone = sum(np.cos(2 * np.pi * n * turns + n) / n * np.exp(-t) for n in range(1, 9))
        x = tone + noise * np.random.default_rng(1).normal(size=len(t))
        fit = fit_pluck(Signal(x, RATE), 0.01, 1.9, A2, 0.0)
        assert fit is not None
        return fit.drift_probability

    assert slow(0.1, 1e-4) < 0.01 and slow(0.9, 1e-4) > 0.99
    # where the sound is clear it is told from one but little slower
    assert slow(0.3, 1e-4) < 0.02 and slow(0.35, 1e-4) == pytest.approx(0.5, abs=0.05)
    unsure = [slow(tau, 0.03) for tau in (0.25, 0.3, 0.35, 0.4)]
    assert max(abs(np.diff(unsure))) < 0.6


@pytest.mark.parametrize("program", [25, 27])
def test_a_sampled_string_cut_short_ends_where_such_notes_do(program: int) -> None:
    # its partials have not met by then, so that a glide fitted to them alone may end ten cents off
    off, claims = [], []
    for pitch in (43, 45, 50, 55, 59, 64):
        whole = sampled.note(pitch, program)
        short = whole[: int(0.35 * RATE)] * np.minimum(1, (0.35 * RATE - np.arange(int(0.35 * RATE))) / 960)
        gap = np.zeros(RATE // 2)
        long, cut = (analyse(np.concatenate([gap, x, gap]), RATE, Targets())[0] for x in (whole, short))
        off.append(abs(1200 * np.log2(cut.f1 / long.f1)))
        claims.append(cut.sigma_cents)
    assert np.median(off) < 3.0 and max(off) < 6.0
    assert np.mean(np.array(off) < 2 * np.array(claims)) > 0.6
