"""Songs and the ways to play them."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.music.tuning import Tuning


@dataclass(frozen=True)
class Way:
    """One way to play a song: instrument, open strings without the capo, capo fret, strings used.

    `strings_used` holds string numbers; empty means all. `compromise_s` is what playing it this way
    instead of the best way is worth, in seconds of dead air.
    """

    instrument: str
    tuning: Tuning
    capo: int = 0
    strings_used: tuple[int, ...] = ()
    compromise_s: float = 0.0

    def uses(self, string: int) -> bool:
        return not self.strings_used or string in self.strings_used


@dataclass(frozen=True)
class Song:
    """A song with its length in seconds and at least one way to play it."""

    id: str
    title: str
    length_s: float
    energy: float
    ways: tuple[Way, ...]
