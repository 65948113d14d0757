"""Takes of one or two plucks: there is little to hold a sound against, and some begin while a string rings."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import listening, strange

from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning
from tests.listening.sounds import off

STANDARD = listening.STANDARD


def cut(sound, first, begin, count=1):
    """(samples, plucks) of `count` plucks from the given one on, begun so many s after its onset."""
    plucks = sound.plucks[first : first + count]
    end = plucks[-1].end + 0.1
    if first + count < len(sound.plucks):
        end = min(end, sound.plucks[first + count].start - 0.01)
    return sound.samples[int((plucks[0].start + begin) * sound.rate) : int(end * sound.rate)], plucks


@pytest.mark.parametrize(
    ("seed", "pluck"), [(9100, 3), (9100, 4), (9100, 5), (9102, 0), (9102, 3), (9103, 4), (9104, 1)]
)
def test_one_pluck_beside_a_band_is_one_pluck(seed, pluck) -> None:
    sound = listening.KINDS["stage bleed 10 dB"](np.random.default_rng(seed))
    samples, (truth,) = cut(sound, pluck, -0.2)
    (reading,) = analyse(samples, sound.rate, STANDARD)
    assert reading.string == truth.string and abs(off(reading, truth.f1)) < 0.2


@pytest.mark.parametrize(
    ("kind", "seed", "pluck"),
    [
        ("clipping", 9000, 0),
        ("clipping", 9003, 3),
        ("drums", 9000, 0),
        ("stage bleed 10 dB", 9000, 0),
        ("stage bleed 10 dB", 9003, 3),
        ("noise 0 dB", 9001, 2),
    ],
)
@pytest.mark.parametrize("late", [0.25, 0.6])
def test_a_take_may_begin_while_a_string_rings(kind, seed, pluck, late) -> None:
    sound = listening.KINDS[kind](np.random.default_rng(seed))
    samples, (truth,) = cut(sound, pluck, late)
    (reading,) = analyse(samples, sound.rate, STANDARD)
    assert reading.start == 0.0 and reading.attack_cents is None
    assert reading.string == truth.string and abs(off(reading, truth.f1)) < 0.2


@pytest.mark.parametrize(("kind", "seed", "pluck"), [("8 kHz", 702, 2), ("seven strings", 702, 0)])
def test_the_octave_in_an_attack_is_no_other_string(kind, seed, pluck) -> None:
    sound = strange.KINDS[kind](np.random.default_rng([seed, sum(map(ord, kind))]))
    samples, plucks = cut(sound, pluck, -0.18, count=2)
    assert [r.string for r in analyse(samples, sound.rate, sound.targets)] == [p.string for p in plucks]


def test_a_low_string_in_hum_is_heard_for_long_enough_to_keep_its_octave() -> None:
    sound = strange.KINDS["hum 50 Hz"](np.random.default_rng([703, sum(map(ord, "hum 50 Hz"))]))
    samples, (truth,) = cut(sound, 0, -0.18)
    (reading,) = analyse(samples, sound.rate, sound.targets)
    assert reading.string == 6 and abs(off(reading, truth.f1)) < 0.1


@pytest.mark.parametrize("seed", range(3))
def test_a_soft_string_far_below_a_loud_one_is_its_own_pluck(seed) -> None:
    sound = listening.run(np.random.default_rng(seed), strings=[6, 2])
    sound.samples[: int((sound.plucks[0].end + 0.05) * sound.rate)] *= 6.0
    for targets in (STANDARD, Targets()):
        found = analyse(sound.samples, sound.rate, targets)
        assert [round(off(r, p.f1)) for r, p in zip(found, sound.plucks, strict=True)] == [0, 0]


def of_bench(source, kind, seed):
    return source.KINDS[kind](np.random.default_rng([seed, sum(map(ord, kind))]))


def test_strings_that_all_lie_far_from_their_targets_are_one_players() -> None:
    kind = "far from target"
    sound = strange.KINDS[kind](np.random.default_rng([2007, sum(map(ord, "s:" + kind))]))
    found = analyse(sound.samples, sound.rate, sound.targets)
    assert len(found) == len(sound.plucks)
    assert all(abs(off(r, p.f1)) < 0.2 for r, p in zip(found, sound.plucks, strict=True))


def test_a_string_that_rings_all_along_at_a_harmonic_of_the_mains_is_no_hum() -> None:
    sound = of_bench(listening, "hard picked", 1)
    samples, (truth,) = cut(sound, 2, -0.18)
    assert abs(truth.f1 / 150 - 1) < 0.003
    (reading,) = analyse(samples, sound.rate, STANDARD)
    assert reading.start == pytest.approx(0.18, abs=0.01) and abs(off(reading, truth.f1)) < 0.05


@pytest.mark.parametrize(
    ("source", "kind", "seed", "pluck"), [(listening, "five-string bass", 2, 4), (strange, "bass", 1, 2)]
)
def test_a_take_may_begin_on_a_string_tuned_like_hum(source, kind, seed, pluck) -> None:
    sound = of_bench(source, kind, seed)
    tuned = getattr(sound, "targets", None) or Targets(parse_tuning(listening.TUNINGS[kind]))
    samples, (truth,) = cut(sound, pluck, 0.15)
    assert abs(truth.f1 / 100 - 1) < 0.006
    (reading,) = analyse(samples, sound.rate, tuned)
    assert reading.start == 0.0 and abs(off(reading, truth.f1)) < 0.1


def test_a_drum_does_not_make_a_string_of_a_partial() -> None:
    sound = of_bench(listening, "drums", 3)
    for pluck, string in ((1, 5), (2, 4)):
        samples, _ = cut(sound, pluck, -0.23 if pluck == 1 else -0.16)
        assert [r.string for r in analyse(samples, sound.rate, STANDARD)] == [string]
