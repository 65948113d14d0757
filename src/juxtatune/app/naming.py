"""Names that are unique in a book, and ids made from them."""

from __future__ import annotations

import re


def numbered(name: str, taken: set[str], between: str = " ") -> str:
    """The name itself, or with the first number from 2 on that makes it unique."""
    found, k = name, 2
    while found in taken:
        found, k = f"{name}{between}{k}", k + 1
    return found


def fresh_id(title: str, taken: set[str]) -> str:
    """A short id in small letters, digits and dashes."""
    base = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-") or "item"
    return numbered(base, taken, "-")
