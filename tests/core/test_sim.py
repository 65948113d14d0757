"""The simulated guitar against the physics it claims."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.sim.bridge import Bridge
from juxtatune.core.sim.guitar import Room, SimulatedGuitar
from juxtatune.core.sim.synthesis import PARTIALS, is_spent, pluck, render

QUIET = Room(noise=0.0, hum=0.0)


def sound(guitar, seconds):
    guitar.start()
    return np.concatenate([guitar.read(0.0).samples for _ in range(int(seconds / 0.02))])


def spectrum_peak(x, near, rate=48000, width=6.0):
    """Frequency of the strongest peak within some Hz, by a long zero-padded FFT."""
    size = 1 << 20
    power = np.abs(np.fft.rfft(x * np.hanning(len(x)), size))
    low, high = int((near - width) / rate * size), int((near + width) / rate * size)
    return (low + int(np.argmax(power[low:high]))) * rate / size


def test_partials_are_stretched_as_fletcher_says() -> None:
    # f_n = n f0 √(1 + B n²), Fletcher (1964); f1 = f0 √(1 + B)
    rng = np.random.default_rng(1)
    voice = pluck(rng, 110.0, 2e-4, 48000)
    voice.glide_cents = 0.0
    x = render(voice, np.zeros(96000), 110.0, 48000)
    f0 = 110.0 / np.sqrt(1 + 2e-4)
    for n in (1, 3, 8):
        assert spectrum_peak(x, n * f0 * np.sqrt(1 + 2e-4 * n * n)) == pytest.approx(
            n * f0 * np.sqrt(1 + 2e-4 * n * n), abs=0.15
        )


def test_blocks_join_without_a_seam() -> None:
    whole = pluck(np.random.default_rng(2), 82.4, 5e-5, 48000)
    parts = pluck(np.random.default_rng(2), 82.4, 5e-5, 48000)
    once = render(whole, np.zeros(9600), 82.4, 48000)
    pieces = np.concatenate([render(parts, np.zeros(960), 82.4, 48000) for _ in range(10)])
    assert np.allclose(once, pieces, atol=1e-8)


def test_a_pluck_dies_away_and_partials_above_the_band_are_silent() -> None:
    voice = pluck(np.random.default_rng(3), 1000.0, 1e-4, 8000)
    assert len(voice.amplitude) == PARTIALS and voice.amplitude[-1] == 0
    assert not is_spent(voice)
    for _ in range(40):
        render(voice, np.zeros(8000), 1000.0, 8000)
    assert is_spent(voice)


def test_only_noise_and_hum_before_a_pluck() -> None:
    guitar = SimulatedGuitar(parse_tuning("standard"), room=QUIET)
    assert not np.any(sound(guitar, 0.2))
    noisy = sound(SimulatedGuitar(parse_tuning("standard"), room=Room(0.0, 0.1, 60.0)), 2.0)
    assert spectrum_peak(noisy, 60.0) == pytest.approx(60.0, abs=0.05)


def test_a_peg_turns_a_string_and_hardly_moves_the_others() -> None:
    guitar = SimulatedGuitar(parse_tuning("standard"), room=QUIET)
    guitar.turn(6, 50.0)
    sound(guitar, 1.0)
    assert guitar.pitch(6) == pytest.approx(40.5, abs=0.005)
    assert 0 < 45.0 - guitar.pitch(5) < 0.01


def test_slack_slips_flat_after_loosening_and_not_after_tightening() -> None:
    loosened, tightened = (SimulatedGuitar(parse_tuning("standard"), room=QUIET) for _ in range(2))
    loosened.turn(4, -50.0)
    tightened.turn(4, -62.0)
    tightened.turn(4, 12.0)
    for guitar in (loosened, tightened):
        sound(guitar, 1.0)
        guitar.pluck(4)
        sound(guitar, 6.0)
    assert -0.5 - 0.065 < loosened.pitch(4) - 50.0 < -0.5 - 0.02
    assert tightened.pitch(4) - 50.0 == pytest.approx(-0.5, abs=0.005)


def test_damping_ends_all_strings_and_a_strum_sounds_them_all() -> None:
    guitar = SimulatedGuitar(parse_tuning("standard"), room=QUIET)
    guitar.strum()
    assert np.max(np.abs(sound(guitar, 0.3))) > 0.1
    guitar.damp()
    sound(guitar, 1.0)
    assert np.max(np.abs(sound(guitar, 0.2))) < 1e-4


def test_a_stopped_guitar_gives_nothing() -> None:
    guitar = SimulatedGuitar(parse_tuning("standard"))
    assert guitar.read(0.0) is None
    guitar.start()
    guitar.stop()
    assert guitar.read(0.0) is None


@given(st.integers(0, 5), st.floats(-300, 150), st.integers(0, 50))
def test_a_bridge_gives_and_comes_back(at, cents, seed) -> None:
    """Loosening one string sharpens the others, a floating bridge most (common practice, no source)."""
    shifts = {}
    for kind in ("fixed", "dive-only", "floating"):
        bridge = Bridge(parse_tuning("standard"), kind, np.random.default_rng(seed))
        assert np.allclose(bridge.cents, 0, atol=1e-6)
        bridge.turn(at, cents)
        assert abs(bridge.cents[at] - cents) < 0.01
        shifts[kind] = others = np.delete(bridge.cents, at)
        if abs(cents) > 1:
            assert np.all(np.sign(others) == -np.sign(cents))
        bridge.turn(at, 0.0)
        assert np.allclose(bridge.cents, 0, atol=0.05)
        bridge.stand_at(np.array([5.0, -100, 0, 3, -7, 40]))
        assert np.allclose(bridge.cents, [5.0, -100, 0, 3, -7, 40], atol=0.01)
    assert np.all(np.abs(shifts["floating"]) >= np.abs(shifts["fixed"]) - 1e-6)
