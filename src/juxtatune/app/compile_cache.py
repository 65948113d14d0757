"""The cache of compiled code beside the sources, thrown away once a source of it has changed.

numba compares a cached function with its own file alone, but the function holds all that it calls: after an update, what is
cached for one file may call what another no longer has.
"""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path

CORE = Path(__file__).parents[1] / "core"
STAMP = "__pycache__/compiled.json"


def clear(core: Path = CORE) -> None:
    """Throws the cache away."""
    for file in core.glob("**/__pycache__/*.nb[ic]"):
        file.unlink(missing_ok=True)
    _keep({}, core)


def drop_if_stale(core: Path = CORE) -> bool:
    """Throws the cache away if a source that it was compiled from has changed since it was last looked at; whether it did."""
    now = _sources(core)
    with suppress(OSError):
        known = _known(core)
        # what is cached and was never noted is from before an update
        if (known is None and now) or any((known or {}).get(source, stamp) != stamp for source, stamp in now.items()):
            clear(core)
            return True
        if known != now:
            _keep(now, core)
    return False


def _sources(core: Path) -> dict[str, list[int]]:
    """Size and time of every source that something is cached of; of one that is gone, zeros."""
    found = {index.parents[1] / f"{index.name.split('.')[0]}.py" for index in core.glob("**/__pycache__/*.nbi")}
    return {str(source.relative_to(core)): _stamp(source) for source in sorted(found)}


def _stamp(source: Path) -> list[int]:
    try:
        status = source.stat()
    except OSError:
        return [0, 0]
    return [status.st_size, status.st_mtime_ns]


def _known(core: Path) -> dict[str, list[int]] | None:
    """What was noted; None where nothing was."""
    try:
        known = json.loads((core / STAMP).read_text())
    except (OSError, ValueError):
        return None
    return known if isinstance(known, dict) else None


def _keep(known: dict[str, list[int]], core: Path) -> None:
    with suppress(OSError):
        (core / STAMP).parent.mkdir(exist_ok=True)
        (core / STAMP).write_text(json.dumps(known))
