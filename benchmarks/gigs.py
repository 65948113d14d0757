"""Invented nights of a given size, as gig JSON."""

from __future__ import annotations

import json
import random

TUNINGS = ["standard", "drop D", "open D", "half step down", "drop C#", "open G", "double drop D"]
OFTEN = [6, 5, 2, 4, 3, 2, 1]
USED = [None, None, None, [6, 5, 4], [5, 4, 3, 2, 1], [6, 5, 4, 3]]
GUITARS = ["rook", "dunlin", "dunnock", "whimbrel"]


def club_json(
    seed: int, songs: int = 18, guitars: int = 2, parts: int = 2, tech: bool = False, curve: bool = False
) -> str:
    """A club night: pins at both ends, a medley, talk after three songs, some songs with a second way.

    `curve`: the energy rises from 1 to 5 over every part.
    """
    r = random.Random(seed)
    names = GUITARS[:guitars]
    rows = [_song(r, k, names) for k in range(songs)]
    ids = [row["id"] for row in rows]
    night = {
        "cover_s": 8,
        "cover_after": {i: r.choice([20, 40, 60]) for i in r.sample(ids, 3)},
        "pins": [{"song": ids[0], "part": 0, "place": 0}, {"song": ids[-1], "part": parts - 1, "place": -1}],
        "adjacent": [[ids[3], ids[7]]] if songs > 8 else [],
        "parts": [{"songs": songs // parts + (1 if k < songs % parts else 0)} for k in range(parts)],
        "tech": tech,
    }
    if curve:
        sizes = [part["songs"] for part in night["parts"]]
        rising = [1 + 4 * k / max(size - 1, 1) for size in sizes for k in range(size)]
        night |= {"curve": rising, "curve_weight_s": 2}
    instruments = [
        {"id": name, "strings": 7 if k == 3 else 6, "bridge": "floating" if k == 1 else "fixed"}
        for k, name in enumerate(names)
    ]
    gig = {"format": "juxtatune-gig", "version": 1, "instruments": instruments, "songs": rows, "set": night}
    return json.dumps(gig)


def _song(r: random.Random, k: int, names: list[str]) -> dict:
    guitar = r.choices(names, [5, 2, 2, 2][: len(names)])[0]
    seven = guitar == "whimbrel"
    tuning = (
        r.choice(["seven-string standard", "seven-string drop A"]) if seven else r.choices(TUNINGS, OFTEN)[0]
    )
    ways = [{"instrument": guitar, "tuning": tuning, "strings_used": None if seven else r.choice(USED)}]
    if r.random() < 0.25 and not seven:
        other = r.choice([n for n in names if n != "whimbrel"])
        ways.append({"instrument": other, "tuning": r.choice(TUNINGS), "compromise_s": r.choice([2, 5, 10])})
    return {"id": f"s{k}", "length_s": r.randint(150, 320), "energy": r.randint(1, 5), "ways": ways}
