"""Songs and the ways to play them."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.core.music.tuning import Tuning


@dataclass(frozen=True)
class Way:
    """One way to play a song: instrument, open strings without the capo, capo fret, strings used.

    `strings_used` holds string numbers; empty means all. `compromise_s` is what playing it this way
    instead of the best way is worth, in seconds of dead air. `refingered`: with other fingers, at the song's own pitch.
    """

    instrument: str
    tuning: Tuning
    capo: int = 0
    strings_used: tuple[int, ...] = ()
    compromise_s: float = 0.0
    refingered: bool = False

    def uses(self, string: int) -> bool:
        return not self.strings_used or string in self.strings_used


MATTERS = ("essential", "from a section on", "hardly")  # how much its tuning matters to a song


@dataclass(frozen=True)
class Section:
    """A named stretch of a song and the strings that it uses, on the guitar that its music was written for."""

    name: str
    strings_used: tuple[int, ...]


@dataclass(frozen=True)
class Details:
    """What a player keeps about a song beside its ways. `key` is as written, tempo in beats a minute (0: not said).

    `passage` is its music as `string:fret` events on `passage_tuning` with `passage_capo`; singer and band can follow it
    `down` and `up` so many half steps. `matters_from` names the section that its tuning matters from. `shakes`: arm work and
    wide bends leave the guitar to be checked.
    """

    key: str = ""
    tempo: float = 0.0
    cue: str = ""
    notes: str = ""
    matters: str = "essential"
    matters_from: str = ""
    shakes: bool = False
    down: int = 0
    up: int = 0
    passage: str = ""
    passage_tuning: Tuning | None = None
    passage_capo: int = 0
    sections: tuple[Section, ...] = ()


@dataclass(frozen=True)
class Song:
    """A song with its length in seconds and at least one way to play it."""

    id: str
    title: str
    length_s: float
    energy: float
    ways: tuple[Way, ...]
    details: Details = Details()
