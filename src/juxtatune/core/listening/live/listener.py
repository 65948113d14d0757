"""Streaming listener: blocks in, frame pitches for display and settled readings out.

The steps are those of `analyse`; they run over a rolling stretch of the last seconds, so that memory
stays bounded however long it listens.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, replace

import numpy as np

from juxtatune.core.listening.dsp.resample import Decimator, level_db
from juxtatune.core.listening.event.detect import detect_tone
from juxtatune.core.listening.event.modulation import is_modulated_continuation
from juxtatune.core.listening.hum.track import Hum, find_hum, taken_out
from juxtatune.core.listening.live.frame_pitch import PitchFrame, frame_pitch, two_strings
from juxtatune.core.listening.note.reading import read
from juxtatune.core.listening.onset.flux import RollingFlux
from juxtatune.core.listening.rejection.drums import is_drum
from juxtatune.core.listening.source import Block, Samples
from juxtatune.core.listening.types import Reading, Targets

KEEP_S = 6.0
LOOK_BACK_S = 2.0  # stretch in which new notes are looked for
GLIMPSE_S = 0.16  # window of a glimpse; longer for strings below 40 Hz
TOGETHER_S = 0.35  # window in which two strings are told from one
LOOKS, OFTEN = 8, 2  # of the last looks, so many must hear the same two strings
LOOK_EVERY_S = 0.1  # how often new onsets are looked for
SETTLE_S = 0.9  # a note is reported once it has rung for so long, or has ended
CLIP_AT = 0.999
PRINT_S = 2.0
TOO_QUIET_DB = -58.0  # a string below this is read with less certainty than it could be


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
        return self.glimpse is not None and self.glimpse.level_db < TOO_QUIET_DB


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
        self._flux = RollingFlux(12000.0, LOOK_BACK_S)
        self._looked = self._listened = 0.0
        self._onset: float | None = None
        self._hint: float | None = None
        self._reported: list[float] = []
        self._quiet: Samples | None = None  # the room with no string in it
        self._hum: Hum | None = None  # what hums in it
        self._print_at: float | None = None
        self._together: tuple[int, int] | None = None
        self._looks: deque[tuple[int, int] | None] = deque(maxlen=LOOKS)

    def retarget(self, targets: Targets) -> None:
        """Changes what is listened for, without forgetting the sound."""
        self.targets = targets

    @property
    def end(self) -> float:
        """Time (s) of the newest sample."""
        return self._begin + len(self._x) / self._flux.rate

    def newest(self, seconds: float) -> tuple[Samples, float]:
        """The newest sound (N,), as much of it as is kept, and its rate in Hz."""
        return self._x[-int(seconds * self._flux.rate) :], self._flux.rate

    def take_noise_profile(self) -> None:
        """Takes the next two seconds for what the room sounds like with no string: hum and noise to look past."""
        self._quiet, self._hum, self._print_at = (
            None,
            None,
            self.end + PRINT_S,
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
        looks = end - self._looked >= LOOK_EVERY_S
        if looks:
            self._looked = end
            settled = self._settle(end, rate)
            onsets = self._flux.onsets()
            if len(onsets):
                self._onset = float(self._origin + onsets[-1])
        # half-way between two looks, so that no two blocks in a row go without a glimpse
        listens = self._listened <= self._looked and end - self._looked >= LOOK_EVERY_S / 2
        if listens:
            self._listened = end
            self._note_together(rate)
        # either look is work enough for one block: the eye misses nothing in 20 ms, once a string is heard
        busy = looks or (listens and self._hint is not None)
        profiled = self._print_at is not None and end >= self._print_at
        if profiled:
            self._quiet, self._print_at = self._x[-int(PRINT_S * rate) :].copy(), None
            self._hum = find_hum(self._quiet, rate, int(PRINT_S))
        return BlockResult(
            None if busy else self._glimpse(end, rate), settled, level_db(block.samples),
            bool(len(block.samples) and np.max(np.abs(block.samples)) >= CLIP_AT), block.lost, profiled,
            self._together, self._onset,
        )  # fmt: skip

    def _keep(self, fresh: Samples, rate: float) -> None:
        """Appends to the last seconds, in place: they are moved to the front only when the store is full."""
        keep = int(KEEP_S * rate)
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
        return self._settle(end + SETTLE_S, self._decimator.rate)

    def _restart(self, block: Block) -> None:
        self._decimator = Decimator(block.rate)
        if block.rate != self._rate:
            self._quiet = self._hum = None
        self._rate = block.rate
        self._x, self._store, self._used = np.zeros(0), np.zeros(0), 0
        self._begin = self._origin = block.start / block.rate - self._decimator.delay
        self._flux = RollingFlux(self._decimator.rate, LOOK_BACK_S)
        self._hint = self._onset = None

    def _glimpse(self, end: float, rate: float) -> PitchFrame | None:
        size = int(GLIMPSE_S * rate)
        if len(self._x) < size:
            return None
        seen = frame_pitch(self._x[-size:], rate, end, self.targets, self._hint, self._quiet)
        self._hint = seen.f1 if seen is not None else None
        return seen

    def _note_together(self, rate: float) -> None:
        """A change of strings is in one or two looks, a second string that beats in some of many."""
        self._looks.append(self._ring_together(rate))
        found = [pair for pair in self._looks if pair is not None]
        if not found:
            self._together = None
        elif found.count(found[-1]) >= OFTEN:
            self._together = found[-1]

    def _ring_together(self, rate: float) -> tuple[int, int] | None:
        size = int(TOGETHER_S * rate)
        if self.targets.tuning is None or len(self._x) < size or level_db(self._x[-size:]) < TOO_QUIET_DB:
            return None
        return two_strings(self._x[-size:], rate, self.targets, self._hint, self._quiet)

    def _settle(self, end: float, rate: float) -> tuple[Reading, ...]:
        """Readings of the notes of the last seconds that are ripe and were not reported yet."""
        recent = min(len(self._x), int(LOOK_BACK_S * rate))
        x = self._x[-recent:]
        if level_db(x) < -80:
            return ()
        begin = end if recent == 0 else self._begin + (len(self._x) - recent) / rate
        # what the edge of the stretch cuts is not the start of a note
        edge = 0.25 if begin > 0.1 else -1.0
        times = [t for t in (self._origin + o - begin for o in self._flux.onsets()) if t >= edge]
        out = []
        for k, t in enumerate(times):
            if end - (begin + t) < SETTLE_S or any(abs(begin + t - r) < 0.15 for r in self._reported):
                continue
            following = self._next_note(x, rate, t, times[k + 1 :])
            reading = self._read_at(x, rate, t, following, begin)
            if reading is not None:
                out.append(reading)
        return tuple(out)

    def _next_note(self, x: Samples, rate: float, t: float, later: list[float]) -> float:
        """When the next string begins to sound, passing over noises."""
        length = len(x) / rate
        for k, s in enumerate(later):
            if s - t < 0.16:
                continue
            following = later[k + 1] if k + 1 < len(later) else length
            if detect_tone(x, rate, s, following, self.targets).string is not None:
                return s
        return length

    def _read_at(self, x: Samples, rate: float, t: float, following: float, begin: float) -> Reading | None:
        if self._hum is not None:
            x = taken_out(self._hum, self._x, rate)[len(self._x) - len(x) :]
        c = detect_tone(x, rate, t, following, self.targets).string
        if c is None or is_modulated_continuation(x, rate, c):
            self._remember(begin + t)
            return None
        end = len(x) / rate
        reading = read(x, rate, c, end, following if following < end else end, self.targets)
        self._remember(begin + t)
        if reading is None or is_drum(x, rate, reading):
            return None
        return replace(reading, start=begin + reading.start, end=begin + reading.end)

    def _remember(self, onset: float) -> None:
        self._reported = [*self._reported[-20:], onset]
