"""One retune: which strings move, what to hear them against, and when a string has landed."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.core.errors import UserError
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import tuning_of_pitches
from juxtatune.core.retuning import procedure
from juxtatune.core.retuning.beats import MEETING, beats
from juxtatune.core.retuning.change import change
from juxtatune.core.retuning.procedure import Status
from juxtatune.core.strings.string import usual_string
from tests.strategies import pitch_lists

SEMITONES = {"unison": 0, "octave above": 12, "octave below": -12, "fifth above": 7, "fifth below": -7}
SEMITONES |= {"fourth above": 5, "fourth below": -5}


def test_standard_to_open_d_moves_four_strings_and_leaves_two() -> None:
    # common practice, no source
    result = change(parse_tuning("standard"), parse_tuning("open D"))
    assert [c.string for c in result.strings] == [6, 3, 2, 1]
    assert [c.semitones for c in result.strings] == [-2, -1, -2, -2]
    assert result.stay == (5, 4)
    heard = [
        (c.reference.string, c.reference.fret, c.reference.interval) for c in result.strings if c.reference
    ]
    assert heard == [(4, 0, "octave below"), (4, 4, "unison"), (5, 0, "octave above"), (4, 0, "octave above")]


def test_the_doubled_string_is_heard_in_unison() -> None:
    result = change(parse_tuning("standard"), parse_tuning("doubled low G"))
    by_string = {c.string: c for c in result.strings}
    assert by_string[6].semitones == 3 and by_string[6].direction == "up"
    assert by_string[5].reference is not None and by_string[6].reference is not None


@given(pitch_lists, pitch_lists)
def test_every_reference_is_true(a, b) -> None:
    size = min(len(a), len(b))
    source, target = tuning_of_pitches(map(float, a[:size])), tuning_of_pitches(map(float, b[:size]))
    result = change(source, target)
    landed: set[int] = set()
    assert {c.string for c in result.strings} | set(result.stay) == set(target.strings)
    assert sorted(result.order) == sorted(c.string for c in result.strings)
    for c in (next(c for c in result.strings if c.string == s) for s in result.order):
        r = c.reference
        if r is not None:
            yet = r.string not in landed and r.string not in result.stay
            assert (r.landed, r.yet_to_move) == (r.string in landed, yet) and r.string != c.string
            fretted = (source if yet else target).pitch(r.string) + r.fret
            assert c.target.pitch - fretted == pytest.approx(SEMITONES[r.interval], abs=0.01)
            if r.beat_free_cents is not None:  # 3:2 and 4:3 against tempered fifths and fourths
                assert r.string in result.stay and abs(r.beat_free_cents) == pytest.approx(1200 * math.log2(1.5) - 700, abs=1e-3)
                assert (r.beat_free_cents > 0) is (r.interval in ("fifth above", "fourth below"))
        landed.add(c.string)


@pytest.mark.parametrize(
    ("target", "order", "first"),
    [  # common practice, no source
        ("whole step down", (6, 5, 4, 3, 2, 1), (4, 0, "octave below")),
        ("half step down", (6, 5, 4, 3, 2, 1), (4, 1, "octave below")),
        ("B standard", (6, 5, 4, 3, 2, 1), (5, 2, "octave below")), ("drop C", (5, 4, 3, 2, 1, 6), (3, 0, "octave below")),
    ],
)  # fmt: skip
def test_strings_not_yet_moved_are_references_and_the_order_uses_them(target, order, first) -> None:
    result = change(parse_tuning("standard"), parse_tuning(target))
    assert result.order == order
    r = next(c.reference for c in result.strings if c.string == order[0])
    assert (r.string, r.fret, r.interval) == first and r.yet_to_move
    if target == "drop C":
        last = result.strings[0].reference
        assert (last.string, last.interval, last.landed) == (4, "octave below", True)


def test_different_string_counts_are_refused() -> None:
    with pytest.raises(UserError):
        change(parse_tuning("standard"), parse_tuning("bass"))


def play(p, string, cents, seconds=1.2, start=0.0, level=-20.0, sigma=0.1):
    """Feeds steady readings of one string, after a pick."""
    p = procedure.hear(p, start, string, cents, sigma, -60.0)
    for k in range(1, int(seconds / 0.02)):
        p = procedure.hear(p, start + k * 0.02, string, cents, sigma, level)
    return p


def begun(target="drop D"):
    return procedure.begin(change(parse_tuning("standard"), parse_tuning(target)))


def test_a_string_lands_from_below_and_only_when_held() -> None:
    p = play(begun(), 6, 150.0)
    assert p.state(6).status is Status.TO_GO
    p = play(p, 6, -60.0, start=2)
    p = play(p, 6, -0.5, seconds=0.5, start=4)
    assert p.state(6).status is Status.TO_GO
    p = play(p, 6, -0.5, seconds=1.2, start=6)
    assert p.checking


def test_a_string_that_fell_in_from_above_is_not_yet_safe() -> None:
    p = play(begun(), 6, 120.0)
    p = play(p, 6, 0.5, start=2)
    assert p.state(6).status is Status.FROM_ABOVE
    assert "loosen" in procedure.advice(p, 6)


def test_an_unsure_reading_does_not_land_a_string() -> None:
    p = play(begun(), 6, -60.0)
    p = play(p, 6, 0.0, start=2, sigma=5.0)
    assert p.state(6).status is Status.TO_GO


def test_the_glide_of_a_fresh_pick_does_not_count_as_coming_from_above() -> None:
    p = play(begun(), 6, -60.0)
    p = procedure.hear(p, 3.0, 6, 0.0, 0.1, -60.0)
    for k in range(8):
        p = procedure.hear(p, 3.02 + k * 0.02, 6, 8.0 - k, 0.1, -20.0)
    p = play(p, 6, 0.2, start=3.2)
    assert p.state(6).rose


def test_every_string_is_checked_at_the_end_and_one_that_moved_is_said() -> None:
    p = play(begun(), 6, -60.0)
    p = play(p, 6, 0.0, start=2)
    assert p.checking and not p.done
    for k, string in enumerate((6, 5, 4, 3, 2)):
        p = play(p, string, 0.8, start=4 + 2 * k)
    p = play(p, 1, 6.0, start=16)
    assert p.state(1).status is Status.OFF and not p.done
    p = play(p, 1, -1.0, start=20)
    assert p.done


@pytest.mark.parametrize(
    ("cents", "sigma", "status"),
    [(1.0, 1.6, Status.CHECKED), (4.0, 1.6, Status.OFF), (1.0, 2.0, Status.STAYS)],
)
def test_a_strum_checks_strings_as_surely_as_a_real_guitars_pitch_is_defined(cents, sigma, status) -> None:
    p = procedure.hear_strum(procedure.check_all(begun()), 3, cents, sigma)
    assert p.state(3).status is status and p.state(3).sigma == sigma


def test_next_string_passes_over_what_has_landed() -> None:
    p = begun("open D")
    p = play(p, 6, -60.0)
    p = play(p, 6, 0.0, start=2)
    assert procedure.step(p, 1).active == 3
    assert procedure.step(procedure.select(p, 3), -1).active == 1


def test_raising_a_string_three_semitones_adds_41_percent_of_tension() -> None:
    # tension goes with the square of frequency: Fletcher and Rossing, The Physics of Musical Instruments (1998)
    string = usual_string(82.41)
    assert string.tension(82.41 * 2 ** (3 / 12)) / string.tension(82.41) == pytest.approx(2**0.5, rel=1e-9)


def test_stiffness_falls_as_tension_rises() -> None:
    # B = π³ E d⁴ / (64 T L²), Fletcher (1964)
    string = usual_string(329.63)
    assert string.inharmonicity(329.63) > string.inharmonicity(392.0) > 0
    assert 1e-6 < string.inharmonicity(329.63) < 5e-4


# -- the law of a retune, for whatever a hand does
GIVE = -0.05  # of a turn that goes to every other string


class Hand:
    """Turns strings and plays them; tells the procedure what is heard, and keeps the truth of every string."""

    def __init__(self, target: str) -> None:
        moves = change(parse_tuning("standard"), parse_tuning(target))
        self.p = procedure.begin(moves)
        self.truth = {s.string: s.start_cents for s in self.p.strings}
        self.heard: dict[int, list[tuple[float, float]]] = {s: [] for s in self.truth}
        self.t = 0.0

    def hear(self, string: int, level: float = -20.0) -> None:
        self.t += 0.05
        if level > -60:
            self.heard[string].append((self.t, self.truth[string]))
        self.p = procedure.hear(self.p, self.t, string, self.truth[string], 0.2, level)

    def turn(self, string: int, to: float, hold: float) -> None:
        self.hear(string, -80.0)
        for _ in range(8):
            self.hear(string)
        while abs(self.truth[string] - to) > 1e-9:
            step = max(-7.5, min(7.5, to - self.truth[string]))
            self.truth[string] += step
            others = {s: GIVE * step for s in self.truth if s != string}
            for s, by in others.items():
                self.truth[s] += by
            self.p = procedure.moved(self.p, others)
            self.hear(string)
        for _ in range(round(hold / 0.05)):
            self.hear(string)

    def came_from_below(self, string: int) -> bool:
        """Whether it was heard at least 5 cents below since it last stayed above what the check allows."""
        below, above = self.p.state(string).start_cents < 0, None
        for t, cents in self.heard[string]:
            above = (t if above is None else above) if cents > 3.0 else None
            if above is not None and t - above >= 0.35:
                below = False
            if cents <= -5.0:
                below = True
        return below


turns = st.lists(
    st.tuples(st.integers(1, 6), st.sampled_from([-60.0, -20.0, -1.0, 0.0, 0.5, 1.5, 3.5, 30.0]), st.sampled_from([0.2, 1.2])),
    max_size=14,
)


@given(st.sampled_from(["drop D", "half step down", "open G", "doubled low G"]), turns)
def test_no_string_is_safe_that_came_from_above_or_may_have_been_moved_since_it_was_read(target, done) -> None:
    hand = Hand(target)
    for string, to, hold in done:
        hand.turn(string, to, hold)
        for s in hand.p.strings:
            if s.status is Status.LANDED and not hand.p.checking and s.string in hand.p.moving:
                assert hand.came_from_below(s.string), (s.string, hand.heard[s.string][-40:])
            if s.status is Status.CHECKED:
                assert abs(hand.truth[s.string]) <= hand.p.rules.recheck + 0.05
    if hand.p.done:
        assert all(abs(c) <= hand.p.rules.recheck + 0.05 for c in hand.truth.values())


def test_a_string_taken_as_it_is_is_not_asked_for_again() -> None:
    p = procedure.begin(change(parse_tuning("standard"), parse_tuning("drop D")))
    p = procedure.take(p, 6)
    assert p.checking  # the only one that moves
    for string in (6, 5, 4, 3, 2):
        p = procedure.take(p, string)
    assert not p.done
    assert procedure.take(p, 1).done


@given(st.sampled_from(sorted(MEETING)), st.floats(60, 330), st.floats(-20, 20))
def test_beats_are_those_of_the_summed_sound(interval, hz, cents) -> None:
    """The envelope of two partials that meet, summed, against the formula (Helmholtz 1863)."""
    own, other = MEETING[interval]
    string = hz * other / own * 2 ** (cents / 1200)
    found = beats(interval, string, hz)
    assert found is not None and (found > 0) == (own * string > other * hz)
    if 0.5 < abs(found) < 12:
        t = np.arange(0, 20, 1 / 8000)
        both = np.exp(2j * np.pi * own * string * t) + np.exp(2j * np.pi * other * hz * t)
        spectrum = np.abs(np.fft.rfft(np.abs(both) ** 2 - 2))
        assert abs(np.argmax(spectrum) / 20 - abs(found)) <= 0.05
    assert beats("third above", string, hz) is None
