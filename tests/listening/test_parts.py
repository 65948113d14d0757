"""The parts of listening on their own: peaks, tones, the robust regression, the place of a pitch."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.linalg
import scipy.ndimage
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.listening.assignment.nearest import place_pitch
from juxtatune.core.listening.dsp.peaks import Peaks, new_peaks, noise_floor
from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.resample import level_db
from juxtatune.core.listening.f0 import glide_biexp, glide_two_times, regression
from juxtatune.core.listening.f0.estimate import fit_pluck
from juxtatune.core.listening.onset import kernels as rise_kernels
from juxtatune.core.listening.onset.flux import onsets
from juxtatune.core.listening.partials.demodulate import partial_hz
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.tone.twm import candidates, score_tone
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning

RATE = 12000.0


def tone_peaks(f1, numbers, stretch=5e-5, weights=None):
    n = np.array(numbers, float)
    weight = np.array(weights) if weights is not None else np.linspace(1, 0.5, len(n))
    return Peaks(partial_hz(f1, stretch, n), weight, 20 * weight, 3.3)


def test_the_floor_of_white_noise_is_its_mean() -> None:
    power = np.random.default_rng(1).exponential(2.0, 20000)
    assert np.median(noise_floor(power, 101, np.arange(20000))) == pytest.approx(2.0, rel=0.1)


@given(st.integers(3, 700), st.lists(st.floats(1.0, 5900.0), min_size=1, max_size=5), st.integers(0, 99))
def test_sound_held_against_a_frequency_is_its_fourier_sum(size, hz, seed) -> None:
    x = np.random.default_rng(seed).uniform(-1, 1, 2000)
    starts = np.array([0, 7, 2000 - size])
    middle = np.arange(size) - (size - 1) / 2
    sums = [
        [np.sum(x[s : s + size] * hann(size) * np.exp(-2j * np.pi * f / RATE * middle)) for f in hz]
        for s in starts
    ]
    assert np.abs(project(x, starts, hann(size), np.array(hz), RATE) - sums).max() < 2e-6


def test_a_stretch_beyond_the_sound_is_an_error() -> None:
    for start in (-1, 1301):
        with pytest.raises(IndexError, match="beyond a sound of 2000"):
            project(np.zeros(2000), np.array([start]), hann(700), np.array([100.0]), RATE)


def test_high_partials_are_unwrapped_about_the_glide_that_low_ones_foretell() -> None:
    t, hz = np.linspace(0, 1.5, 40), 110.0 * np.arange(1, 25)
    glide = 2 * np.pi * 0.012 * 0.05 * (1 - np.exp(-t / 0.05))  # 20 cents: high partials turn fast at first
    phase = np.outer(hz, glide)
    joined = glide_biexp.unwrapped(np.angle(np.exp(1j * phase)), t, np.ones_like(phase), hz, True)
    assert np.abs(np.unwrap(np.angle(np.exp(1j * phase)), axis=1) - phase).max() > 6  # NumPy's slips
    assert np.abs(joined - phase).max() < 1e-6


def test_lines_with_one_glide_are_least_squares() -> None:
    """Against SciPy's solver, for all lines and the glide together."""
    rng = np.random.default_rng(5)
    t, hz, tau = np.arange(50) * 0.02, 110.0 * np.arange(1, 7), 0.08
    phase, weight = rng.normal(size=(6, 50)), rng.uniform(0.1, 2, (6, 50))
    shape = 2 * np.pi * tau * (1 - np.exp(-t / tau))
    design = np.zeros((6, 50, 13))
    for j in range(6):
        design[j, :, 2 * j], design[j, :, 2 * j + 1], design[j, :, 12] = 1, t, hz[j] * shape
    root = np.sqrt(weight)
    found = scipy.linalg.lstsq((design * root[..., None]).reshape(300, 13), (phase * root).ravel())[0]
    _, slope, _, glide, offset, rest = glide_biexp.slopes(t, phase, weight, hz, glide_two_times.glide_basis(t, tau))
    assert np.allclose(np.stack([offset, slope], axis=1).ravel(), found[:12], rtol=1e-8, atol=1e-8)
    assert glide == pytest.approx(found[12], rel=1e-8)
    assert np.allclose(rest, phase - design @ found, atol=1e-8)


def test_a_rise_is_over_the_loudest_of_the_frames_before() -> None:
    """Against SciPy's moving maximum."""
    logs = np.random.default_rng(6).normal(0, 2, (60, 40)).astype(np.float32)
    loudest = scipy.ndimage.maximum_filter1d(logs, 2 * rise_kernels.AROUND + 1, axis=0, mode="nearest")
    db = 20 / np.log(10) * (logs[rise_kernels.LAG :] - loudest[: -rise_kernels.LAG]) - rise_kernels.STEADY_DB
    expected = np.clip(db, 0, rise_kernels.MOST_DB).mean(axis=1)
    assert np.allclose(rise_kernels.rises(logs)[rise_kernels.LAG :], expected, atol=1e-5)
    assert not rise_kernels.rises(logs)[: rise_kernels.LAG].any()


