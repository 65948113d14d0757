"""Compiles the search ahead of its first use: `python -m juxtatune.core.planning.warm`.

Compiled code is cached beside the sources. The cache of one file does not notice a change in another, so
it is thrown away first.
"""

from __future__ import annotations

import sys
from pathlib import Path


def clear_cache() -> None:
    for file in (Path(__file__).parent / "__pycache__").glob("*.nb[ic]"):
        file.unlink(missing_ok=True)


def warm() -> None:
    """Runs the search once on a tiny night, which compiles everything it needs."""
    from juxtatune.core.music.catalogue import parse_tuning
    from juxtatune.core.planning.solve import solve
    from juxtatune.core.repertoire.night import Gig, Night, Part
    from juxtatune.core.repertoire.song import Song, Way
    from juxtatune.core.strings.instrument import Instrument, default_costs

    standard = parse_tuning("standard")
    instrument = Instrument("one", "one", 6, "fixed", standard, standard, default_costs("fixed"))
    songs = tuple(
        Song(str(k), str(k), 180.0, 0.0, (Way("one", parse_tuning(name)),))
        for k, name in enumerate(("standard", "drop D"))
    )
    solve(Gig((instrument,), songs, Night((Part("Set", 2),))), 600.0)


if __name__ == "__main__":
    print("Compiling the planner (once, about a minute) …", file=sys.stderr)
    clear_cache()
    warm()
