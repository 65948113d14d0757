"""What a retune takes in seconds. The formula is the product's own cost model (docs/planning.md)."""

from __future__ import annotations

from collections.abc import Iterable

from juxtatune.core.retuning.formula import handling_s, turning_s
from juxtatune.core.strings.instrument import Costs


def retune_seconds(costs: Costs, strings: int, semitones: Iterable[float]) -> float:
    """One instrument in one gap: `semitones` are the moves of the strings that change (none: 0 s)."""
    moves = [abs(m) for m in semitones]
    if not moves:
        return 0.0
    turning = sum(turning_s(costs.string_s, costs.semitone_s, costs.passes, m) for m in moves)
    return float(handling_s(costs.base_s, costs.check_s, strings) + turning)
