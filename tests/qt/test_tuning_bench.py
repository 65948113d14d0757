"""The tuning bench on screen: three bridges, bends and beats, sweetened chords, a tolerance for each string."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt

from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.retuning.procedure import Status
from juxtatune.core.retuning.references import HeardAgainst
from juxtatune.qt.views.tune.ears import BeatCheck

KEY = Qt.Key


class OnScreen:
    """Plays with keys and turns by what the columns say; sound goes by faster than it would."""

    def __init__(self, qtbot, window, tuning: str) -> None:
        self.qtbot, self.window, self.tune = qtbot, window, window.tune
        window.tune_guitar("rook", parse_tuning(tuning))
        self.run, self.guitar = self.tune.run, self.tune.guitar
        self.tune.stop()
        self.guitar.start()
        self.listener, self.targets = Listener(self.run.targets), self.run.targets
        self.view = window.views["Tune"]

    def wait(self, seconds: float) -> None:
        for _ in range(round(seconds / 0.02)):
            wanted = self.tune.check.targets if self.tune.check is not None else self.run.targets
            if wanted is not self.targets:
                self.targets = wanted
                self.listener.retarget(wanted)
            heard = self.listener.feed(self.guitar.read(0.0))
            self.tune._heard(heard)
            if self.tune.check is not None:
                self.tune._ear_heard(self.tune.check.ear.hear(self.listener, heard))
        self.tune._paint_if_new()

    def key(self, key: Qt.Key) -> None:
        self.qtbot.keyClick(self.view, key)

    def column(self, string: int):
        return next(c for c in self.view.approach.columns() if c.string == string)

    def pick(self, string: int) -> float:
        self.guitar.damp()
        self.wait(0.3)
        for _ in self.run.procedure.strings:
            if self.run.procedure.active != string:
                self.key(KEY.Key_PageDown)
        if self.run.procedure.active != string:
            self.tune.select(string)
        self.key(KEY.Key_Space)
        self.wait(1.0)
        cents = self.column(string).cents
        assert cents is not None
        return cents

    def bring(self, string: int) -> None:
        """Below its line, then up, until it is filled."""
        away = self.pick(string)
        self.tune.turn(-60 - away)
        self.wait(abs(away + 60) / 150 + 0.8)
        for _ in range(8):
            self.tune.turn(-self.pick(string))
            self.wait(1.6)
            if self.column(string).form in ("landed", "checked"):
                return
        raise AssertionError(f"{string}: {self.run.procedure.state(string)}")

    def finish(self) -> None:
        """As long as something is left: sets what is to be set, checks the rest."""
        for _ in range(60):
            if self.run.procedure.done:
                return
            p = self.run.procedure
            left = [s for s in p.moving if p.state(s).status is not Status.LANDED]
            if not p.checking and left:
                self.bring(left[0])
                continue
            wanting = [s for s in p.strings if p.plays(s.string) and s.status is not Status.CHECKED]
            string = min(wanting, key=lambda s: s.status is Status.OFF).string
            # on a floating bridge what is off is a pass of its own, once all are read
            if abs(self.pick(string)) > 3 and self.run.procedure.checking and not self.run.bench.floating:
                self.tune.turn(-60)
                self.wait(1.2)
                self.tune.turn(-self.pick(string))
                self.wait(1.5)
        raise AssertionError(self.tune.counts())

    def away(self) -> float:
        return max(abs(100 * (self.guitar.pitch(s.string) - self.run.target.pitch(s.string))) for s in self.run.procedure.strings)


def have(window, **changes) -> None:
    rook = window.session.state.instrument("rook")
    setup = replace(rook.setup, off=changes.pop("off", ()))
    window.session.edit("Set-up", window.session.state.with_instrument(replace(rook, setup=setup, **changes)))


@pytest.mark.parametrize("bridge", ["fixed", "dive-only", "floating"])
def test_a_unison_pair_thirty_cents_up_without_the_6th_after_a_string_slipped(qtbot, window, bridge: str) -> None:
    have(window, bridge=bridge, off=(6,))
    player = OnScreen(qtbot, window, "E2+30 G2+30 D3+30 D3+30 B3+30 D4+30")
    assert [c.string for c in player.view.approach.columns()] == [5, 4, 3, 2, 1]
    # loosened into place it is not safe, and says so, until it slips or comes from below
    string, seen = 5, []
    away = player.pick(string)
    player.tune.turn(25 - away)
    player.wait(abs(away) / 150 + 0.5)
    for _ in range(5):
        player.tune.turn(-player.pick(string))
        for _ in range(6):
            player.wait(0.2)
            seen.append((player.column(string).form, player.column(string).action))
    assert any(form == "hollow" and "loosen" in action for form, action in seen)
    player.finish()
    assert player.away() < 4 and "all strings checked" in player.tune.counts() and player.run.passes <= 2
    player.tune._say_saved()
    assert window.session.state.instrument("rook").tuning.pitches == player.run.goal.pitches


def test_a_bend_is_followed_and_named_and_nothing_lands_meanwhile(qtbot, window) -> None:
    player = OnScreen(qtbot, window, "standard")
    was = player.run.procedure
    player.key(KEY.Key_B)
    assert "bend" in player.view.title.text()
    string = player.run.procedure.active
    player.key(KEY.Key_Space)
    player.wait(0.6)
    for _ in range(10):
        player.tune.turn(5.0)
        player.wait(0.04)
    player.wait(1.0)
    column = player.column(string)
    assert (column.figure, column.action) == ("+200", "a whole step") and "from E2" in column.detail
    player.key(KEY.Key_PageUp)
    player.tune.select(3)
    player.guitar.damp()
    player.wait(0.4)
    player.key(KEY.Key_S)  # a unison bend: the other string is bent short of
    player.wait(0.7)
    player.tune.turn(47.0)
    player.wait(1.2)
    assert player.column(3).cents == pytest.approx(-12, abs=3.5) and "further" in player.column(3).action
    player.key(KEY.Key_B)
    assert player.tune.check is None and [s.status for s in player.run.procedure.strings] == [s.status for s in was.strings]


def test_beats_say_which_way_to_turn_until_they_stop(qtbot, window) -> None:
    player = OnScreen(qtbot, window, "drop D")
    player.tune.select(6)
    player.key(KEY.Key_H)
    assert player.view.title.text() == "The 6th against the 4th"
    player.guitar.turn(6, 12 - 100 * (player.guitar.pitch(6) - 38))
    player.wait(2.0)
    player.key(KEY.Key_Space)
    player.wait(1.5)
    column = player.column(6)
    assert "too high" in column.action and float(column.figure) == pytest.approx(146.83 * 0.00058 * column.cents, abs=0.15)
    player.tune.turn(-column.cents - 4)
    player.wait(1.5)
    assert "too low" in player.column(6).action
    player.tune.turn(-player.column(6).cents)
    player.wait(2.0)
    assert player.column(6).action == "they agree" or float(player.column(6).figure) < 0.2
    player.key(KEY.Key_H)
    assert player.tune.check is None


def test_a_fourth_is_heard_by_harmonics_that_leave_something(window) -> None:
    """A just fourth, 4:3, is 1.955 cents below the tempered one (Helmholtz 1863)."""
    window.tune_guitar("rook", parse_tuning("standard"))
    check = BeatCheck(window.tune.run, HeardAgainst(5, 0, "fourth below", beat_free_cents=1.955))
    assert "fret 5 of the 6th with fret 7 of the 5th, +2.0 ¢ off" in check.what


def test_open_chords_are_sweetened_as_far_as_the_player_likes(qtbot, window) -> None:
    dialog = window.tuning_dialog
    dialog.figures["sweet"].setValue(50)
    window.tune_guitar("rook", parse_tuning("open G"))
    run = window.tune.run
    # just major third 5:4, Helmholtz 1863: 13.686 cents below the tempered one
    assert run.target.pitch(2) == pytest.approx(59 - 0.5 * 0.13686, abs=1e-4)
    assert [run.target.pitch(s) for s in (6, 5, 4, 3, 1)] == [38, 43, 50, 55, 62]
    assert any(c.string == 2 for c in run.procedure.change.strings)
    assert window.tune.tuning_name() == "open G"
    window.tune_guitar("rook", parse_tuning("drop D"))
    assert window.tune.run.target == parse_tuning("drop D")


def test_single_strings_have_tolerances_of_their_own(qtbot, window) -> None:
    dialog = window.tuning_dialog
    qtbot.keyClicks(dialog.own, "1: 1, 6: 4.5")
    dialog.own.editingFinished.emit()
    assert dialog.own.text() == "6: 4.5, 1: 1"
    window.tune_guitar("rook", parse_tuning("standard"))
    rules = window.tune.run.procedure.rules
    assert [rules.of(s).tolerance for s in (6, 5, 1)] == [4.5, 2.0, 1.0] and rules.of(1).recheck == 1.5
    dialog.own.setText("6: wide")
    dialog.own.editingFinished.emit()
    assert "'6: wide' is no tolerance" in dialog.note.text() and window.preferences.tuning.rules == rules
