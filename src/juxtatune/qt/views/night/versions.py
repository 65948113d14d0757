"""Which kept orders of the open night are shown, left and right."""

from __future__ import annotations

from juxtatune.app.night import kept_orders
from juxtatune.book.state import BookState, KeptOrder, NightRecord
from juxtatune.core.planning.model.plan import Plan

LEFT, RIGHT = 0, 1


class Versions:
    """A kept order for either side, or none: then the order that stands is at the left and the plan at the right."""

    def __init__(self) -> None:
        self.shown: list[str | None] = [None, None]
        self._plans: dict[str, Plan | None] = {}

    def clear(self) -> None:
        self.shown, self._plans = [None, None], {}

    def forget_prices(self) -> None:
        """The book has changed, and with it perhaps what the orders cost."""
        self._plans = {}

    def step(self, side: int, state: BookState, night: NightRecord) -> KeptOrder | None:
        """The next kept order for a side; None after the last of them."""
        kept = kept_orders(state, night)
        ids = [k.id for k in kept]
        before = self.shown[side]
        at = ids.index(before) + 1 if before in ids else 0
        self.shown[side] = ids[at] if at < len(ids) else None
        return kept[at] if at < len(ids) else None

    def priced(self, version: object, plan: Plan | None) -> bool:
        """Takes the price of a kept order; False when it is not one of those shown."""
        if not isinstance(version, str) or version not in self.shown:
            return False
        self._plans[version] = plan
        return True

    def missing(self) -> list[str]:
        """Those shown that still want a price."""
        return [v for v in self.shown if v is not None and v not in self._plans]

    def plan(self, side: int, state: BookState, night: NightRecord) -> tuple[str, Plan] | None:
        """Title and priced plan of the kept order at a side."""
        version = self.shown[side]
        plan = self._plans.get(version) if version is not None else None
        name = next((k.name for k in kept_orders(state, night) if k.id == version), None)
        return (name, plan) if plan is not None and name is not None else None
