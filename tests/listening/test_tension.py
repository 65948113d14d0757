"""Strings whose tension rises with their own energy, by the equation of motion (Carrier 1945; Gough 1984)."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.optimize
from benchmarks import kirchhoff

from juxtatune.core.listening.f0 import glide_energy, glide_two_times
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off

RATE = 48000
STANDARD = Targets(parse_tuning("standard"))


def picked(seed: int, seconds: float, noise: float = 0.0, **how) -> tuple[Reading, float, float]:
    """The reading of a pluck, where it would settle (Hz), and how far sharp its attack is (cents)."""
    r = np.random.default_rng(seed)
    f1 = STANDARD.target_hz(1 + seed % 6) * 2 ** (r.uniform(-40, 40) / 1200)
    sound, attack = kirchhoff.string(r, f1, RATE, seconds, **how)
    sound[-960:] *= np.linspace(1, 0, 960)
    gap = np.zeros(RATE // 2)
    x = np.concatenate([gap, 0.3 * sound, gap])
    (reading,) = analyse(x + noise * r.normal(size=len(x)), RATE, STANDARD)
    return reading, f1, attack


def test_a_single_mode_is_as_sharp_as_duffing_s_oscillator() -> None:
    """To second order 3/8 c A² / ω² (Nayfeh and Mook 1979, from memory), and none where it hardly moves."""
    omega, size, step = 2 * np.pi * 100.0, 1.0, 0.5 / RATE

    def turns(strength: float) -> float:
        q, still = np.array([[size], [0.0]]), np.zeros((2, 1))
        heard, _ = kirchhoff.moved(
            q, still, np.full((2, 1), omega), still + 1e-9, np.ones(1), strength, RATE, step, np.ones((2, 1))
        )
        up = np.flatnonzero((heard[:-1] < 0) & (heard[1:] >= 0))
        at = up - heard[up] / (heard[up + 1] - heard[up])
        return (len(at) - 1) / (at[-1] - at[0]) / step

    small = 0.004 * omega**2
    assert turns(0.0) == pytest.approx(100.0, rel=1e-8)
    assert turns(small) / 100.0 - 1 == pytest.approx(3 / 8 * 0.004, rel=0.01)


def test_what_a_string_s_tension_bends_is_read_where_it_ends() -> None:
    errors = np.array([abs(off(r, f1)) for r, f1, _ in (picked(k, 2.2, planes=False) for k in range(12))])
    assert np.median(errors) < 0.05 and errors.max() < 0.4


@pytest.mark.parametrize("noise", [0.0, 0.005])
def test_a_string_that_moves_in_two_planes_says_how_sure_its_end_is(noise: float) -> None:
    told = [picked(k, (0.5, 1.2, 2.5)[k % 3], noise) for k in range(12)]
    ratio = np.array([abs(off(r, f1)) / r.sigma_cents for r, f1, _ in told])
    assert np.mean(ratio < 1) >= 0.5 and max(ratio) < 4
    assert np.median([abs(off(r, f1)) for r, f1, _ in told]) < 0.25
    assert np.median([r.sigma_cents for r, _, _ in told[::3]]) > np.median(
        [r.sigma_cents for r, _, _ in told[2::3]]
    )


def test_the_attack_of_a_staccato_note_is_what_its_tension_made_it() -> None:
    told = [picked(k, 0.35, sharp=(5, 15)) for k in range(12)]
    errors = [
        abs(r.attack_cents - r.cents + off(r, f1) - attack)
        for r, f1, attack in told
        if r.attack_cents is not None
    ]
    assert len(errors) == 12 and np.median(errors) < 0.08 and max(errors) < 0.4


def test_what_each_partial_bends_itself_by_is_found_as_by_scipy() -> None:
    rng, t = np.random.default_rng(5), np.arange(80) * 0.02
    freqs, decay = 110.0 * np.arange(1, 6), np.array([0.5, 0.8, 1.5, 2.5, 4.0])
    power = np.exp(-2 * decay[:, None] * t) * np.array([[1.0], [0.5], [0.25], [0.1], [0.1]])
    every = glide_energy.energies(t, power, np.ones((5, 80), bool), 0.02)
    sizes = np.array([0.003, 0.0, 0.001, 0.0005, 0.0, 0.0, 0.0])
    courses = every[:, 1:] * (1 - np.exp(-t / every[:, 1:]))
    own = 1 + 0.5 * np.eye(5, 7)
    phase = 2 * np.pi * freqs[:, None] * ((own * sizes) @ courses) + rng.normal(0, 1e-4, (5, 80))

    def straight(rows):
        lines = np.polynomial.polynomial.polyfit(t, rows.T, 1)
        return (rows - np.polynomial.polynomial.polyval(t, lines)).ravel()

    columns = [straight(2 * np.pi * np.outer(freqs * own[:, k], courses[k])) for k in range(7)]
    best, _ = scipy.optimize.nnls(np.array(columns).T, straight(phase))
    level = glide_two_times.levelled(t, phase, np.full((5, 80), 1e8))
    found = glide_energy.fit_energy_glide(t, power, np.ones((5, 80), bool), level, freqs, 1.0, 0.5)
    assert found[:5, 0] == pytest.approx(sizes[:5], abs=2e-4) and best[:5] == pytest.approx(
        found[:5, 0], abs=2e-4
    )
    rest = glide_energy.without_energy_glide(t, phase, found, freqs, 0.5)
    common = 2 * np.pi * np.outer(freqs, found[:, 0] @ courses)
    assert np.abs(straight(rest - common)).max() < 1e-3
