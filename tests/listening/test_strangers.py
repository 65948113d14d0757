"""Partials that are another's, among those of a string: steady tones of a band where a string's own glide."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import strange, waveguide
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.f0.phase_lines import fit_phase_lines
from juxtatune.core.listening.partials.demodulate import partial_hz
from juxtatune.core.listening.pipeline import analyse

T, F1, STRETCH, N = np.arange(60) * 0.03, 110.0, 6e-5, np.arange(1, 13)


def heard(strangers=(), cents=0.0, glide=12.0, tau=0.2, scatter=0.0):
    """Δf1/f1 and its 1σ in cents of twelve partials that glide as one, but for `strangers`, which are steady and lie
    `cents` off; each by itself off by `scatter`."""
    rng = np.random.default_rng(3)
    other = np.isin(N, strangers)
    away = np.where(other, cents, scatter * rng.normal(0, 1, len(N)))
    hz = partial_hz(F1, STRETCH, N)
    bent = np.where(other, 0.0, glide / CENTS)[:, None] * tau * (1 - np.exp(-T / tau))
    turns = hz[:, None] * (away[:, None] / CENTS * T + bent)
    z = np.exp(-T + 2j * np.pi * turns + 2j * np.pi * rng.uniform(size=(len(N), 1)))
    z += 1e-3 * (rng.normal(size=z.shape) + 1j * rng.normal(size=z.shape))
    told = fit_phase_lines(z, np.full(len(N), 2e-6), N, hz, T, 1.0, STRETCH, True)
    assert told is not None
    return told.pitch.relative_shift * CENTS, told.pitch.sigma * CENTS


@settings(deadline=None, max_examples=40)
@given(st.sets(st.sampled_from(N.tolist()), max_size=3), st.floats(10, 30), st.booleans())
def test_a_few_partials_of_another_move_no_pitch(strangers, cents, flat) -> None:
    error, sigma = heard(tuple(strangers), -cents if flat else cents)
    assert abs(error) < 0.1 and sigma < 0.3


def test_partials_that_are_mostly_anothers_are_no_clear_pitch() -> None:
    assert heard(tuple(N[::2]), 25.0)[1] > 1
    assert heard(scatter=10.0)[1] > 1


def test_what_a_real_guitars_partials_are_off_by_themselves_is_not_anothers() -> None:
    errors, sigmas = zip(*(heard(scatter=s) for s in (0.8, 1.2, 1.6)), strict=True)
    assert all(abs(e) < 2.5 * s for e, s in zip(errors, sigmas, strict=True)) and min(sigmas) > 0.1


@pytest.mark.parametrize(("seed", "at"), [(0, 3.43), (41, 12.61), (48, 8.84), (124, 7.68), (198, 12.34)])
def test_a_string_beside_a_band_that_plays_its_notes(seed, at) -> None:
    sound = strange.KINDS["a band"](np.random.default_rng([seed, sum(map(ord, "s:a band"))]))
    truth = min(sound.plucks, key=lambda p: abs(p.start - at))
    found = analyse(sound.samples, sound.rate, sound.targets)
    reading = min((r for r in found if r.f1), key=lambda r: abs(r.start - truth.start))
    error = 1200 * np.log2(reading.f1 / truth.f1)
    assert abs(error) < 0.3 and abs(error) < 2 * reading.sigma_cents


def test_few_partials_that_glide_further_than_any_string_are_not_believed() -> None:
    kind = "hum in a hall"
    sound = waveguide.KINDS[kind](np.random.default_rng([6, sum(map(ord, kind))]))
    found = [r for r in analyse(sound.samples, sound.rate, sound.targets) if r.f1]
    for truth in sound.plucks:
        reading = min(found, key=lambda r: abs(r.start - truth.start))
        assert abs(1200 * np.log2(reading.f1 / truth.f1)) < 1
