"""Streaming listener: blocks in, frame pitches for display and settled readings out.

The steps are those of `analyse`; they run over a rolling stretch of the last seconds, so that memory
stays bounded however long it listens.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.resample import Decimator, level_db
from juxtatune.core.listening.hum.track import Hum, find_hum, taken_out
from juxtatune.core.listening.live.frame_pitch import PitchFrame, frame_pitch, two_strings
from juxtatune.core.listening.live.note_stream import NOTE_STREAM, NoteStream, Window
from juxtatune.core.listening.onset.flux import RollingFlux
from juxtatune.core.listening.source import Block, Samples, Signal
from juxtatune.core.listening.types import Reading, Targets


class ListenerParameters(NamedTuple):
    """The streaming listener."""

    keep_s: float = 6.0
    look_back_s: float = 2.0  # stretch in which new notes are looked for
    together_s: float = 0.35  # window in which two strings are told from one
    together_looks: int = 8  # of the last looks, so many must hear the same two strings
    min_together: int = 2
    look_every_s: float = 0.1  # how often new onsets are looked for
    edge_s: float = 0.25
    silent_db: float = -80.0
    clip_level: float = 0.999
    noise_profile_s: float = 2.0
    quiet_db: float = -58.0  # a string below this is read with less certainty than it could be


LISTENER = ListenerParameters()


GLIMPSE_S = 0.16  # window of a glimpse; longer for strings below 40 Hz


@dataclass(frozen=True)
class BlockResult:
    """What one block brought: the glimpse of now, readings that settled, level in dB, warnings."""

    glimpse: PitchFrame | None
    settled: tuple[Reading, ...]
    level_db: float
    clipped: bool
    lost: int
    profiled: bool = False  # a noise print is complete with this block
    together: tuple[int, int] | None = None  # two strings that ring at once: neither is read well
    onset: float | None = None  # when the newest attack was heard, s

    @property
    def too_quiet(self) -> bool:
        """A string is heard, but hardly."""
        return self.glimpse is not None and self.glimpse.level_db < LISTENER.quiet_db


class Listener:
    """Feeds on blocks of one channel. Not shared between threads."""

    def __init__(self, targets: Targets) -> None:
        self.targets = targets
        self._decimator: Decimator | None = None
        self._rate = 0
        self._x: Samples = np.zeros(0)  # the last seconds, a view of the store
        self._store: Samples = np.zeros(0)
        self._used = 0
        self._begin = 0.0  # time of the first kept sample
        self._origin = 0.0  # time of the first sample since the last start
        self._flux = RollingFlux(12000.0, LISTENER.look_back_s)
        self._looked = self._listened = 0.0
        self._onset: float | None = None
        self._hint: float | None = None
        self._notes = NoteStream()
        self._quiet: Samples | None = None  # the room with no string in it
        self._hum: Hum | None = None  # what hums in it
        self._print_at: float | None = None
        self._together: tuple[int, int] | None = None
        self._looks: deque[tuple[int, int] | None] = deque(maxlen=LISTENER.together_looks)

    def retarget(self, targets: Targets) -> None:
        """Changes what is listened for, without forgetting the sound."""
        self.targets = targets

    @property
    def end(self) -> float:
        """Time (s) of the newest sample."""
        return self._begin + len(self._x) / self._flux.rate

    def newest(self, seconds: float) -> Signal:
        """The newest sound (N,), as much of it as is kept, and its rate in Hz."""
        return Signal(self._x[-int(seconds * self._flux.rate) :], self._flux.rate)

    def take_noise_profile(self) -> None:
        """Takes the next two seconds for what the room sounds like with no string: hum and noise to look past."""
        self._quiet, self._hum, self._print_at = (
            None,
            None,
            self.end + LISTENER.noise_profile_s,
        )

    def feed(self, block: Block) -> BlockResult:
        """Takes the next block and says what is heard. A gap or another rate starts afresh."""
        if self._decimator is None or block.rate != self._rate or block.lost:
            self._restart(block)
        assert self._decimator is not None
        fresh = self._decimator.feed(block.samples)
        self._flux.feed(fresh)
        rate = self._decimator.rate
        self._keep(fresh, rate)
        end = self._begin + len(self._x) / rate
        settled: tuple[Reading, ...] = ()
        looks = end - self._looked >= LISTENER.look_every_s
        if looks:
            self._looked = end
            settled = self._settle(end, rate)
            onsets = self._flux.onsets()
            if len(onsets):
                self._onset = float(self._origin + onsets[-1])
        # half-way between two looks, so that no two blocks in a row go without a glimpse
        listens = self._listened <= self._looked and end - self._looked >= LISTENER.look_every_s / 2
        if listens:
            self._listened = end
            self._note_together(rate)
        # either look is work enough for one block: the eye misses nothing in 20 ms, once a string is heard
        busy = looks or (listens and self._hint is not None)
        profiled = self._print_at is not None and end >= self._print_at
        if profiled:
            self._quiet, self._print_at = self._x[-int(LISTENER.noise_profile_s * rate) :].copy(), None
            self._hum = find_hum(Signal(self._quiet, rate), int(LISTENER.noise_profile_s))
        return BlockResult(
            None if busy else self._glimpse(end, rate), settled, level_db(block.samples),
            bool(len(block.samples) and np.max(np.abs(block.samples)) >= LISTENER.clip_level), block.lost, profiled,
            self._together, self._onset,
        )  # fmt: skip

    def _keep(self, fresh: Samples, rate: float) -> None:
        """Appends to the last seconds, in place: they are moved to the front only when the store is full."""
        keep = int(LISTENER.keep_s * rate)
        if self._used + len(fresh) > len(self._store):
            tail = self._x[-keep:].copy()
            self._store = np.empty(max(2 * keep, len(tail) + len(fresh)))
            self._store[: len(tail)] = tail
            self._used = len(tail)
        self._store[self._used : self._used + len(fresh)] = fresh
        self._used += len(fresh)
        held = len(self._x) + len(fresh)
        self._begin += max(0, held - keep) / rate
        self._x = self._store[self._used - min(held, keep) : self._used]

    def finish(self) -> tuple[Reading, ...]:
        """Readings of what still sounds when the sound ends."""
        if self._decimator is None:
            return ()
        end = self._begin + len(self._x) / self._decimator.rate
        return self._settle(end + NOTE_STREAM.settle_s, self._decimator.rate)

    def _restart(self, block: Block) -> None:
        self._decimator = Decimator(block.rate)
        if block.rate != self._rate:
            self._quiet = self._hum = None
        self._rate = block.rate
        self._x, self._store, self._used = np.zeros(0), np.zeros(0), 0
        self._begin = self._origin = block.start / block.rate - self._decimator.delay
        self._flux = RollingFlux(self._decimator.rate, LISTENER.look_back_s)
        self._hint = self._onset = None
        self._notes = NoteStream()

    def _glimpse(self, end: float, rate: float) -> PitchFrame | None:
        size = int(GLIMPSE_S * rate)
        if len(self._x) < size:
            return None
        seen = frame_pitch(Signal(self._x[-size:], rate), end, self.targets, self._hint, self._quiet)
        self._hint = seen.f1 if seen is not None else None
        return seen

    def _note_together(self, rate: float) -> None:
        """A change of strings is in one or two looks, a second string that beats in some of many."""
        self._looks.append(self._ring_together(rate))
        found = [pair for pair in self._looks if pair is not None]
        if not found:
            self._together = None
        elif found.count(found[-1]) >= LISTENER.min_together:
            self._together = found[-1]

    def _ring_together(self, rate: float) -> tuple[int, int] | None:
        size = int(LISTENER.together_s * rate)
        if self.targets.tuning is None or len(self._x) < size or level_db(self._x[-size:]) < LISTENER.quiet_db:
            return None
        return two_strings(Signal(self._x[-size:], rate), self.targets, self._hint, self._quiet)

    def _settle(self, end: float, rate: float) -> tuple[Reading, ...]:
        """Readings of the notes of the last seconds that are ripe and were not reported yet."""
        if level_db(self._x[-int(LISTENER.look_back_s * rate) :]) < LISTENER.silent_db:
            return ()
        begin = self.end - LISTENER.look_back_s
        # what the edge of the flux cuts is not the start of a note
        first = begin + LISTENER.edge_s if begin > self._origin + LISTENER.edge_s else self._origin
        onsets = [t for t in (self._origin + o for o in self._flux.onsets()) if t >= first]
        if not self._notes.is_due(onsets, end):
            return ()
        signal = Signal(self._x, rate)
        signal = signal if self._hum is None else taken_out(self._hum, signal)
        return self._notes.settled(Window(signal, self._begin), onsets, end, self.targets)
