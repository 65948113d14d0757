"""Sounds that nobody tunes by: whatever is said of them is a number, and possible."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.listening.f0.estimate import fit_pluck
from juxtatune.core.listening.f0.glide_select import AudiblePartials, select_glide
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

RATE = 12000
T = np.arange(int(1.5 * RATE)) / RATE
PARTS = st.tuples(
    st.sampled_from(["sine", "sweep", "trill", "string", "noise", "switched"]),
    st.floats(30, 900),
    st.floats(0, 20),
    st.floats(0.01, 1),
    st.floats(0, 1.2),
)


def part(kind, hz, fall, level, start, noise):
    u = np.maximum(T - start, 0.0)
    turns = {
        "sweep": hz * u * (1 + u),
        "trill": hz * u + 3 * np.sin(2 * np.pi * 6 * u),
    }.get(kind, hz * u)
    made = sum(np.sin(2 * np.pi * n * turns + n) / n for n in range(1, 9 if kind == "string" else 2))
    if kind == "noise":
        made = noise
    if kind == "switched":
        made = made * (np.sin(2 * np.pi * 9 * u) > 0)
    return level * made * np.exp(-fall * u) * (start <= T)


@settings(max_examples=25, deadline=None)
@given(st.lists(PARTS, min_size=1, max_size=6), st.sampled_from([None, "standard", "bass"]))
def test_whatever_sounds_gets_readings_that_can_be(parts, tuning) -> None:
    noise = np.random.default_rng(len(parts)).normal(size=len(T))
    x = sum(part(*p, noise) for p in parts)
    for r in analyse(x, RATE, Targets(parse_tuning(tuning) if tuning else None)):
        assert 0 <= r.start < r.end and 0 <= r.confidence <= 1
        if r.f1 is not None and r.cents is not None and r.sigma_cents is not None:
            assert np.isfinite([r.f1, r.cents, r.sigma_cents]).all() and r.sigma_cents >= 0
            assert r.attack_cents is None or abs(r.attack_cents - r.cents) < 150


def test_what_lies_where_no_partial_does_is_none_of_the_string_s() -> None:
    # the second partial is missing, and another tone is heard in its place, a half step and more below
    x = sum(np.sin(2 * np.pi * 125 * n * T) / n for n in (1, 3, 4, 5)) + np.sin(2 * np.pi * 236 * T)
    fit = fit_pluck(Signal(x, RATE), 0.0, 1.4, 125.0, 0.0)
    assert fit is not None and abs(1200 * np.log2(fit.f1 / 125)) < 0.5
    assert list(fit.numbers) == [1, 3, 4, 5]


def test_what_falls_by_more_than_a_semitone_is_no_glide() -> None:
    t, hz = 0.005 * np.arange(60), np.array([30.0, 60.0])
    still = np.ones((2, 60))
    for size, told in ((0.02, True), (0.2, False)):
        angle = 2 * np.pi * hz[:, None] * size * 0.05 * (1 - np.exp(-t / 0.05))
        n = np.arange(1, 3)
        heard = AudiblePartials(n - 1, n, hz, np.ones(2), still, still > 0, 1e4 * still, angle, t, 1.0)
        parts = select_glide(heard, True).parts
        assert (abs(parts[:, 0].sum() - size) < 0.002) if told else parts[:, 0].sum() == 0
