"""How far a night may be from its plan: a seeded simulation that the log makes surer."""

from __future__ import annotations

from dataclasses import replace

import pytest

from juxtatune.app.log_pictures import faster
from juxtatune.app.logbook import events, lines
from juxtatune.app.night import as_given
from juxtatune.app.player import SimulatedPlayer
from juxtatune.app.spread import spread, words
from juxtatune.book.demo import demo_state
from juxtatune.book.log_query import LogRow
from juxtatune.book.state import gig_of
from juxtatune.core.logbook.learned import learn

STATE = demo_state()
GIG = gig_of(STATE, STATE.nights[0])
PLAN = as_given(STATE, GIG, STATE.nights[0])


def retune(number: int, seconds: float, guitar: str = "rook") -> LogRow:
    data = {"instrument": guitar, "to": "D2 A2 D3 G3 B3 E4", "moved": [{"string": 6, "semitones": -2}], "passes": 1, "checked": 6,
            "seconds": seconds}  # fmt: skip
    return LogRow(number, "2026-05-01T20:00:00+02:00", "retune", data)


def test_the_plan_lies_within_its_spread_and_a_log_narrows_it() -> None:
    untaught = spread(GIG, PLAN, {})
    assert untaught == spread(GIG, PLAN, {}) != spread(GIG, PLAN, {}, seed=1)
    assert untaught.low < PLAN.totals.dead_s < untaught.high
    guitars = {i.id for i in STATE.instruments}
    taught = learn(events([retune(k, 16.7, g) for k, g in enumerate(sorted(guitars) * 40)], STATE))
    narrow = spread(GIG, PLAN, taught)
    assert narrow.high - narrow.low < 0.8 * (untaught.high - untaught.low)
    assert "nine nights in ten" in words(narrow)


def test_a_quick_hand_is_quick_in_a_rehearsal_and_what_was_interrupted_is_not_slow() -> None:
    usual = 3.0 + 4.0 + 2 * 1.5 + 6 * 1.2  # the start values of a fixed bridge for one string, two half steps down
    rows = [retune(k, 0.6 * usual + (200 if k % 12 == 0 else 0)) for k in range(60)]
    hand = SimulatedPlayer(learn(events(rows, STATE)), 0).hand(GIG, "rook")
    assert hand == pytest.approx(0.6, abs=0.08)
    assert SimulatedPlayer({}, 0).hand(GIG, "rook") == 1.0


def test_rows_that_cannot_be_read_are_words_and_teach_nothing() -> None:
    odd = [
        LogRow(1, "no time", "retune", {"instrument": "gone", "to": "nothing", "moved": []}),
        LogRow(2, "2026-05-01T20:00:00+02:00", "something newer", {"instrument": "rook"}),
        LogRow(3, "2026-05-01T20:00:00+02:00", "note", {"about": 2, "text": "what was that?"}),
    ]
    found = lines(odd, STATE)
    assert (found[0].at, found[0].guitar, found[1].words) == ("no time", "gone", "something newer (noted: what was that?)")
    assert events(odd, STATE).retunes == ()


def test_getting_faster_is_said_in_figures() -> None:
    rows = [retune(k, 30.0 - 0.5 * k) for k in range(30)]
    picture = faster(rows, STATE)
    first, last = 30.0 - 0.5 * 4.5, 30.0 - 0.5 * 24.5
    assert picture.answer.startswith(f"{(first - last) / first:.0%} faster")
    assert faster([replace(r, data={**r.data, "seconds": 20.0}) for r in rows], STATE).answer.startswith("0%")