def test_what_sounded_before_is_not_new() -> None:
    t = np.arange(4000) / RATE
    old, new = np.sin(2 * np.pi * 220 * t), np.sin(2 * np.pi * 330 * t)
    noise = 1e-3 * np.random.default_rng(2).normal(size=4000)
    peaks = new_peaks(old + new + noise, old + noise, RATE)
    strongest = peaks.hz[np.argmax(peaks.weight)]
    assert strongest == pytest.approx(330, abs=0.5)
    assert not np.any((np.abs(peaks.hz - 220) < 2) & (peaks.weight > 0.3))


@pytest.mark.parametrize(
    "numbers", [[1, 2, 3, 4, 5, 6], [2, 3, 4, 5, 6, 7], [1, 3, 5, 7], [1, 2, 4, 5, 7, 8]]
)
def test_the_fundamental_is_found_whatever_partials_are_missing(numbers) -> None:
    best = candidates(tone_peaks(98.0, numbers))[0]
    assert best.f1 == pytest.approx(98.0, rel=2e-3)


@given(st.floats(30, 1200), st.floats(0, 3e-4))
def test_a_full_tone_beats_its_octaves(f1, stretch) -> None:
    peaks = tone_peaks(f1, range(1, 9), stretch)
    scores = {ratio: score_tone(peaks, f1 * ratio) for ratio in (1.0, 2.0, 0.5)}
    assert scores[1.0] is not None and scores[1.0].score > 0.9
    assert all(s is None or s.score < scores[1.0].score for r, s in scores.items() if r != 1.0)


def test_the_robust_regression_is_least_squares_without_outliers_and_keeps_calm_with_one() -> None:
    # reference: numpy's least squares
    q = np.arange(8.0)
    clean = 0.002 + 1e-4 * q + 1e-6 * np.random.default_rng(3).normal(size=8)
    alike = np.ones(8)
    level, bend, sigma, *_ = regression.fit_line(q, clean, np.full(8, 1e-12), alike, np.ones(8), True, 1e-3)
    slope, base = np.polyfit(q, clean, 1)
    assert level == pytest.approx(base, abs=2e-6) and bend == pytest.approx(slope, abs=1e-6)
    spoilt = clean.copy()
    spoilt[5] += 0.01
    read = regression.fit_line(q, spoilt, np.full(8, 1e-12), alike, np.ones(8), True, 1e-3)[0]
    assert read == pytest.approx(base, abs=1e-5)
    assert sigma > 0


def test_the_faint_partials_are_believed_less_where_they_are_further_off_and_else_each_counts_alike() -> None:
    # reference: numpy's least squares
    rng, q, faint = np.random.default_rng(8), np.arange(12.0), np.geomspace(1, 1e4, 12)
    variance, off = np.full(12, 1e-14), np.zeros((2, 2, 200))
    for k in range(200):
        noise = rng.normal(size=12) * 1e-5
        for kind, scatter in enumerate((noise * np.sqrt(faint), noise)):
            off[kind, 0, k] = regression.fit_line(q, scatter, variance, faint, np.ones(12), True, 1e-3)[0]
            off[kind, 1, k] = np.polyfit(q, scatter, 1)[1]
    (unlike, plain), (alike, best) = np.sqrt(np.mean(off**2, axis=2))
    assert unlike < 0.5 * plain and alike < 1.3 * best


@given(st.integers(0, 11), st.floats(-3, 3))
def test_a_partial_fades_before_it_is_left_out(which, cents) -> None:
    rng, q, kept = np.random.default_rng(12), np.arange(12.0), np.arange(12) != which
    scatter, variance, faint = rng.normal(size=12) * 3e-4, np.full(12, 1e-10), np.geomspace(1, 1e4, 12)
    scatter[which] = cents * np.log(2) / 1200
    fading = np.where(kept, 1.0, 1e6)
    with_it = regression.fit_line(q, scatter, variance, faint, fading, True, 1e-3)[0]
    without = regression.fit_line(
        q[kept], scatter[kept], variance[kept], faint[kept], np.ones(11), True, 1e-3
    )[0]  # fmt: skip
    assert abs(with_it - without) < 1e-4


def test_where_partials_disagree_by_a_cent_the_loud_ones_are_the_pitch() -> None:
    # reference: numpy's least squares, in which all partials count alike
    rng, q, faint = np.random.default_rng(9), np.arange(12.0), np.geomspace(1, 1e4, 12)
    cent, variance, off = np.log(2) / 1200, np.full(12, 1e-14), []
    for _ in range(200):
        scatter = rng.normal(size=12) * cent
        scatter[:3] *= 0.1
        level, _, sigma, *_ = regression.fit_line(q, scatter, variance, faint, np.ones(12), True, 1e-3)
        off.append((level, np.polyfit(q, scatter, 1)[1], sigma))
    loud, plain, sigma = np.array(off).T
    assert np.std(loud) < 0.6 * np.std(plain)
    assert np.mean(np.abs(loud) < sigma) > 0.6


