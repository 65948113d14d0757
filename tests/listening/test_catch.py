"""A strum is caught whole out of a running sound."""

from __future__ import annotations

import numpy as np
import pytest

from juxtatune.core.listening.live.strum_trigger import Ringing, StrumCatcher
from juxtatune.core.listening.source import Block

RATE = 8000


def blocks(x: np.ndarray, size: int = 160) -> list[Block]:
    return [Block(x[k : k + size], RATE, k) for k in range(0, len(x) - size + 1, size)]


def sound(quiet_s: float, noise: float, strum: float) -> np.ndarray:
    rng = np.random.default_rng(3)
    t = np.arange(int(6 * RATE)) / RATE
    ring = np.where(t >= quiet_s, strum * np.exp(-(t - quiet_s)) * np.sin(2 * np.pi * 220 * t), 0.0)
    return ring + noise * rng.normal(size=len(t))


@pytest.mark.parametrize("noise", [0.0, 0.01])
def test_a_strum_is_caught_with_a_little_before_it(noise) -> None:
    catcher, x = StrumCatcher(), sound(1.5, noise, 0.3)
    caught = [c for b in blocks(x) if (c := catcher.feed(b)) is not None]
    samples, rate = caught[0]
    assert rate == RATE
    loud = np.flatnonzero(np.abs(samples) > 0.1)[0] / RATE
    assert 0.4 < loud < 0.6
    assert len(samples) / RATE - loud == pytest.approx(3.2, abs=0.1)


def test_noise_alone_is_no_strum_and_patience_ends() -> None:
    catcher = StrumCatcher()
    x = 0.02 * np.random.default_rng(1).normal(size=14 * RATE)
    assert all(catcher.feed(b) is None for b in blocks(x))
    assert catcher.expired


def test_what_rings_on_is_told_from_silence_and_a_new_string() -> None:
    x = sound(0.0, 0.0, 0.3)
    ring = Ringing(x[:160])
    assert all(ring.goes_on(b) for b in blocks(x[160 : RATE // 2]))
    assert not ring.goes_on(Block(np.zeros(160), RATE, 0))
    ring = Ringing(x[:160])
    assert all(ring.goes_on(b) for b in blocks(x[160:RATE]))
    assert not ring.goes_on(Block(0.3 * np.sin(np.arange(160)), RATE, 0))
