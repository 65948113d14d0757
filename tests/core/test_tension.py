"""Tension against the formulas of the acoustics literature, worked out apart from the product."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.book.formats.guitar import parse_guitar
from juxtatune.core.errors import UserError
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.strings.intonation import saddle_mm
from juxtatune.core.strings.tension import Gauge, breaking_mpa, tensions

STANDARD = parse_tuning("standard")


def test_plain_steel_follows_mersenne() -> None:
    """T = μ (2 L f)² with μ = ρ π d²/4, ρ = 7,850 kg/m³: the 1st string, 0.254 mm at 648 mm, E4 = 329.628 Hz (ISO 16)."""
    gauges = [Gauge(d, d > 0.5) for d in (1.17, 0.91, 0.66, 0.43, 0.33, 0.254)]
    found = tensions(STANDARD, STANDARD, [648] * 6, gauges)
    by_hand = 7850 * math.pi * 0.000254**2 / 4 * (2 * 0.648 * 329.6275569) ** 2
    first = found.strings[-1]
    assert first.newtons == pytest.approx(by_hand, rel=1e-6) and first.ratio == 1.0
    assert first.stress_mpa == pytest.approx(by_hand / (math.pi * 0.254**2 / 4), rel=1e-6)
    assert first.strength_share == pytest.approx(first.stress_mpa / breaking_mpa(0.254)) and found.total_ratio == 1.0
    assert found.strings[0].stress_mpa is None and found.warnings == ()


def test_tension_goes_with_the_square_of_the_frequency_and_needs_no_gauge() -> None:
    found = tensions(parse_tuning("doubled low G"), STANDARD, [648] * 6, None)
    assert found.strings[0].ratio == pytest.approx(1.414, abs=5e-4)  # three half steps up
    assert tensions(parse_tuning("B standard"), STANDARD, [648] * 6, None).strings[0].ratio == pytest.approx(0.561, abs=5e-4)
    assert found.strings[0].newtons is None and found.total_newtons is None
    assert "may break" in found.warnings[0] and "string 6" in found.warnings[0]
    low = tensions(parse_tuning("B standard"), STANDARD, [648] * 6, None).warnings
    assert any("neck and bridge" in w for w in low) and any("slacker" in w for w in low)


def test_the_gauge_that_gives_the_old_feel_carries_the_old_tension() -> None:
    gauges = [Gauge(0.43)] * 6
    down = tensions(parse_tuning("whole step down"), STANDARD, [648] * 6, gauges)
    again = tensions(parse_tuning("whole step down"), STANDARD, [648] * 6, [Gauge(r.same_feel_mm) for r in down.strings])
    home = tensions(STANDARD, STANDARD, [648] * 6, gauges)
    assert [r.newtons for r in again.strings] == pytest.approx([r.newtons for r in home.strings], rel=1e-9)


@pytest.mark.parametrize(
    ("text", "word"),
    [('{"strings": 6, "gauges": [{"mm": 1}]}', "gauges"), ('{"scale_mm": -1}', "scale_mm"), ('{"bridge": "odd"}', "floating"),
     ("[]", "object"), ("{", "line 1"), ('{"strings": 6, "tuning": "bass"}', "tuning"), ('{"scale_mm": NaN}', "NaN")],
)  # fmt: skip
def test_guitars_that_cannot_be_used(text, word) -> None:
    with pytest.raises(UserError) as caught:
        parse_guitar(text)
    assert word in caught.value.message()


@given(st.floats(-30, 30), st.sampled_from([628.0, 648.0, 686.0, 864.0]))
def test_a_saddle_moved_as_told_brings_the_fretted_note_to_the_harmonic(error, scale) -> None:
    """A string of length L + x, tuned to its note again, stopped where half of the first length was (the law of strings)."""
    x = saddle_mm(error, scale)
    fretted = error - 1200 * math.log2((scale / 2 + x) / (scale / 2))  # it falls as the part behind the fret grows
    retuned = fretted + 1200 * math.log2((scale + x) / scale)  # and rises as the open string is brought up again
    assert abs(retuned) < 0.05 + abs(error) ** 2 / 800
