"""Detectors that run beside single-string listening while the player asks for them: bends, and beats of two strings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from juxtatune.core.listening.live.beating import SPAN_S, Beat, beat
from juxtatune.core.listening.live.bend import Bend, follow
from juxtatune.core.listening.live.frame_pitch import tone_pairs
from juxtatune.core.listening.live.listener import TOGETHER_S, TOO_QUIET_DB, BlockResult, Listener

LOOK_S = 0.1  # how often the dearer looks are taken
ATTACK_S = 0.1  # of an attack beats are not read
LEAST_S = 0.72  # of sound beats are read from
CLOSEST, WIDEST = 60.0, 450.0  # cents between the strings of a unison bend as it starts; common practice, no source
AGREED = 5.0  # cents within which a unison bend is one; common practice, no source


class Ear(Protocol):
    def hear(self, listener: Listener, heard: BlockResult) -> object | None:
        """What the newest block brought, None where nothing is new. Called where the listener runs."""


class BeatEar:
    """Two strings whose partials meet near `meeting_hz`, the partial of the one that stays."""

    def __init__(self, meeting_hz: float) -> None:
        self._meeting = meeting_hz
        self._looked = -1.0

    def hear(self, listener: Listener, heard: BlockResult) -> Beat | None:
        end = listener.end
        if end - self._looked < LOOK_S or heard.level_db < TOO_QUIET_DB:
            return None
        self._looked = end
        since = end - heard.onset - ATTACK_S if heard.onset is not None else SPAN_S
        if since < LEAST_S:
            return None
        x, rate = listener.newest(min(SPAN_S, since))
        return beat(x, rate, self._meeting)


@dataclass(frozen=True)
class HeardBend:
    """A bend; with two strings, `unison` is how far (cents) the bent one is above the other, None for one string."""

    bend: Bend
    unison: float | None = None
    beats: float = 0.0  # a second, of a unison bend


class BendEar:
    """One string that is bent, or two of which the lower is bent up to the other."""

    def __init__(self) -> None:
        self._bend: Bend | None = None
        self._goal: float | None = None  # Hz of the string that stays
        self._unison: tuple[float, float] | None = None  # cents, beats a second
        self._looked = -1.0

    def hear(self, listener: Listener, heard: BlockResult) -> HeardBend | None:
        if heard.glimpse is None:
            return None
        before, self._bend = self._bend, follow(self._bend, heard.glimpse)
        if self._bend is None:
            return None
        if before is None or before.began != self._bend.began:
            self._goal = self._unison = None
        if listener.end - self._looked >= LOOK_S and listener.end - self._bend.began > TOGETHER_S:
            self._looked = listener.end
            self._look(listener)
        if self._unison is None:
            return HeardBend(self._bend)
        return HeardBend(self._bend, *self._unison)

    def _look(self, listener: Listener) -> None:
        """Where two strings ring, how far the lower is from the upper; once they are close, by their beats."""
        found = next(tone_pairs(*listener.newest(TOGETHER_S)), None)
        if found is not None:
            low, high = sorted(found)
            apart = 1200 * float(np.log2(high / low))
            if CLOSEST <= apart <= WIDEST:
                self._goal = high if self._goal is None else self._goal
                self._unison = (-apart, 0.0)
                return
        if self._goal is None:
            return
        heard = beat(*listener.newest(SPAN_S / 2 + 0.1), self._goal)
        if heard is not None:
            self._unison = (1200 * float(np.log2(1 + heard.rate / self._goal)), abs(heard.rate))
