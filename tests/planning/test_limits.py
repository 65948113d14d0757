"""Nights at the limits: compiled code keeps within its arrays, empty parts work, prices end in time."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time

import numpy as np
import pytest
from benchmarks.attacks import gigs as attack

from juxtatune.app.planning import NightPlanner
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.errors import UserError
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.planning.search.fixed_order import CANCELLED, price_order

CHECKED = """
import json, sys
from benchmarks.attacks.gigs import extremes
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.planner import Planner
for text in extremes()[:4]:
    assert Planner(parse_gig(text)).run_for_any(200.0).plan is not None
print("within bounds")
"""


def test_compiled_code_keeps_within_its_arrays_on_nights_at_the_limits(tmp_path) -> None:
    """Sixty tunings that all clash on one guitar, a hundred guitars: with bounds checked by the compiler."""
    env = os.environ | {"NUMBA_BOUNDSCHECK": "1", "NUMBA_CACHE_DIR": str(tmp_path), "NUMBA_OPT": "0"}
    done = subprocess.run([sys.executable, "-c", CHECKED], env=env, capture_output=True, text=True, timeout=900)
    assert done.stdout.strip() == "within bounds", done.stderr[-2000:]


def night(count: int, parts: list[int], tech: bool = False) -> dict:
    names = ("standard", "drop D", "half step down", "drop C", "open D", "open G", "DADGAD")
    songs = [
        {"id": f"s{k}", "length_s": 200, "ways": [{"instrument": f"g{k % 3}", "tuning": names[(3 * k) % 7],
         "strings_used": sorted({1 + k % 6, 1 + (k * k) % 6, 6})}]} for k in range(count)
    ]  # fmt: skip
    guitars = [{"id": f"g{k}", "strings": 6} for k in range(3)]
    return {
        "format": "juxtatune-gig", "version": 1, "instruments": guitars, "songs": songs,
        "set": {"tech": tech, "cover_s": 8, "parts": [{"songs": n} for n in parts]},
    }  # fmt: skip


@pytest.mark.parametrize("parts", [[0, 3, 0], [3, 0], [0, 3], [0, 0, 1, 0, 2]])
def test_empty_parts_change_nothing_but_the_starts(parts) -> None:
    full = [n for n in parts if n]
    plans = [NightPlanner(parse_gig(json.dumps(night(3, p)))).run(20.0).solution.plan for p in (parts, full)]
    assert plans[0].totals.objective == pytest.approx(plans[1].totals.objective)
    assert len(plans[0].start) == len(parts)
    assert {s.part for s in plans[0].order} == {k for k, n in enumerate(parts) if n}


def test_the_price_of_a_long_night_with_a_technician_comes_in_time_and_can_be_stopped() -> None:
    gig = parse_gig(json.dumps(night(46, [46], tech=True)))
    slots = tuple(Slot(s.id, 0, 0) for s in gig.songs)
    began = time.monotonic()
    plan = price_order(gig, slots, seconds=1.0)
    assert plan is not None and time.monotonic() - began < 15
    assert price_order(gig, slots, stop=np.array([CANCELLED])) is None


@pytest.mark.parametrize(
    ("change", "word"),
    [
        (lambda g: g["songs"][0].update(length_s=1e7), "songs[0].length_s"),
        (lambda g: g["songs"][0].update(length_s=10**400), "songs[0].length_s"),
        (lambda g: g.update(songs=g["songs"] * 700), "2000"),
        (lambda g: g.update(instruments=[{"id": str(k), "strings": 6} for k in range(201)]), "200"),
        (lambda g: g["set"].update(parts=[{"songs": 0}] * 201), "200"),
        (lambda g: g["songs"][0].update(id="y" * 10_000_000), "twice|unknown|s0|y"),
        (lambda g: g["set"].update(pins=[{"song": "\x1b[31m" + "z" * 90_000, "part": 0, "place": 0}]), "unknown song"),
    ],
)
def test_what_is_too_much_is_refused_in_one_short_line(change, word) -> None:
    gig = night(3, [3])
    gig["set"]["before"] = [["s0", "s1"]]
    change(gig)
    with pytest.raises(UserError, match=word.replace("[", r"\[")) as caught:
        parse_gig(json.dumps(gig))
    message = caught.value.message()
    assert len(message) <= 2000 and message.isprintable()


def test_an_integer_of_thousands_of_digits_is_refused() -> None:
    text = json.dumps(night(3, [3])).replace('"length_s": 200', '"length_s": ' + "9" * 5000, 1)
    with pytest.raises(UserError, match="digits"):
        parse_gig(text)


def test_mutated_gigs_are_planned_or_refused() -> None:
    tally = attack.attack(60, 5)
    assert set(tally) <= {"plan", "none", "clash", "refused"}, tally
