"""Listening for bends and for beats of two strings, beside the listener."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np

from juxtatune.core.listening.live.bend import Bend, follow
from juxtatune.core.listening.live.frame_pitch import tone_pairs
from juxtatune.core.listening.live.listener import LISTENER, BlockResult, Listener
from juxtatune.core.listening.multipitch.sinusoids import sinusoids
from juxtatune.core.listening.source import Signal


class EarParameters(NamedTuple):
    """Listening for bends and beats."""

    look_s: float = 0.1  # how often the dearer looks are taken
    attack_s: float = 0.1  # of an attack beats are not read
    min_sound_s: float = 0.72  # of sound beats are read from
    min_unison_cents: float = 60.0  # between the strings of a unison bend as it starts; common practice, no source
    max_unison_cents: float = 450.0
    unison_cents: float = 5.0  # within which a unison bend is one; common practice, no source


EAR = EarParameters()


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
        if end - self._looked < EAR.look_s or heard.level_db < LISTENER.quiet_db:
            return None
        self._looked = end
        since = end - heard.onset - EAR.attack_s if heard.onset is not None else BEATING.span_s
        if since < EAR.min_sound_s:
            return None
        x, rate = listener.newest(min(BEATING.span_s, since))
        return beat(Signal(x, rate), self._meeting)


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
        if listener.end - self._looked >= EAR.look_s and listener.end - self._bend.began > LISTENER.together_s:
            self._looked = listener.end
            self._look(listener)
        if self._unison is None:
            return HeardBend(self._bend)
        return HeardBend(self._bend, *self._unison)

    def _look(self, listener: Listener) -> None:
        """Where two strings ring, how far the lower is from the upper; once they are close, by their beats."""
        found = next(tone_pairs(listener.newest(LISTENER.together_s)), None)
        if found is not None:
            low, high = sorted(found)
            apart = 1200 * float(np.log2(high / low))
            if EAR.min_unison_cents <= apart <= EAR.max_unison_cents:
                self._goal = high if self._goal is None else self._goal
                self._unison = (-apart, 0.0)
                return
        if self._goal is None:
            return
        heard = beat(listener.newest(BEATING.span_s / 2 + 0.1), self._goal)
        if heard is not None:
            self._unison = (1200 * float(np.log2(1 + heard.rate / self._goal)), abs(heard.rate))


class BeatingParameters(NamedTuple):
    """Beats of two strings."""

    span_s: float = 1.2  # of sound that is read: longer sees slower beats, but follows a turned peg later
    max_beat_hz: float = 12.0  # between partials that are still taken to meet
    max_level_difference_db: float = 24.0  # a partial weaker than the other by more than this makes no beat that is heard
    min_sign_hz: float = 0.12  # by so much one of two partials must lie nearer to the reference for the sign to be known


BEATING = BeatingParameters()


@dataclass(frozen=True)
class Beat:
    """`rate` in beats a second, above 0 where the string is too high, 0 where no beat is heard in `span` s.

    `signed` is False where it is not known which of the two is the higher; then `rate` is above 0.
    """

    rate: float
    signed: bool
    span: float


def beat(signal: Signal, reference_hz: float) -> Beat | None:
    """How the strings beat whose partials meet near the partial `reference_hz` of the string that stays.

    `x` (N,) is the newest sound, of which SPAN_S s are read. None where nothing sounds there, or for too short a time.
    """
    x, rate = signal
    x = x[-int(BEATING.span_s * rate) :]
    found = sinusoids(Signal(x, rate), [(reference_hz - BEATING.max_beat_hz, reference_hz + BEATING.max_beat_hz)])
    if found is None:
        return None
    near = np.flatnonzero(np.abs(found.hz - reference_hz) <= BEATING.max_beat_hz)
    if len(near) == 0:
        return None
    span = len(x) / rate
    strongest = near[np.argsort(-found.level[near], kind="stable")][:2]
    if len(strongest) < 2 or found.level[strongest[0]] - found.level[strongest[1]] > BEATING.max_level_difference_db:
        return Beat(0.0, True, span)
    one, other = sorted(float(hz) for hz in found.hz[strongest])
    below, above = abs(one - reference_hz), abs(other - reference_hz)
    # the one nearer to where the reference is known to be is the reference
    sign = 1.0 if below <= above else -1.0
    signed = abs(below - above) >= BEATING.min_sign_hz
    return Beat((other - one) * (sign if signed else 1.0), signed, span)
