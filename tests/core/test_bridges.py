"""Retunes led on simulated bridges that have a truth of their own: all strings end inside the tolerance, each read since."""

from __future__ import annotations

import json
import math
import subprocess
import sys

import numpy as np
import pytest
from benchmarks.bridges import CHANGES, GAUGES, Guitar, calibrated, led
from hypothesis import given, settings
from hypothesis import strategies as st

from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.retuning.led import known_of, retune, with_known
from juxtatune.core.strings.coupling import LEAST_SHARE, Moved, start_model

STANDARD = parse_tuning("standard")


@pytest.mark.parametrize("bridge", ["fixed", "dive-only", "floating"])
def test_every_bridge_ends_in_tune_in_few_passes(bridge) -> None:
    for seed, (a, b) in enumerate(CHANGES):
        done, record = led(bridge, a, b, seed, None)
        assert record.passes[min(1, len(record.passes) - 1)] < 3.0, (a, b, record.passes)  # one pass and one trim
        assert record.passes[-1] < 3.0 and done["passes"] <= 3, (a, b, record.passes, done)
        assert done["sets"] + done["reads"] + done["strums"] <= 60


def test_a_calibration_makes_the_first_pass_better_and_leaves_the_guitar_in_tune() -> None:
    known = calibrated("floating", 1)[0]
    new = [led("floating", a, b, 1, None)[1].passes[0] for a, b in CHANGES]
    learned = [led("floating", a, b, 1, known)[1].passes[0] for a, b in CHANGES]
    assert np.median(learned) < 0.6 * np.median(new)


@settings(max_examples=60)
@given(st.lists(st.floats(-300, 300), min_size=6, max_size=6), st.sampled_from(["fixed", "floating"]))
def test_interim_targets_leave_all_right_once_the_last_is_set(cents, bridge) -> None:
    """On a bridge that is as the model says, one pass is enough: the law that interim targets are made for."""
    model = start_model(STANDARD, bridge, [648] * 6, GAUGES, None)
    now, reached = list(cents), True
    for k in range(6):
        to = model.interim(now, k)
        reached = reached and to > 1000 * np.log2(LEAST_SHARE) / 2  # no string is let down further
        now = list(model.after_set(now, k, to))
        reached = reached and min(model.tensions(now)) > 0.01  # nor hangs slack: its peg is not known then
    assert np.max(np.abs(now)) < 0.01 or not reached


def test_what_is_read_makes_the_model_truer() -> None:
    truth = start_model(STANDARD, "floating", [648] * 6, GAUGES, 5)
    believed = start_model(STANDARD, "floating", [648] * 6, GAUGES, 3)
    moves = []
    now = np.zeros(6)
    for k in range(6):
        then = truth.after_set(now, k, now[k] - 100)
        moves.append(Moved(((k, now[k], then[k]),), tuple(now), tuple(c if s != k else math.nan for s, c in enumerate(then))))
        now = then
    learned = believed.learned(moves)
    assert abs(np.log(learned.bridge / truth.bridge)) < 0.5 * abs(np.log(believed.bridge / truth.bridge))
    strings = tuple(STANDARD.strings)
    again = with_known(believed, json.loads(json.dumps(known_of(learned, strings))), strings)
    assert again.bridge == pytest.approx(learned.bridge, rel=1e-3)


def test_a_string_that_cannot_be_set_is_asked_again_then_passed_over() -> None:
    model = start_model(STANDARD, "fixed", [648] * 6, GAUGES, None)
    start = dict.fromkeys(STANDARD.strings, 100.0)
    dialogue = retune(model, STANDARD, start, tuple(STANDARD.strings), 2.0)
    action, asked = next(dialogue), 0
    try:
        while True:
            if action.get("string") == 3:
                asked += 1
                reply = {"skip": True}
            elif action["do"] == "strum":
                reply = {"cents": {str(s): (None if s == 3 else 0.1) for s in STANDARD.strings}}
            else:
                reply = {"string": action["string"], "cents": action.get("cents", 0.1)}
            action = dialogue.send(reply)
    except StopIteration as end:
        assert end.value["skipped"] == [3] and asked == 2


def dialogue(tmp_path, lines: list[str], tuning: str = "drop D", **guitar) -> tuple[int, list[dict], str]:
    path = tmp_path / "g.json"
    path.write_text(json.dumps({"strings": 6, "bridge": "floating"} | guitar))
    program = "from juxtatune.cli.main import run; run()"
    done = subprocess.run(
        [sys.executable, "-c", program, "retune", str(path), tuning], input="\n".join(lines), capture_output=True, text=True
    )
    assert "Traceback" not in done.stderr
    return done.returncode, [json.loads(line) for line in done.stdout.splitlines()], done.stderr


@pytest.mark.parametrize("line", ["no json", "[]", '{"cents": NaN}', '{"cents": "high"}', '{"string": 6}', ""])
def test_wrong_answers_end_with_a_message(tmp_path, line) -> None:
    code, actions, error = dialogue(tmp_path, [line] if line else [])
    assert code == 2 and actions[0] == {"do": "strum"} and error.startswith("juxtatune: ")


def test_strings_taken_off_are_never_asked_for(tmp_path) -> None:
    every = json.dumps({"cents": {str(s): 0.2 for s in range(1, 7)}})
    code, actions, _ = dialogue(tmp_path, [every] * 4, "standard", off=[6])
    assert code == 0 and actions[-1]["do"] == "done" and "6" not in actions[-1]["known"]["strings"]


def test_the_simulated_bridges_are_no_two_alike() -> None:
    shifts = {}
    for bridge in ("fixed", "dive-only", "floating"):
        guitar = Guitar(STANDARD, bridge, np.random.default_rng(3))
        guitar.stand_in(STANDARD)
        guitar.set(0, -200.0)
        shifts[bridge] = float(guitar.cents()[1])
    assert shifts["floating"] > 5 * shifts["dive-only"] > 0 and shifts["fixed"] > 0
