"""What makes the commands start sooner."""

from __future__ import annotations

import sys


def without_scipy_linalg() -> None:
    """For commands whose compiled code needs none of it: at its first call numba would look for it, for dot products."""
    sys.modules.setdefault("scipy.linalg", None)  # type: ignore[arg-type]
