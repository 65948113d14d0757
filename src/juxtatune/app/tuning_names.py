"""What tunings are called in the application: the player's own names first, then those of the product."""

from __future__ import annotations

from collections.abc import Iterable

from juxtatune.book.state import OwnTuning
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.tuning import Tuning, same_pitches


class OwnNames:
    """The names of the open book, which every field reads and every list shows. Main thread only."""

    def __init__(self) -> None:
        self._by_name: dict[str, Tuning] = {}
        self._own: tuple[OwnTuning, ...] = ()

    def take(self, own: Iterable[OwnTuning]) -> None:
        self._own = tuple(own)
        self._by_name = {_key(o.name): o.tuning for o in self._own}

    def lookup(self, text: str) -> Tuning | None:
        return self._by_name.get(_key(text))

    def name_of(self, tuning: Tuning) -> str | None:
        return next((o.name for o in self._own if same_pitches(o.tuning, tuning)), None)


own_names = OwnNames()


def show_tuning(value: Tuning) -> str:
    """The name of a tuning, with its accidentals as signs."""
    return own_names.name_of(value) or pretty(name_tuning(value).name)


def _key(text: str) -> str:
    return " ".join(text.casefold().split())
