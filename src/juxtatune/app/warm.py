"""Runs planner and listener once on something tiny, so that their compiled code is ready when it is asked for."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from juxtatune.core.listening.source import Samples
    from juxtatune.core.repertoire.night import Gig


def compiled() -> bool:
    """Whether compiled code lies ready: an installation that cannot be written to has none, and compiles as it goes."""
    core = Path(__file__).parents[1] / "core"
    if any(core.rglob("*.nbi")):
        return True
    return not os.access(core / "planning", os.W_OK)


def warm() -> None:
    """Compiles all they need, or loads it from the cache, which takes a second."""
    warm_planner()
    warm_bound()
    warm_listener()


def warm_listener() -> None:
    import numpy as np

    from juxtatune.core.listening.pipeline import analyse
    from juxtatune.core.listening.strum.read import read_strum
    from juxtatune.core.listening.types import Targets
    from juxtatune.core.music.reading import parse_tuning

    warm_courses()
    tone = _tone()
    twice = np.concatenate([np.zeros(24000), tone[:24000], tone])  # picked again as it rings
    analyse(twice, 48000, Targets())
    read_strum(np.concatenate([np.zeros(24000), tone]), 48000, Targets(parse_tuning("standard")))


def _tone() -> Samples:
    import numpy as np

    t = np.arange(48000) / 48000
    return sum((np.sin(2 * np.pi * 110 * n * t) / n for n in range(1, 9)), 0 * t) * np.exp(-2 * t) * 0.2


def warm_tones() -> None:
    """What finds tones in a spectrum: the part of the listener that has nothing in common with its fits."""
    from juxtatune.core.listening.dsp.peaks import new_peaks
    from juxtatune.core.listening.tone.twm import candidates

    candidates(new_peaks(_tone()[:4800], None, 12000))


def warm_courses() -> None:
    """Glides of two times, and those that energy leads: a steady tone asks for neither."""
    import numpy as np

    from juxtatune.core.listening.f0.glide_two_times import glide_basis
    from juxtatune.core.listening.f0.phase_lines import fit_phase_lines

    t, n = np.arange(16) * 0.03, np.arange(1, 7)
    turns = 110.0 * n[:, None] * (0.004 * glide_basis(t, 0.03) + 0.004 * glide_basis(t, 0.2))
    z = np.exp(-2 * t + 2j * np.pi * turns) / n[:, None]
    fit_phase_lines(z, np.full(6, 1e-6), n, 110.0 * n, t, 1.0, 1e-4, True)


def warm_planner() -> None:
    """The search for plans and the climbing from one to better ones."""
    import numpy as np

    from juxtatune.core.planning.bounds.relaxation import Exploration
    from juxtatune.core.planning.model.compile import compile_gig
    from juxtatune.core.planning.planner import solve
    from juxtatune.core.planning.search.local_search import LocalSearch

    gig, stop = _two_songs(), np.zeros(1, np.int64)
    plan = solve(gig, 600.0).plan
    Exploration(compile_gig(gig), {0, 1}, 0, 64).go_on(100.0, 50.0, stop)
    assert plan is not None  # two songs in any order
    LocalSearch(compile_gig(gig), 0, stop, lambda found: None).climb_on(plan, 1)


def warm_bound() -> None:
    """The bound from the guitars apart, with and without a limit on dead air."""
    from dataclasses import replace

    import numpy as np

    from juxtatune.core.planning.bounds.decomposition import decomposition_bounds
    from juxtatune.core.planning.model.compile import compile_gig

    gig = _two_songs()
    for limit in (None, 30.0):
        limited = replace(gig, night=replace(gig.night, max_dead_s=limit))
        list(decomposition_bounds(compile_gig(limited), 100.0, np.zeros(1, np.int64)))


def _two_songs() -> Gig:
    from juxtatune.core.music.reading import parse_tuning
    from juxtatune.core.repertoire.night import Gig, Night, Part
    from juxtatune.core.repertoire.song import Song, Way
    from juxtatune.core.strings.instrument import Instrument, default_costs

    standard = parse_tuning("standard")
    instrument = Instrument("one", "one", 6, "fixed", standard, standard, default_costs("fixed"))
    songs = tuple(
        Song(str(k), str(k), 180.0, 0.0, (Way("one", parse_tuning(name)),))
        for k, name in enumerate(("standard", "drop D"))
    )
    return Gig((instrument,), songs, Night((Part("Set", 2),)))
