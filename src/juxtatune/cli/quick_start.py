"""What makes the commands start sooner."""

from __future__ import annotations

import sys
from typing import Any

# packages that numba looks for as it is imported, and that compiled code here has no use for
UNUSED_BY_NUMBA = ("cffi", "colorama", "scipy")


def import_numba() -> None:
    """Imports numba without the packages it only looks for, a twentieth of a small command's time.

    At its first call it would look for scipy's linear algebra too, for dot products, of which compiled code has none.
    """
    hidden = [name for name in UNUSED_BY_NUMBA if name not in sys.modules]
    sys.modules.update(dict.fromkeys(hidden))  # type: ignore[arg-type]
    try:
        import numba  # noqa: F401
    finally:
        for name in hidden:
            del sys.modules[name]
    sys.modules.setdefault("scipy.linalg", None)  # type: ignore[arg-type]
    _load_without_types()


def _load_without_types() -> None:
    """Loads compiled code from its cache without everything that only compiling needs, a quarter of a second.

    Numba imports its whole library of typed functions before it looks into a cache; it does so again, and then needs
    to, before it compiles.
    """
    from numba.core.caching import Cache
    from numba.core.runtime import rtsys  # type: ignore[attr-defined]

    def load_overload(self: Any, signature: Any, context: Any) -> Any:
        rtsys.initialize(context)
        with self._guard_against_spurious_io_errors():
            return self._load_overload(signature, context)

    if hasattr(Cache, "_load_overload") and hasattr(Cache, "_guard_against_spurious_io_errors"):
        Cache.load_overload = load_overload  # type: ignore[method-assign]
