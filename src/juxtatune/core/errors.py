"""Input that cannot be used, and answers that cannot be given."""

from __future__ import annotations

import re
from dataclasses import dataclass

MOST_MESSAGE, MOST_QUOTED, MOST_WORD, MOST_ALLOWED = 2000, 80, 300, 600  # characters
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]+")
_QUOTED = re.compile(rf"'([^']{{{MOST_QUOTED},}})'|\"([^\"]{{{MOST_QUOTED},}})\"")
_WORD = re.compile(rf"\S{{{MOST_WORD},}}")


def printable(text: str, most: int = MOST_MESSAGE) -> str:
    """Text on one line, of any file's or player's making: no control characters, nothing quoted at length."""
    plain = _CONTROL.sub(" ", text.encode("utf-8", "replace").decode("utf-8"))
    plain = _QUOTED.sub(lambda m: f"'{(m[1] or m[2])[: MOST_QUOTED - 1]}…'", plain)
    plain = _WORD.sub(lambda m: m[0][: MOST_QUOTED - 1] + "…", plain)
    return plain if len(plain) <= most else plain[: most - 1] + "…"


class UserError(Exception):
    """Unusable input. Says what was found, where, and what is allowed."""

    def __init__(self, what: str, where: str = "", allowed: str = "") -> None:
        self.what, self.where, self.allowed = printable(what), printable(where), printable(allowed, MOST_ALLOWED)
        super().__init__(self.message())

    def message(self) -> str:
        """One line for a person: place, finding, what is allowed."""
        head = f"{self.where}: " if self.where else ""
        tail = f" (allowed: {self.allowed})" if self.allowed else ""
        return printable(f"{head}{self.what}{tail}", MOST_MESSAGE)

    def at(self, where: str) -> UserError:
        """The same error with an outer place put before its own."""
        place = f"{where}: {self.where}" if self.where else where
        return UserError(self.what, place, self.allowed)


@dataclass(frozen=True)
class CannotTell:
    """A reason instead of a number: the question was fair, the evidence does not decide it."""

    reason: str
