"""What a log teaches: against the costs that made simulated logs, with interruptions, over many seeds."""

from __future__ import annotations

import json

import numpy as np
import pytest
from benchmarks.learning import errors, simulated
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.book.formats.log_in import parse_log
from juxtatune.core.errors import UserError
from juxtatune.core.logbook.events import Log, ReadingEvent, RetuneEvent, TimedEvent
from juxtatune.core.logbook.learned import learn
from juxtatune.core.strings.instrument import Costs


@pytest.mark.parametrize(("count", "interrupted", "most"), [(3, 0.1, 0.10), (10, 0.1, 0.06), (40, 0.1, 0.045), (40, 0.3, 0.05)])
def test_the_seconds_of_typical_retunes_are_learned_though_some_were_interrupted(count, interrupted, most) -> None:
    error, held = errors(60, count, interrupted)
    assert error <= most and 0.85 <= held <= 0.99


def test_few_events_stay_near_the_start_values_and_are_unsure() -> None:
    start = Costs()
    none = learn(Log(instruments=("g",)))["g"]
    assert [none.costs[k].value for k in ("base_s", "string_s", "swap_s")] == pytest.approx([3, 4, 12])
    one = learn(Log((RetuneEvent("g", ((6, -2.0),), 1.0, 6, 60.0),), instruments=("g",)))["g"]
    assert start.string_s < one.costs["string_s"].value < 1.6 * start.string_s
    assert none.costs["string_s"].sd > 0.3 * start.string_s and one.costs["string_s"].events == 1


@settings(max_examples=40)
@given(st.integers(0, 10**6), st.floats(60, 2000))
def test_one_long_interruption_hardly_moves_what_is_learned(seed, extra) -> None:
    log, _ = simulated(np.random.default_rng(seed), 30, 0.0)
    last = log.retunes[-1]
    broken = (*log.retunes[:-1], RetuneEvent(last.instrument, last.changes, last.passes, last.checked, last.seconds + extra))
    before, after = (learn(Log(rows, instruments=("g",)))["g"].typical[0].seconds for rows in (log.retunes, broken))
    assert after == pytest.approx(before, rel=0.06)


def test_swaps_capos_and_drift() -> None:
    swaps = [TimedEvent("swap", "g", s) for s in (9.0, 9.5, 10.0, 8.5, 9.2, 240.0)]
    timed = (*swaps, TimedEvent("capo", "g", 4.0))
    readings = [ReadingEvent("g", 3, c, "song", "up", False) for c in (-1.0, -2.0, -3.0)]
    readings += [ReadingEvent("g", 3, -40.0, "song", "up", True), ReadingEvent("g", 3, 30.0, "retune", "up", False)]
    found = learn(Log((), timed, tuple(readings), ("g",)))["g"]
    assert found.costs["swap_s"].value == pytest.approx(9.3, abs=0.6) and found.costs["capo_s"].events == 1
    assert [(d.string, d.direction, d.cents) for d in found.drift] == [(3, "up", -2.0)]


def log(*events: dict, **more) -> str:
    return json.dumps({"format": "juxtatune-log", "version": 1, "events": list(events)} | more)


def test_a_log_is_read_and_what_is_unknown_is_told() -> None:
    read, warnings = parse_log(log(
        {"kind": "retune", "instrument": "rook", "changes": [{"string": 6, "semitones": -2}], "passes": 1, "checked": 6,
         "seconds": 14.6, "bridge": "floating", "strings": 6, "at": "2026-05-01T21:10:00"},
        {"kind": "swap", "to": "dunlin", "seconds": 11.2}, {"kind": "weather"}, {"kind": "new_strings", "instrument": "rook"},
    ))  # fmt: skip
    assert read.instruments == ("rook", "dunlin") and read.retunes[0].bridge == "floating" and len(warnings) == 1
    assert learn(read)["dunlin"].costs["base_s"].events == 0
    assert parse_log(log())[0].instruments == ()


@pytest.mark.parametrize(
    "text",
    ["{", "[]", log(version=2), log(events=3), log({"kind": 3}), log({"kind": "swap", "to": "x"}),
     log({"kind": "swap", "to": "x", "seconds": -1}), log({"kind": "swap", "to": "x", "seconds": 1e9}),
     log({"kind": "retune", "instrument": "x", "seconds": True, "changes": []}), '{"format": "juxtatune-log", "version": NaN}'],
)  # fmt: skip
def test_logs_that_cannot_be_used(text) -> None:
    with pytest.raises(UserError) as caught:
        parse_log(text)
    assert "allowed" in caught.value.message()
