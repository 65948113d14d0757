"""Compiles the planner and the listener ahead of its first use: `python -m juxtatune.cli.warm`.

Compiled code is cached beside the sources. The cache of one file does not notice a change in another, so
it is thrown away first.
"""

from __future__ import annotations

import sys
from pathlib import Path

from juxtatune.app.warm import warm


def clear_cache() -> None:
    for file in Path(__file__).parents[1].glob("core/*/__pycache__/*.nb[ic]"):
        file.unlink(missing_ok=True)


if __name__ == "__main__":
    print("Compiling the planner and the listener (once, a minute or two) …", file=sys.stderr)
    clear_cache()
    warm()
