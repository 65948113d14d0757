"""Heard live, notes pass the stages that those of a file do."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks import listening, live, strange

from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning


def heard(sound, targets=listening.STANDARD):
    """(errors in cents, missed, too many, on a wrong string) of a sound that comes in blocks of 20 ms."""
    readings, _ = live.heard(sound, targets)
    rows, *counts = listening.matched(sound, readings)
    return [abs(row[0]) for row in rows], counts


@pytest.mark.parametrize("seed", [3, 5, 8])
def test_a_band_on_the_next_stage_plucks_no_string(seed) -> None:
    errors, counts = heard(listening.KINDS["stage bleed 10 dB"](np.random.default_rng(seed)))
    assert counts == [0, 0, 0] and max(errors) < 0.5


def test_strings_that_ring_on_do_not_pull_at_the_next_ones() -> None:
    sound = strange.KINDS["ring-over"](np.random.default_rng([0, sum(map(ord, "ring-over"))]))
    errors, counts = heard(sound, sound.targets)
    assert counts == [0, 0, 0] and max(errors) < 0.05  # up to 4.7 where they are taken for silent


def test_a_string_picked_again_and_again_is_read_each_time_once() -> None:
    sound = listening.KINDS["picked again"](np.random.default_rng(12))
    errors, counts = heard(sound)
    assert counts == [0, 0, 0] and max(errors) < 0.05


def test_what_is_heard_live_and_from_a_file_is_the_same() -> None:
    sound = listening.run(np.random.default_rng(21))
    targets = Targets(parse_tuning("standard"))
    whole = analyse(sound.samples, sound.rate, targets)
    readings, _ = live.heard(sound, targets)
    assert [r.string for r in readings] == [r.string for r in whole]
    assert [r.f1 for r in readings] == pytest.approx([r.f1 for r in whole], rel=2e-6)
    assert [r.start for r in readings] == pytest.approx([r.start for r in whole], abs=0.003)
