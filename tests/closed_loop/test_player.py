"""A simulated player at a simulated guitar, without Qt: hears, turns, lands, checks; the book follows."""

from __future__ import annotations

import numpy as np
import pytest

from juxtatune.app.tune import TuneRun, half_steps
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import shifted_to
from juxtatune.core.retuning.procedure import Status
from juxtatune.core.sim.guitar import SimulatedGuitar


class Player:
    """Turns pegs by what the run says, never by what the guitar knows."""

    def __init__(self, session, target: str, seed: int = 1) -> None:
        self.run = TuneRun(session, "rook", parse_tuning(target), "some-song")
        self.guitar = SimulatedGuitar(self.run.source, seed=seed)
        self.guitar.detune(np.random.default_rng(seed).uniform(-3, 3, 6))
        self.guitar.start()
        self.listener = Listener(self.run.targets)

    def wait(self, seconds: float) -> None:
        for _ in range(int(seconds / 0.02)):
            block = self.guitar.read(0.0)
            assert block is not None
            self.run.hear(self.listener.feed(block))
            self.listener.retarget(self.run.targets)

    def state(self, string: int):
        return self.run.procedure.state(string)

    def pluck(self, string: int) -> None:
        self.guitar.damp()
        self.wait(0.3)
        self.run.select(string)
        self.guitar.pluck(string)
        self.wait(0.8)

    def bring(self, string: int, from_above: bool = False) -> None:
        self.pluck(string)
        heard = self.state(string).cents
        assert heard is not None
        self.guitar.turn(string, (30.0 if from_above else -60.0) - heard)
        self.wait(abs(heard) / 150 + 1.2)
        for _ in range(6):
            self.pluck(string)
            cents = self.state(string).cents
            assert cents is not None
            self.guitar.turn(string, -cents)
            self.wait(2.0)
            if self.run.procedure.checking or self.state(string).status is not Status.TO_GO:
                return

    def check(self, string: int) -> None:
        for _ in range(4):
            self.pluck(string)
            self.wait(0.6)
            state = self.state(string)
            if state.status is Status.CHECKED:
                return
            self.guitar.turn(string, -(state.cents or 0.0))


@pytest.mark.parametrize("target", ["open D", "drop C"])
def test_a_retune_from_beginning_to_end(session, target) -> None:
    player = Player(session, target)
    for change in player.run.procedure.change.strings:
        player.bring(change.string)
    assert player.run.procedure.checking
    for string in (6, 5, 4, 3, 2, 1):
        player.check(string)
    assert player.run.saved
    assert session.state.instrument("rook").tuning.pitches == parse_tuning(target).pitches
    for string in (6, 5, 4, 3, 2, 1):
        assert abs(player.guitar.pitch(string) - parse_tuning(target).pitch(string)) * 100 < 4
    kinds = [kind for _, kind, _ in session.book.log()]
    assert kinds.count("retune") == 1 and "pluck" in kinds
    assert session.can_undo == f"Rook in {target}"


def test_a_string_let_down_onto_its_pitch_is_sent_back_below(session) -> None:
    player = Player(session, "drop D")
    player.bring(6, from_above=True)
    assert player.state(6).status is Status.FROM_ABOVE
    assert not player.run.procedure.checking and not player.run.saved


def test_what_was_surely_heard_stands_as_the_next_string_is_picked_over_it(session) -> None:
    player = Player(session, "drop Db", seed=3)
    player.bring(6)
    before = player.state(6)
    for string in (5, 3, 2):
        player.run.select(string)
        player.guitar.pluck(string)
        player.wait(1.3)
    after = player.state(6)
    assert before.sigma < 0.3 and after.sigma < 0.3  # the last look at it held two strings: ± 10 cents
    assert after.cents == pytest.approx(before.cents, abs=0.3)


def test_holding_freezes_the_run(session) -> None:
    player = Player(session, "drop D")
    player.run.held = True
    player.pluck(6)
    assert player.state(6).cents is None


def test_the_summary_says_what_moves(session) -> None:
    assert "6th: 2 half steps down" in Player(session, "drop D").run.summary()
    down = TuneRun(session, "rook", parse_tuning("half step down")).summary()
    assert "6th to 1st: a half step down" in down
    record = TuneRun(session, "rook", shifted_to(parse_tuning("standard"), 30.0)).summary()
    assert record == "Rook, standard to standard, 30 ¢ up: 6th to 1st: 30 ¢ up."
    assert "stays in standard" in TuneRun(session, "rook", parse_tuning("standard")).summary()
    assert half_steps(0.3) == "30 ¢ up" and half_steps(-1) == "a half step down"


def test_a_string_that_lands_where_its_neighbour_still_is_keeps_its_own_name(session) -> None:
    # E2 is the open 6th before it is turned, and the 5th's target
    player = Player(session, "B standard")
    player.bring(5)
    assert player.state(5).status is Status.LANDED
    player.pluck(5)
    player.wait(0.4)
    assert player.run.last[5].cents == pytest.approx(0.0, abs=3.0)
    assert 6 not in player.run.last
    player.pluck(6)
    assert player.state(6).cents == pytest.approx(500.0, abs=10.0)
    assert player.state(5).status is Status.LANDED


def test_who_tunes_the_attack_is_shown_the_attack(session) -> None:
    """Which moment of the note counts: schools differ (common practice, no source)."""
    runs = [TuneRun(session, "rook", parse_tuning("drop D"), attack=attack) for attack in (False, True)]
    guitar = SimulatedGuitar(runs[0].source, seed=2)
    listener = Listener(runs[0].targets)
    guitar.start()
    for hop in range(200):
        if hop in (5, 130):
            guitar.pluck(6, 0.8)
        block = guitar.read(0.0)
        assert block is not None
        heard = listener.feed(block)
        for run in runs:
            run.hear(heard)
    settled, attack = (run.procedure.state(6).cents for run in runs)
    excess = runs[1].excess(6)
    assert excess is not None and excess > 0.5
    assert attack - settled == pytest.approx(excess)
