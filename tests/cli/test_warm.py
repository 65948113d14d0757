"""What compiled code is made ready ahead of its first use."""

from __future__ import annotations

import subprocess
import sys

USE = """
import numpy as np
import numba.core.dispatcher as numba_dispatcher
from benchmarks import sounds
from benchmarks.gigs import club_json
from juxtatune.app.warm import warm
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.planning.planner import solve
from tests.listening.test_real_strings import RATE, strummed
from juxtatune.book.formats.gig import parse_gig

def compiled():
    import gc
    kind = numba_dispatcher.Dispatcher
    return {f"{d.__module__}.{d.__name__}": len(d.signatures) for d in gc.get_objects() if isinstance(d, kind)}

warm()
before = compiled()
standard = Targets(parse_tuning("standard"))
read_strum(strummed("standard", 0, 1.5)[0], RATE, standard)
rng = np.random.default_rng(1)
sound = sounds.add_bleed(rng, sounds.pluck_run(rng, strings=[6, 6, 4, 1], length=0.8, gap=0.0))
analyse(sound.samples, sound.rate, standard)
solve(parse_gig(club_json(0, 18, 3)), 3.0)
print({k: n for k, n in compiled().items() if n > before.get(k, 0) and k.startswith("juxtatune")})
"""


def test_nothing_is_left_to_compile_when_it_is_wanted() -> None:
    done = subprocess.run([sys.executable, "-c", USE], capture_output=True, text=True, timeout=120)
    assert done.stderr == ""
    assert done.stdout.strip() == "{}"


START = """
import sys
from juxtatune.cli.quick_start import import_numba
import_numba()
from benchmarks.gigs import club_json
from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.planner import solve
print(solve(parse_gig(club_json(0, 8, 2)), 20.0).optimal, "numba.typed.dictimpl" in sys.modules)
import numba, numpy as np
print(numba.njit(lambda x: np.sort(x)[0])(np.array([2.0, 1.0])))
"""


def test_a_command_loads_compiled_code_without_the_compiler_and_compiles_what_is_new() -> None:
    done = subprocess.run([sys.executable, "-c", START], capture_output=True, text=True, timeout=120)
    assert done.stderr == ""
    assert done.stdout.splitlines() == ["True False", "1.0"]
