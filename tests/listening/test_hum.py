"""Mains hum is taken out, and nothing else is: sums of sines of known frequency, strings on and beside them."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import strange
from benchmarks.sounds import string_tone

from juxtatune.core.listening.dsp.peaks import Peaks
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.hum.track import without_hum
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.rejection.bleed import without_bleed
from juxtatune.core.listening.source import Block, Signal
from juxtatune.core.listening.tone.twm import Tone
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off, one_string

RATE = 12000.0


def hum(count, rate, base, drift=0.0, seed=0):
    """Seven harmonics of a phase whose frequency wanders by `drift` Hz to either side within ten seconds."""
    rng, t = np.random.default_rng(seed), np.arange(count) / rate
    phase = 2 * np.pi * (base * t + drift * 10 / (2 * np.pi) * np.sin(2 * np.pi * t / 10))
    return sum(0.02 / n * np.sin(n * phase + rng.uniform(0, 6.28)) for n in range(1, 8))


@pytest.mark.parametrize(("base", "drift"), [(50.03, 0.0), (60.0, 0.02), (59.9, 0.05)])
def test_hum_alone_is_taken_out_as_it_drifts(base, drift) -> None:
    x = hum(int(8 * RATE), RATE, base, drift) + np.random.default_rng(1).normal(0, 1e-4, int(8 * RATE))
    inner = slice(int(RATE), -int(RATE))
    assert np.std(without_hum(Signal(x, RATE)).x[inner]) < 0.05 * np.std(x[inner])


def test_a_sound_without_hum_is_left_as_it_is() -> None:
    noise = np.random.default_rng(2).normal(0, 0.01, int(5 * RATE))
    samples, _ = one_string(
        35, -48, rate=int(RATE), seconds=2.5, lead=1.5, tail=1.5
    )  # B1 tuned down to 60 Hz
    for x in (noise, samples, samples[: int(2 * RATE)]):
        assert without_hum(Signal(x, RATE)).x is x


@pytest.mark.parametrize(
    ("pitch", "f1", "base"), [(35, 60.4, 60.0), (35, 61.2, 60.02), (50, 149.8, 50.0), (59, 240.6, 60.0)]
)
def test_a_string_beside_the_hum_is_read_as_if_alone(pitch, f1, base) -> None:
    tone = 0.4 * string_tone(np.random.default_rng(3), f1, 48000, 2.5, 6e-5, 6.0, 0.08)
    x = np.concatenate([np.zeros(60000), tone, np.zeros(60000)])
    x += hum(len(x), 48000, base, 0.01)
    tuning = parse_tuning("B standard" if pitch == 35 else "standard")
    readings = analyse(x, 48000, Targets(tuning))
    assert len(readings) == 1 and abs(off(readings[0], f1)) < 0.05


@pytest.mark.parametrize(("tuning", "base"), [("G1 C2 G2 B2 D3 G3", 50), ("Bb1 F2 Bb2 D3 F3 Bb3", 60)])
@pytest.mark.parametrize("seed", [5, 6, 7, 9])
def test_hum_that_shows_again_where_a_string_near_it_ends_is_no_pluck(tuning, base, seed) -> None:
    rng = np.random.default_rng([seed, base])
    sound = strange.hum(rng, strange.run(rng, name=tuning), base)
    heard = analyse(sound.samples, sound.rate, sound.targets)
    assert [r.start for r in heard] == pytest.approx([p.start for p in sound.plucks], abs=0.1)


@pytest.mark.parametrize(
    ("pitch", "seconds", "beside", "level"), [(50, 1.0, 1.5, 0.1), (50, 1.0, 3.0, 0.2), (55, 0.8, 5.0, 0.2)]
)
def test_tones_beside_some_partials_do_not_bend_the_rest(pitch, seconds, beside, level) -> None:
    # all partials share one glide, which must not follow those that another sound beats with
    samples, f1 = one_string(pitch, 12, seconds=seconds, glide=15.0, tau=0.15)
    t = np.arange(len(samples)) / 48000
    fade = np.clip((0.4 + seconds - t) * 3, 0, 1) * (t > 0.4) * level / 4
    other = sum(fade * np.sin(2 * np.pi * (n * f1 + beside) * t) for n in (1, 3, 5, 6))
    (reading,) = analyse(samples + other, 48000, Targets(parse_tuning("standard")))
    assert abs(off(reading, f1)) < 0.03


def test_many_soft_notes_are_not_taken_for_the_loud_ones() -> None:
    def candidate(k, hz, db):
        peak = Peaks(np.array([hz]), np.ones(1), np.array([db]), 3.3)
        return Candidate(
            0.5 * k, Tone(hz, 0.0, 0.9, 10 ** (db / 10), peak, np.ones(1, int)), 0.0, 10 ** (db / 10), False
        )

    loud = [candidate(k, hz, -k) for k, hz in enumerate((82.4, 110.0, 146.8))]
    soft = [candidate(10 + k, 103.8 * 2 ** (k % 5 / 12), -24.0 - k % 4) for k in range(30)]
    assert without_bleed([*loud, *soft], Targets(parse_tuning("standard"))) == loud


def live(x, targets, take_noise_profile):
    """The first reading of a pluck after four seconds, heard block by block."""
    listener = Listener(targets)
    if take_noise_profile:
        listener.take_noise_profile()
    blocks = range(0, len(x) - 960, 960)
    settled = [r for k in blocks for r in listener.feed(Block(x[k : k + 960], 48000, k)).settled]
    return next(r for r in settled if abs(r.start - 4.0) < 0.1)


def test_a_noise_print_lets_live_listening_follow_the_hum() -> None:
    # the hum is as loud as the string and a tenth of a hertz below it: too near to be parted without the print
    tone = 0.1 * string_tone(np.random.default_rng(5), 60.4, 48000, 2.5, 6e-5, 6.0, 0.08)
    x = 4.0 * hum(int(7 * 48000), 48000, 60.3)
    x[4 * 48000 : 4 * 48000 + len(tone)] += tone
    targets = Targets(parse_tuning("B standard"))
    errors = [abs(off(live(x, targets, taken), 60.4)) for taken in (False, True)]
    assert errors[0] > 1.0 and errors[1] < 0.05
