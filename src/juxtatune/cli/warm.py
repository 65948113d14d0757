"""Compiles the planner and the listener ahead of its first use: `python -m juxtatune.cli.warm`.

Compiled code is cached beside the sources. The cache of one file does not notice a change in another, so
it is thrown away first. Two processes share the work, and no function: its cache is not made for two writers.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from contextlib import suppress
from importlib import import_module
from multiprocessing import get_context
from pkgutil import walk_packages

import juxtatune
from juxtatune.app import compile_cache
from juxtatune.app.warm import warm, warm_bound, warm_listener, warm_planner, warm_tones

IMPORTED_LATE = ("ortools.sat.python.cp_model", "soundfile", "sounddevice", "PySide6.QtPrintSupport")


def _tones_and_planner() -> None:
    warm_tones()  # ready before the listener asks for them
    warm_planner()
    warm_bound()


def _import_all() -> None:
    """Everything that may be wanted, so that Python's own bytecode is there too."""
    ours = [module.name for module in walk_packages(juxtatune.__path__, "juxtatune.")]
    for name in (*ours, *IMPORTED_LATE):
        # a library that this machine lacks is missed when it is asked for
        with suppress(ImportError, OSError):
            import_module(name)


def _run(job: Callable[[], None]) -> None:
    job()


if __name__ == "__main__":
    print("Compiling the planner and the listener (once, a minute or two) …", file=sys.stderr)
    compile_cache.clear()
    with get_context("spawn").Pool(2) as two:
        two.map(_run, (_tones_and_planner, warm_listener, _import_all), chunksize=1)
    warm()
    compile_cache.drop_if_stale()  # nothing is: it notes what was compiled
