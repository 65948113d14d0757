"""Practice on screen: by ear against a known listener, on the bench; scores are kept apart from the gigs."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt

from juxtatune.app.drills import RATE, CentsDrill, EarDrill, NameDrill
from juxtatune.app.practice import FLOATING
from juxtatune.core.listening.live.ear import beat
from juxtatune.core.listening.source import Signal
from juxtatune.core.logbook.staircase import Staircase, answered
from juxtatune.qt.views.practice.view import PracticeView

KEY = Qt.Key


@pytest.fixture
def practice(window, monkeypatch) -> PracticeView:
    """The view, with a sound output that keeps what it was given."""
    heard: list[np.ndarray] = []
    monkeypatch.setattr("juxtatune.qt.views.practice.view.sound_out.play", lambda x, rate: heard.append(x))
    window.show_view("Practice")
    view = window.views["Practice"]
    view.heard = heard
    return view


def choose(view: PracticeView, name: str) -> None:
    view.drills.setCurrentRow(view._names.index(name))


@pytest.mark.parametrize("told", [2.0, 5.0, 15.0])
def test_a_staircase_finds_what_a_listener_tells(told: float) -> None:
    """A listener by the usual psychometric function, right in 75 % of pairs `told` cents apart; 2-down 1-up settles at
    70.7 % (Levitt 1971)."""
    found = []
    for seed in range(40):
        rng, s = np.random.default_rng(seed), Staircase()
        while not s.done:
            chance = 1 - 0.5 * np.exp(-np.log(2) * (s.cents / told) ** 1.5)
            s = answered(s, bool(rng.random() < chance))
        found.append(s.threshold)
    assert 0.6 * told < float(np.median(found)) < 1.3 * told


@given(st.lists(st.booleans(), max_size=80))
def test_a_staircase_goes_down_after_two_right_answers_and_up_after_one_wrong(answers) -> None:
    s = Staircase()
    for a in answers:
        before, s = s, answered(s, a)
        if not a:
            assert s.cents >= before.cents
        elif before.right:
            assert s.cents <= before.cents
        else:
            assert s.cents == before.cents
    assert 0.5 <= s.cents <= 100 and s.asked == len(answers)


def test_higher_or_lower_is_asked_until_the_threshold_is_known(qtbot, window, practice) -> None:
    choose(practice, "cents")
    qtbot.keyClick(practice.drills, KEY.Key_Escape)
    practice.begin()
    drill = practice.drill
    assert isinstance(drill, CentsDrill) and practice.answers["Higher"].isVisible()
    qtbot.waitUntil(lambda: len(practice.heard) > 0, timeout=60000)
    first = drill.staircase.cents
    qtbot.keyClick(practice, KEY.Key_Up if drill.sign > 0 else KEY.Key_Down)
    assert f"Right: it was {first:.1f} ¢" in practice.said.text()
    for k in range(200):
        if practice.drill is None:
            break
        right = drill.staircase.cents > 6.0 or k % 2 == 0  # tells what is more than six cents apart
        qtbot.keyClick(practice, KEY.Key_Up if (drill.sign > 0) is right else KEY.Key_Down)
    assert practice.drill is None and "seven times in ten" in practice.said.text()
    window.session.flush(5.0)
    score = window.session.book.last_log("practice")[1]
    assert score["drill"] == "cents" and 2 < score["value"] < 9
    assert "Best" in practice.scores.text()


def test_a_tuning_is_named_from_its_strum(qtbot, window, practice) -> None:
    choose(practice, "names")
    practice.begin()
    drill = practice.drill
    assert isinstance(drill, NameDrill) and len(practice.choices.text().splitlines()) == 4
    for k in range(10):
        right = drill._answer if k < 7 else (drill._answer + 1) % 4
        qtbot.keyClick(practice, KEY.Key_1 + right)
    assert "7 of 10 right" in practice.said.text()


def test_beats_are_tuned_out_by_ear(qtbot, window, practice) -> None:
    choose(practice, "ear")
    practice.begin()
    drill = practice.drill
    assert isinstance(drill, EarDrill)
    for _ in range(3):
        qtbot.wait(5)
        heard = drill.sound()[RATE // 5 :]
        hz = 440 * 2 ** ((drill._pitch + 12 * drill.octave - 69) / 12)
        found = beat(Signal(heard[:: RATE // 12000], 12000), hz)  # the listener of the product tells what there is to hear
        assert found is not None and abs(found.rate) == pytest.approx(hz * abs(2 ** (drill.cents / 1200) - 1), rel=0.15, abs=0.2)
        while abs(drill.cents) > 1.1:
            qtbot.keyClick(practice, KEY.Key_Left if drill.cents > 0 else KEY.Key_Right)
        qtbot.keyClick(practice, KEY.Key_Return)
    assert "off on average" in practice.said.text()


@pytest.mark.parametrize("drill", ["clock", "floating"])
def test_drills_on_the_bench_change_no_guitar_and_teach_nothing(qtbot, window, practice, drill) -> None:
    before, log = window.session.state, len(window.session.book.log())
    choose(practice, drill)
    qtbot.keyClick(practice, KEY.Key_Return)
    assert window.view_name() == "Tune" and window.tune.job.practice == drill
    run, tune = window.tune.run, window.tune
    assert (run.instrument == FLOATING) is (drill == "floating") and run.procedure.moving
    tune.stop()
    tune.guitar.detune([100 * (run.target.pitch(s) - run.source.pitch(s)) for s in run.target.strings])
    for _ in range(2 * len(run.target.strings)):
        tune.take()
    tune._paint_if_new()
    assert window.view_name() == "Practice" and "Practice:" in window.notice.text()
    window.session.flush(5.0)
    kinds = [kind for _, kind, _ in window.session.book.log()[log:]]
    assert kinds == ["practice"] and window.session.state == before
