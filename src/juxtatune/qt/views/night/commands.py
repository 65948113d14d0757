"""Everything the Night view does, once: its key, its words at the foot and in menus, and what it calls."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt

KEY = Qt.Key


@dataclass(frozen=True)
class Command:
    """`work` is called with the chosen song, or with None where it needs none (`on_song` False)."""

    key: Qt.Key
    keys: str
    hint: str
    menu: str
    work: Callable[[str | None], object]
    on_song: bool = True
    shift: bool = False


class Commands:
    """The commands in groups, found by key."""

    def __init__(self, groups: tuple[tuple[Command, ...], ...]) -> None:
        self.groups = groups
        self._all = [c for group in groups for c in group]

    def hints(self) -> tuple[str, ...]:
        return tuple(f"{c.keys}  {c.hint}" for c in self._all if c.hint)

    def keys(self) -> tuple[tuple[str, str], ...]:
        """(keys, what they do), for the page of keys."""
        return tuple((c.keys, c.menu.replace("&", "").rstrip("…")) for c in self._all)

    def find(self, key: int, shift: bool) -> Command | None:
        exact = next((c for c in self._all if c.key == key and c.shift == shift), None)
        return exact or next((c for c in self._all if c.key == key and not c.shift), None)
