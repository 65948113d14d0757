"""The guided calibration of a guitar's bridge: one string is moved, one strum reads all, a dozen times: a few minutes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning.led import swing
from juxtatune.core.strings.coupling import BridgeModel


class Calibration:
    """Says which string is to stand where before the next strum; every strum is a step. Main thread only."""

    def __init__(self, model: BridgeModel, tuning: Tuning, strings: tuple[int, ...]) -> None:
        self._talk = swing(model, tuning, strings)
        self._action: dict[str, Any] = next(self._talk)
        self.steps, self.done_steps = 1 + 2 * len(strings), 0
        self.known: dict[str, Any] | None = None  # what was learned, once all is done

    @property
    def wanted(self) -> tuple[int, float] | None:
        """The string to set and the cents against its note that it must read; None before the first strum and at the end."""
        if self.known is not None or self._action["do"] != "set":
            return None
        return int(self._action["string"]), float(self._action["cents"])

    def strummed(self, cents: Mapping[int, float | None]) -> str:
        """Takes one strum of all strings; a problem in words where the string that was to be set cannot be told."""
        if self.wanted is not None:
            string = self.wanted[0]
            stands = cents.get(string)
            if stands is None:
                return "the string that was turned could not be told: strum again"
            if not self._answer({"string": string, "cents": stands}):
                return ""
        read = {str(s): c for s, c in cents.items()}
        self.done_steps += 1
        self._answer({"cents": read})
        return ""

    def _answer(self, answer: dict[str, Any]) -> bool:
        try:
            self._action = self._talk.send(answer)
        except StopIteration as end:
            self.known = end.value["known"]
            return False
        return True
