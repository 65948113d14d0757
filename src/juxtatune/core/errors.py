"""Input that cannot be used, and answers that cannot be given."""

from __future__ import annotations

from dataclasses import dataclass


class UserError(Exception):
    """Unusable input. Says what was found, where, and what is allowed."""

    def __init__(self, what: str, where: str = "", allowed: str = "") -> None:
        self.what, self.where, self.allowed = what, where, allowed
        super().__init__(self.message())

    def message(self) -> str:
        """One line for a person: place, finding, what is allowed."""
        head = f"{self.where}: " if self.where else ""
        tail = f" (allowed: {self.allowed})" if self.allowed else ""
        return f"{head}{self.what}{tail}"

    def at(self, where: str) -> UserError:
        """The same error with an outer place put before its own."""
        place = f"{where}: {self.where}" if self.where else where
        return UserError(self.what, place, self.allowed)


@dataclass(frozen=True)
class CannotTell:
    """A reason instead of a number: the question was fair, the evidence does not decide it."""

    reason: str
