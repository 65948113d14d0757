"""Listening beside librosa and Praat, which are heard in this file alone: librosa compiles itself for a minute."""

from __future__ import annotations

import librosa
import numpy as np
import parselmouth
import pytest
from benchmarks import sampled
from benchmarks import sounds as room

from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off, one_string, sampled_guitar

RATE = 48000
CENTS = 1200 / np.log(2)
ANY = Targets()


@pytest.mark.parametrize("pitch", [23, 28, 33, 40, 52, 64, 76])
def test_from_low_bass_to_high_strings(pitch) -> None:
    # YIN (de Cheveigné and Kawahara 2002) and Praat's autocorrelation (Boersma 1993) on the same stiff string
    samples, f1 = one_string(pitch, 17.0, stiff=1.5e-4)
    reading = analyse(samples, RATE, ANY)[0]
    middle = samples[int(0.6 * RATE) : int(1.8 * RATE)]
    found = librosa.yin(middle, fmin=f1 * 0.5, fmax=f1 * 2.0, sr=RATE, frame_length=8192)
    yin = abs(1200 * np.log2(np.median(found) / f1))
    praat = parselmouth.Sound(middle, RATE).to_pitch_ac(pitch_floor=f1 * 0.7, pitch_ceiling=f1 * 1.4)
    heard = praat.selected_array["frequency"]
    autocorrelation = abs(1200 * np.log2(np.median(heard[heard > 0]) / f1))
    assert abs(off(reading, f1)) < 0.2
    assert abs(off(reading, f1)) < min(yin, autocorrelation) + 0.05


@pytest.mark.parametrize("note", [42, 55])
def test_sampled_guitars_are_read_where_long_windows_meet(tmp_path, note) -> None:
    # consensus of librosa's YIN, Praat, FFT peak and a partial fit over 1.5 s
    plain, rate = sampled_guitar(tmp_path, note)
    sound = np.concatenate([np.zeros(rate // 2), plain])
    reading = analyse(sound, rate, Targets(parse_tuning("standard")))[0]
    assert abs(1200 * np.log2(reading.f1 / sampled.consensus(plain, rate, room.hz(note)))) < 1.0


def real_string(r: np.random.Generator, f1: float) -> np.ndarray:
    """Two seconds of partials that lie some cents off any line, as those of sampled guitars do."""
    t = np.arange(2 * RATE) / RATE
    x = 1e-5 * r.normal(0, 1, len(t))
    for n in range(1, 15):
        hz = n * f1 * np.sqrt(1 + 6e-5 * n * n) * np.exp(r.normal(0, 2.5) / CENTS)
        level = r.uniform(0.3, 1) / n
        x += level * np.exp(-t * (0.6 + 0.15 * n)) * np.sin(2 * np.pi * hz * t + r.uniform(0, 6))
    return 0.2 * np.concatenate([np.zeros(RATE // 4), x, np.zeros(RATE // 4)])


def test_where_partials_disagree_the_reading_is_near_what_general_methods_agree_on() -> None:
    r = np.random.default_rng(11)
    ours, first = [], []
    for f1 in r.uniform(80, 330, 12):
        x = real_string(r, f1)
        methods = sampled.long_window(x[RATE // 4 :], RATE, f1)
        agreed = np.median(list(methods.values()))
        (reading,) = analyse(x, RATE, ANY)
        ours.append(abs(CENTS * np.log(reading.f1 / agreed)))
        first.append(abs(CENTS * np.log(methods["first partial"] / agreed)))
    assert np.median(ours) < min(0.9, 0.5 * np.median(first))
