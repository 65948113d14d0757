"""What makes the commands start sooner."""

from __future__ import annotations

import sys

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
