"""Gig JSON, format 1: writing."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

from juxtatune.book.files import write_whole
from juxtatune.book.formats.extras import details_json, setup_json
from juxtatune.core.repertoire.night import Gig, Now


def gig_json(gig: Gig) -> dict[str, Any]:
    """A gig as a value that reads back to the same gig."""
    n = gig.night
    return {
        "format": "juxtatune-gig",
        "version": 1,
        "instruments": [
            {
                "id": i.id, "name": i.name, "strings": i.strings, "bridge": i.bridge,
                "home": i.home.names(), "tuning": i.tuning.names(), "costs": asdict(i.costs),
                **setup_json(i.setup),
            }
            for i in gig.instruments
        ],
        "songs": [
            {
                "id": s.id, "title": s.title, "length_s": s.length_s, "energy": s.energy,
                "ways": [
                    {
                        "instrument": w.instrument, "tuning": w.tuning.names(), "capo": w.capo,
                        "strings_used": list(w.strings_used), "compromise_s": w.compromise_s,
                        **({"refingered": True} if w.refingered else {}),
                    }
                    for w in s.ways
                ],
                **({"details": more} if (more := details_json(s.details)) else {}),
            }
            for s in gig.songs
        ],
        "set": {
            "parts": [{"name": p.name, "songs": p.songs} for p in n.parts],
            "tech": n.tech, "cover_s": n.cover_s, "cover_after": dict(n.cover_after),
            "pins": [{"song": p.song, "part": p.part, "place": p.place} for p in n.pins],
            "before": [list(p) for p in n.before], "adjacent": [list(p) for p in n.adjacent],
            "apart": [list(p) for p in n.apart], "max_dead_s": n.max_dead_s,
            "curve": list(n.curve) if n.curve is not None else None, "curve_weight_s": n.curve_weight_s,
            "now": _now_json(n.now) if n.now is not None else None,
        },
    }  # fmt: skip


def _now_json(now: Now) -> dict[str, Any]:
    return {
        "played": list(now.played), "in_hand": now.in_hand,
        "tunings": {i: t.names() for i, t in now.tunings.items()}, "capos": dict(now.capos),
    }  # fmt: skip


def write_gig(path: Path, gig: Gig) -> None:
    """Writes a gig file whole or not at all. Raises UserError naming the file."""
    write_whole(path, json.dumps(gig_json(gig), indent=1, ensure_ascii=False).encode())
