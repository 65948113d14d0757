"""Mutated gigs against the planner: `python -m benchmarks.attacks.gigs [count] [seed]`.

Each is read and planned for a moment in a process that must live, answer in time, and say no more than one line.
"""

from __future__ import annotations

import copy
import json
import random
import subprocess
import sys
import time
from typing import Any

from juxtatune.book.demo import demo_state
from juxtatune.book.formats.gig_out import gig_json
from juxtatune.book.state import gig_of

ODD: list[Any] = [
    None, True, -1, 0, 1e308, -0.0, 10**30, "", "x" * 100_000, "\x00\x1b[31m", [], {}, [[]], [None] * 50, "E2", "drop D",
    {"a": {"a": {"a": 1}}}, 3.5, "standard, 30 ¢ up", ["E2"] * 13, 2**63, "🎸", float(10**6), 10**6 + 1,
]  # fmt: skip
WORKER = """
import sys, json, time
from juxtatune.app.planning import NightPlanner
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.errors import UserError
for line in sys.stdin:
    text = json.loads(line)
    try:
        outcome = NightPlanner(parse_gig(text)).run(0.05)
        said = "clash" if outcome.clash else "plan" if outcome.solution and outcome.solution.plan else "none"
    except UserError as error:
        message = error.message()
        said = "refused" if len(message) <= 2000 and message.isprintable() else "LONG " + repr(message[:200])
    except BaseException as error:
        said = "ERROR " + repr(error)[:300]
    print(json.dumps(said), flush=True)
"""
PATIENCE_S = 20.0


def spots(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a value."""
    found = [path] if path else []
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        found += spots(inner, (*path, key))
    return found


def mutated(rng: random.Random, base: dict[str, Any]) -> str:
    """A gig with one to four places changed, dropped, doubled or made odd; sometimes its text is cut."""
    gig = copy.deepcopy(base)
    for _ in range(rng.choice([1, 1, 1, 2, 4])):
        path = rng.choice(spots(gig))
        holder = gig
        try:
            for key in path[:-1]:
                holder = holder[key]
            change = rng.random()
            if change < 0.15:
                del holder[path[-1]]
            elif change < 0.3 and isinstance(holder, list):
                holder.extend(copy.deepcopy(holder) * rng.randint(1, 3))
            elif change < 0.45 and isinstance(holder[path[-1]], int | float):
                holder[path[-1]] = holder[path[-1]] * rng.choice([-1, 1e3, 1e9, 0]) + rng.choice([0, 1, 0.5])
            else:
                holder[path[-1]] = copy.deepcopy(rng.choice(ODD))
        except (KeyError, IndexError, TypeError):
            continue
    text = json.dumps(gig)
    if rng.random() < 0.05:
        text = text[: rng.randrange(len(text))] + rng.choice(["", "9" * 5000, "[" * 3000, "\ud800"])
    return text


def extremes() -> list[str]:
    """Nights at the limits: sixty tunings on one guitar, a hundred guitars, many parts, empty ones."""
    def song(k: int, guitar: str, tuning: Any) -> dict[str, Any]:
        return {"id": f"s{k}", "length_s": 200, "ways": [{"instrument": guitar, "tuning": tuning}]}

    def gig(guitars: int, songs: list[dict[str, Any]], **night: Any) -> str:
        rows = [{"id": f"g{k}", "strings": 6} for k in range(guitars)]
        return json.dumps({"format": "juxtatune-gig", "version": 1, "instruments": rows, "songs": songs, "set": night})

    shifted = [[f"{n}+{k}" for n in ("E2", "A2", "D3", "G3", "B3", "E4")] for k in range(1, 61)]
    return [
        gig(1, [song(k, "g0", t) for k, t in enumerate(shifted)]),
        gig(100, [song(k, f"g{k}", "standard") for k in range(100)]),
        gig(98, [song(k, f"g{k % 98}", ("standard", "drop D")[k % 2]) for k in range(120)], cover_s=5),
        gig(1, [song(k, "g0", "drop D") for k in range(3)], parts=[{"songs": 0}, {"songs": 3}, {"songs": 0}]),
        gig(2, [song(k, f"g{k % 2}", "drop D") for k in range(40)], parts=[{"songs": 1} for _ in range(40)]),
        gig(1, [song(k, "g0", "standard") for k in range(10_000)]),
        gig(300, [song(0, "g0", "standard")]),
    ]


class Worker:
    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-c", WORKER], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )

    def ask(self, text: str) -> tuple[str, float]:
        assert self.process.stdin is not None and self.process.stdout is not None
        began = time.monotonic()
        self.process.stdin.write(json.dumps(text) + "\n")
        self.process.stdin.flush()
        line = self.process.stdout.readline()
        return (json.loads(line) if line else "DIED"), time.monotonic() - began


def attack(count: int, seed: int) -> dict[str, int]:
    """How many gigs ended how; failures are printed as they are found."""
    rng = random.Random(seed)
    state = demo_state()
    base = gig_json(gig_of(state, state.nights[0]))
    base["songs"] = base["songs"][:7]
    kept = {s["id"] for s in base["songs"]}
    base["set"] = {
        "parts": [{"songs": 4}, {"songs": 3}], "cover_s": 8, "curve": [3] * 7, "curve_weight_s": 1, "tech": True,
        "cover_after": dict.fromkeys(list(kept)[:2], 20), "pins": [{"song": base["songs"][0]["id"], "part": 0, "place": 0}],
        "before": [[base["songs"][1]["id"], base["songs"][2]["id"]]], "max_dead_s": 300,
    }  # fmt: skip
    tally: dict[str, int] = {}
    worker = Worker()
    cases = extremes() + [mutated(rng, base) for _ in range(count)]
    for k, text in enumerate(cases):
        said, spent = worker.ask(text)
        word = said.split()[0] if said else "DIED"
        if spent > PATIENCE_S:
            word = "SLOW"
        tally[word] = tally.get(word, 0) + 1
        if word.isupper():
            print(f"case {k}: {said} after {spent:.1f} s: {text[:200]}", flush=True)
        if word == "DIED":
            worker = Worker()
    return tally


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    print(attack(count, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
