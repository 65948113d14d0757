"""Kinds of songs of which every two clash on an instrument: each of them wants a retune of its own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.retuning.formula import handling_s, turning_s

KEPT = 8
LOOKED_AT = 20_000

F64 = NDArray[np.float64]
I64 = NDArray[np.int64]


def clique_tables(
    demand_inst: I64, demand_pitch: I64, usable: list[bool], tables: dict[str, np.ndarray]
) -> dict[str, np.ndarray]:
    """Cliques as rows of classes with what arriving at each costs at least: whole, and by its cheapest string."""
    rows: list[tuple[list[int], list[float], list[float]]] = []
    start = [0]
    for inst in range(len(tables["strings"])):
        mine = [c for c in range(len(demand_inst)) if demand_inst[c] == inst and usable[c]]
        full, least = _pairs(mine, demand_pitch, inst, tables)
        found = [_arrivals(q, mine, full, least) for q in _maximal(np.isfinite(full))]
        found.sort(key=lambda row: -sum(row[1]))
        rows += found[:KEPT]
        start.append(len(rows))
    wide = max((len(r[0]) for r in rows), default=1)
    out: dict[str, np.ndarray] = {
        "clique_start": np.array(start, np.int64),
        "clique_demand": np.full((max(1, len(rows)), wide), -1, np.int64),
        "clique_full": np.zeros((max(1, len(rows)), wide)),
        "clique_least": np.zeros((max(1, len(rows)), wide)),
    }
    for k, row in enumerate(rows):
        for name, values in zip(("clique_demand", "clique_full", "clique_least"), row, strict=True):
            out[name][k, : len(row[0])] = values
    return out


def _pairs(mine: list[int], pitch: I64, inst: int, t: dict[str, np.ndarray]) -> tuple[F64, F64]:
    """Seconds of the retune between two classes and of its cheapest string alone; infinite where they agree."""
    n = len(mine)
    full, least = np.full((n, n), np.inf), np.full((n, n), np.inf)
    base, string, semitone, check, passes, _, _ = t["cost"][inst]
    at_all = handling_s(base, check, t["strings"][inst])
    for a in range(n):
        for b in range(n):
            moves = [
                turning_s(string, semitone, passes, abs(t["pitch"][inst, s, x] - t["pitch"][inst, s, y]))
                for s, (x, y) in enumerate(zip(pitch[mine[a]], pitch[mine[b]], strict=True))
                if x >= 0 and y >= 0 and x != y
            ]
            if moves:
                full[a, b], least[a, b] = at_all + sum(moves), at_all + min(moves)
    return full, least


def _arrivals(
    clique: list[int], mine: list[int], full: F64, least: F64
) -> tuple[list[int], list[float], list[float]]:
    others = [[b for b in clique if b != a] or [a] for a in clique]
    return (
        [mine[a] for a in clique],
        [_finite(min(full[a, b] for b in rest)) for a, rest in zip(clique, others, strict=True)],
        [_finite(min(least[a, b] for b in rest)) for a, rest in zip(clique, others, strict=True)],
    )


def _finite(x: float) -> float:
    """A class alone is arrived at from wherever the strings stand, which only a state knows."""
    return float(x) if np.isfinite(x) else 1e6


def _maximal(clash: NDArray[np.bool_]) -> list[list[int]]:
    """Largest sets in which every two clash (Bron and Kerbosch 1973), of as many as are looked at."""
    near = [sum(1 << b for b in range(len(clash)) if clash[a, b]) for a in range(len(clash))]
    found: list[list[int]] = []
    seen = 0

    def grow(chosen: int, allowed: int, done: int) -> None:
        nonlocal seen
        seen += 1
        if seen > LOOKED_AT:
            return
        if not allowed and not done:
            found.append([k for k in range(len(near)) if chosen >> k & 1])
            return
        pivot = max(_members(allowed | done), key=lambda u: (allowed & near[u]).bit_count())
        for k in _members(allowed & ~near[pivot]):
            grow(chosen | 1 << k, allowed & near[k], done & near[k])
            allowed &= ~(1 << k)
            done |= 1 << k

    grow(0, (1 << len(near)) - 1, 0)
    return [q for q in found if q]


def _members(mask: int) -> list[int]:
    return [k for k in range(mask.bit_length()) if mask >> k & 1]