def test_where_a_real_guitars_partials_disagree_a_hair_moves_the_pitch_by_a_hair() -> None:
    # a B3 of a sampled guitar, as measured: cents off the stiff string's, 1σ, and dB below the loudest
    off = [-2.27, 0.16, 1.14, 2.55, 2.32, 2.16, 2.18, 0.37, -1.0, 2.4, 2.3, 2.42, 2.49, 2.55]
    sure = [0.04, 0.03, 0.03, 0.03, 0.03, 0.03, 0.03, 0.04, 0.07, 0.01, 0.02, 0.02, 0.08, 0.03]
    below = [0, 11, 12, 8, 19, 32, 37, 45, 34, 29, 35, 48, 63, 52]
    rng, n, cent = np.random.default_rng(1), np.arange(1.0, 15), np.log(2) / 1200
    levels = []
    for _ in range(200):
        moved = (np.array(off) + 0.05 * rng.normal(size=14)) * cent
        variance = (np.array(sure) * cent * rng.uniform(0.8, 1.25)) ** 2
        faint = 10 ** (np.array(below) / 10)
        joined = regression.fit_line((n * n - 1) / 2, moved, variance, faint, np.ones(14), True, 1e8)
        levels.append(joined[0] / cent)
    assert np.std(levels) < 2 * 0.05
    assert joined[4] > 0.8  # the scatter is the string's own


def test_the_fit_reads_f1_and_the_stretch_of_an_exact_string() -> None:
    t = np.arange(int(1.5 * RATE)) / RATE
    n = np.arange(1, 12)
    hz = partial_hz(110.0, 1.5e-4, n)
    x = sum(
        np.exp(-t * (0.8 + 0.1 * k)) / k * np.cos(2 * np.pi * f * t + k) for k, f in zip(n, hz, strict=True)
    )
    fit = fit_pluck(Signal(np.asarray(x), RATE), 0.0, 1.5, 110.0 * 2 ** (15 / 1200), 4e-5)
    assert fit is not None
    assert 1200 * np.log2(fit.f1 / 110.0) == pytest.approx(0.0, abs=0.01)
    assert fit.inharmonicity == pytest.approx(1.5e-4, rel=0.05)


def test_a_glide_is_taken_out_and_told() -> None:
    t = np.arange(int(1.2 * RATE)) / RATE
    cents = 10 * np.exp(-t / 0.09)
    phase = 2 * np.pi * np.cumsum(146.8 * 2 ** (cents / 1200)) / RATE
    x = sum(np.exp(-t * 1.2) / k * np.cos(k * phase) for k in range(1, 9))
    fit = fit_pluck(Signal(np.asarray(x), RATE), 0.0, 1.2, 147.0, 0.0)
    assert fit is not None
    assert 1200 * np.log2(fit.f1 / 146.8) == pytest.approx(0.0, abs=0.05)
    mean = 10 * 0.09 * (np.exp(-0.012 / 0.09) - np.exp(-0.112 / 0.09)) / 0.1
    assert fit.mean_glide_cents(0.012, 0.112) == pytest.approx(mean, abs=0.3)


def test_nothing_to_fit_gives_none() -> None:
    assert fit_pluck(Signal(np.zeros(6000), RATE), 0.0, 0.5, 110.0, 0.0) is None
    assert fit_pluck(Signal(np.ones(100), RATE), 0.0, 0.008, 110.0, 0.0) is None


def test_onsets_of_nothing() -> None:
    assert onsets(Signal(np.zeros(0), RATE)) == []
    assert onsets(Signal(np.zeros(24000), RATE)) == []


@given(st.integers(1, 6), st.floats(-340, 340), st.floats(-80, 80))
def test_a_pitch_goes_to_the_nearest_target_under_any_reference(string, cents, offset) -> None:
    tuning = parse_tuning("standard")
    targets = Targets(tuning, None, Reference(440.0, offset))
    pitch = tuning.pitch(string) + cents / 100
    place = place_pitch(pitch, targets)
    assert place.string is not None
    assert abs(pitch - tuning.pitch(place.string)) == min(abs(pitch - p) for p in tuning.pitches)


def test_a_pitch_half_way_between_strings_is_less_certain() -> None:
    targets = Targets(parse_tuning("standard"))
    assert place_pitch(42.4, targets).certainty < place_pitch(40.1, targets).certainty
    assert place_pitch(30.0, targets).string is None


def test_levels() -> None:
    assert level_db(np.zeros(0)) == level_db(np.zeros(10)) == -120.0
    assert level_db(np.ones(10)) == pytest.approx(0.0)
    assert level_db(np.full(10, 0.1)) == pytest.approx(-20.0)
