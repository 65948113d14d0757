"""What the demo band's guitarist has logged: half a year of invented nights, seeded, the same at every start."""

from __future__ import annotations

import json
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from juxtatune.book.state import BookState
from juxtatune.core.retuning.change import change
from juxtatune.core.retuning.costs import retune_seconds
from juxtatune.core.strings.instrument import Instrument

NIGHTS, EVERY_DAYS = 13, 14
FIRST = datetime.fromisoformat("2026-05-01T21:00:00+02:00")
HAND = {"rook": 0.8, "dunlin": 1.35, "dunnock": 1.05, "whimbrel": 1.0}  # times as long as the usual costs say
SCATTER, INTERRUPTED = 0.18, 0.08
STRINGS_EVERY = 5  # nights

Row = tuple[str, str, str]


def demo_log(state: BookState) -> list[Row]:
    """(time, kind, JSON) of every row, oldest first."""
    rng = np.random.default_rng(11)
    rows: list[Row] = []
    night = state.nights[0]
    titles = [s for s in night.slots if s.way is not None]
    stands = {i.id: i.home for i in state.instruments}
    for k in range(NIGHTS):
        at = FIRST + timedelta(days=EVERY_DAYS * k)
        if k % STRINGS_EVERY == 0:
            rows += [_row(at - timedelta(hours=5), "new_strings", {"instrument": g}) for g in night.guitars]
        for n, slot in enumerate(rng.permutation(len(titles))):
            song = state.song(titles[slot].song)
            way = song.ways[titles[slot].way or 0]
            guitar = state.instrument(way.instrument)
            moved = change(stands[guitar.id], way.tuning).strings
            at += timedelta(seconds=song.length_s or 240)
            planned = max(0.0, retune_seconds(guitar.costs, guitar.strings, [c.semitones for c in moved]) - 8)
            seconds = _seconds(rng, guitar, [c.semitones for c in moved])
            if moved:
                data = {"instrument": guitar.id, "from": str(stands[guitar.id]), "to": str(way.tuning), "song": song.id,
                        "moved": [{"string": c.string, "semitones": c.semitones} for c in moved],
                        "passes": int(guitar.costs.passes), "checked": guitar.strings, "seconds": round(seconds, 1)}  # fmt: skip
                rows.append(_row(at, "retune", data))
                stands[guitar.id] = way.tuning
            if rng.random() < 0.4:
                rows.append(_row(at, "strum", {"instrument": guitar.id, "cents": _check(rng, guitar, k)}))
            gap = {"gap_s": round(seconds + 4, 1), "dead_s": round(max(0.0, seconds - 4), 1), "planned_dead_s": round(planned, 1),
                   "strings": len(moved), "swap_s": 0.0} if n else {}  # fmt: skip
            rows.append(_row(at + timedelta(seconds=seconds), "song", {"song": song.id, "night": night.name,
                                                                       "instrument": guitar.id, **gap}))  # fmt: skip
            at += timedelta(seconds=seconds)
        if k % 6 == 4:
            rows.append(_row(at, "string_broken", {"instrument": "rook", "string": 1}))
    return rows


def _seconds(rng: np.random.Generator, guitar: Instrument, semitones: list[float]) -> float:
    usual = retune_seconds(guitar.costs, guitar.strings, semitones) * HAND.get(guitar.id, 1.0)
    late = rng.uniform(45, 200) if semitones and rng.random() < INTERRUPTED else 0.0
    return float(usual * np.exp(rng.normal(0, SCATTER)) + late)


def _check(rng: np.random.Generator, guitar: Instrument, night: int) -> dict[str, float]:
    """Cents of each string: the older it is, and the lower, the further it strays."""
    age = night % STRINGS_EVERY
    return {str(s): round(float(rng.normal(-0.6 * age, 0.8 + 0.25 * age + 0.1 * s)), 2) for s in range(guitar.strings, 0, -1)}


def _row(at: datetime, kind: str, data: dict[str, Any]) -> Row:
    return at.isoformat(timespec="seconds"), kind, json.dumps(data, ensure_ascii=False)
