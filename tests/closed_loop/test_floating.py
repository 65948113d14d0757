"""A simulated player at guitars whose bridges give: a floating one is led by interim targets, and ends in tune."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from juxtatune.app.bench import Bench
from juxtatune.app.tune import TuneRun
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.strum.read import StrumReading
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.retuning.procedure import Status
from juxtatune.core.sim.guitar import SimulatedGuitar
from tests.closed_loop.test_player import Player


class Bridged(Player):
    """A player at a guitar with a bridge of its own, which the run has never seen."""

    def __init__(self, session, instrument: str, target: str, seed: int, in_play=()) -> None:
        self.run = TuneRun(session, instrument, parse_tuning(target), in_play=in_play)
        g = session.state.instrument(instrument)
        self.guitar = SimulatedGuitar(
            self.run.source, seed=seed, bridge=g.bridge, level=g.home, gauges=g.setup.gauges, bridge_seed=seed
        )
        self.guitar.start()
        self.listener = Listener(self.run.targets)

    def away(self) -> list[float]:
        """Cents of every string off its final target, as the guitar knows."""
        return [100 * (self.guitar.pitch(s) - self.run.target.pitch(s)) for s in self.run.target.strings]

    def one_pass(self) -> int:
        sets = 0
        while not self.run.procedure.checking and sets < 12:
            left = [s for s in self.run.procedure.moving if self.state(s).status is not Status.LANDED]
            if not left:
                break
            self.bring(left[0])
            sets += 1
        return sets

    def check_all(self) -> None:
        for string in self.run.target.strings:
            if self.run.procedure.checking and not self.run.procedure.done:
                self.pluck(string)
                self.wait(0.8)


def plain_pass(session, target: str, seed: int) -> float:
    """The worst string when each is brought straight to its note once, on the same guitar."""
    player = Bridged(session, "dunlin", target, seed)
    for s in player.run.target.strings:
        for _ in range(2):
            player.guitar.turn(s, 100 * (player.run.target.pitch(s) - player.guitar.pitch(s)))
            player.wait(2.5)
    return max(map(abs, player.away()))


def test_a_floating_bridge_is_led_to_its_notes_by_what_strings_must_read(session) -> None:
    player = Bridged(session, "dunlin", "half step down", 1)
    assert {s: round(a) for s, a in player.run.aims.items()}[6] < -50  # the rest will bring it up
    assert player.one_pass() == 6
    assert player.run.procedure.checking and not player.run.aims
    first = max(map(abs, player.away()))
    assert first < 20 < plain_pass(session, "half step down", 1) / 3
    for _ in range(5):
        player.check_all()
        player.one_pass()
    assert player.run.procedure.done and max(map(abs, player.away())) < 5
    dunlin = session.state.instrument("dunlin")
    assert dunlin.setup.taught and dunlin.setup.certainty_cents is not None
    again = TuneRun(session, "dunlin", parse_tuning("standard"))
    assert again.bench.model().sigma[6] < player.run.bench._model.sigma[6]  # it knows its bridge better now


def test_strings_out_of_play_or_off_the_guitar_are_not_asked_for(session) -> None:
    rook = session.state.instrument("rook")
    session.edit("Take off the 6th", session.state.with_instrument(replace(rook, setup=replace(rook.setup, off=(6,)))))
    player = Bridged(session, "rook", "open G", 2, in_play=(5, 4, 3, 2))
    assert [s.string for s in player.run.procedure.strings] == [5, 4, 3, 2, 1]
    for string in player.run.procedure.moving:
        player.bring(string)
    assert player.run.procedure.checking and player.run.procedure.active != 6
    for string in (5, 4, 3, 2):
        player.check(string)
    assert player.run.finished


@pytest.mark.parametrize("bridge", ["fixed", "dive-only"])
def test_a_string_that_is_turned_far_in_the_check_makes_the_others_be_checked_again(session, bridge) -> None:
    rook = session.state.instrument("rook")
    session.edit("Bridge", session.state.with_instrument(replace(rook, bridge=bridge)))
    player = Bridged(session, "rook", "standard", 3)
    for string in (6, 5, 4, 3):
        player.check(string)
    assert player.state(5).status is Status.CHECKED
    player.pluck(2)
    player.guitar.turn(2, -700)
    player.wait(6.0)
    assert player.state(3).status is not Status.CHECKED


def test_a_calibration_by_strums_halves_the_first_error_and_is_kept(session) -> None:
    """Strums are read as the guitar knows them, with a third of a cent of noise; the hand sets to within two cents."""
    rng = np.random.default_rng(7)

    def strum(player) -> list[StrumReading]:
        away = dict(zip(player.run.target.strings, player.away(), strict=True))
        return [StrumReading(s, c + rng.normal(0, 0.3), 0.95, 0.3) for s, c in away.items()]

    player = Bridged(session, "dunlin", "standard", 3)
    player.run.calibrate()
    steps = 0
    while player.run.calibration.known is None:
        wanted = player.run.calibration.wanted
        if wanted is not None:
            string, cents = wanted
            assert player.run.aim(string) == cents and player.run.procedure.active == string
            now = player.away()[6 - string]
            player.guitar.turn(string, cents + rng.normal(0, 1) - now)
            player.wait(abs(cents - now) / 150 + 0.3)
        player.run.hear_strum(1.0, strum(player))
        steps += 1
    assert steps == player.run.calibration.steps == 13
    assert max(map(abs, player.away())) < 15  # nearly home again
    new = Bench(replace(session.state.instrument("dunlin"), setup=replace(session.state.instrument("dunlin").setup, taught="")),
                parse_tuning("drop C"), dict.fromkeys(range(1, 7), 0.0))  # fmt: skip
    learned = TuneRun(session, "dunlin", parse_tuning("drop C")).bench
    assert learned.model().sigma[6] < 0.5 * new.model().sigma[6]  # of the bridge
    assert session.can_undo == "The bridge of Dunlin"
