"""Where each field of the tables lies among the packed ones, under its name in capitals: DEMAND_INST, WAY_COMP."""

from __future__ import annotations

import numpy as np

from juxtatune.core.planning.model.tables import Tables

# of one of numpy's types: for a plain number each compiled function would be compiled once more
globals().update({name.upper(): np.int64(k) for k, name in enumerate(Tables._fields)})


def __getattr__(name: str) -> np.int64:
    """Tells type checkers of the names above."""
    raise AttributeError(f"no table is called {name.lower()}")
