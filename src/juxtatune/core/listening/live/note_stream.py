"""Readings of the notes of a stream: the steps of `pipeline.analyse`, over a window of the last seconds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.event.detect import Candidate, detect_tone
from juxtatune.core.listening.event.filter import with_onset
from juxtatune.core.listening.offset.note_off import find_end
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY, partial_hz
from juxtatune.core.listening.pipeline import RINGS_S, read_among
from juxtatune.core.listening.rejection.bleed import without_bleed, without_strays
from juxtatune.core.listening.rejection.drums import is_drum, is_sure, only_drums, string_weight
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Reading, Targets


class NoteStreamParameters(NamedTuple):
    """Notes of a stream."""

    confirm_s: float = 0.5  # after an onset it is decided whether a string begins there: a tone is scored over 0.3 s
    settle_s: float = 0.9  # a note is read once it has rung for so long
    same_onset_s: float = 0.05  # a decided onset may be found a little later again: two lie further apart
    partials: int = 8
    kept: int = 24  # candidates and readings that a new one is held against


NOTE_STREAM = NoteStreamParameters()


class Window(NamedTuple):
    """The last seconds of a stream, and the time at which they begin (s)."""

    signal: Signal
    begin: float


class NoteStream:
    """Remembers what was confirmed and read; times are those of the stream (s). Not shared between threads."""

    def __init__(self) -> None:
        self._confirmed: list[Candidate] = []
        self._readings: list[Reading] = []
        self._weights: list[float] = []  # of readings, against drums
        self._decided = self._read = float("-inf")  # onsets up to here were

    def is_due(self, onsets: Sequence[float], end: float) -> bool:
        """Whether by `end` an onset must be decided or a note be read."""
        undecided = any(self._is_undecided(t) and t <= end - NOTE_STREAM.confirm_s for t in onsets)
        return undecided or any(self._is_unread(c, end) for c in self._confirmed)

    def _is_undecided(self, onset: float) -> bool:
        return onset > self._decided + NOTE_STREAM.same_onset_s

    def _is_unread(self, c: Candidate, end: float) -> bool:
        return self._read + NOTE_STREAM.same_onset_s < c.onset <= end - NOTE_STREAM.settle_s

    def settled(self, window: Window, onsets: Sequence[float], end: float, targets: Targets) -> tuple[Reading, ...]:
        """Readings of the notes that have rung for long enough by `end` and were not reported yet."""
        times = [t - window.begin for t in onsets]
        self._confirm(window, times, end, targets)
        out: list[Reading] = []
        for k, c in enumerate(self._confirmed):
            if self._is_unread(c, end):
                self._read = c.onset
                reading = self._reading(window, times, k, targets)
                if reading is not None:
                    self._readings = [*self._readings[1 - NOTE_STREAM.kept :], reading]
                    out.append(reading)
        return tuple(out)

    def _confirm(self, window: Window, times: list[float], end: float, targets: Targets) -> None:
        """Decides the onsets (s in the window) that are old enough by `end`."""
        until = end - NOTE_STREAM.confirm_s
        due = [k for k, t in enumerate(times) if self._is_undecided(window.begin + t) and window.begin + t <= until]
        if not due:
            return
        found = [_moved(c, -window.begin) for c in self._confirmed]
        for k in due:
            found = with_onset(window.signal, times, k, targets, found)
        self._decided = window.begin + times[due[-1]]
        self._confirmed = [_moved(c, window.begin) for c in found[-NOTE_STREAM.kept :]]

    def _reading(self, window: Window, times: list[float], k: int, targets: Targets) -> Reading | None:
        """The reading of the k-th candidate; None where it is not the player's."""
        signal, begin = window
        c = self._confirmed[k]
        if c not in without_bleed(self._confirmed, targets):
            return None
        later = [_moved(d, -begin) for d in self._confirmed[k + 1 :]]
        later += self._unconfirmed(window, times, targets)
        still = tuple(r.f1 for r in self._readings if r.f1 and self._rings_at(window, r, c.onset))
        reading = read_among(signal, _moved(c, -begin), later, targets, still)
        if reading is None or self._is_drum(signal, reading):
            return None
        reading = replace(reading, start=begin + reading.start, end=begin + reading.end)
        return reading if reading in without_strays([*self._readings, reading], targets) else None

    def _is_drum(self, signal: Signal, reading: Reading) -> bool:
        weight = string_weight(signal, reading)
        self._weights = [*self._weights[1 - NOTE_STREAM.kept :], weight]
        return is_drum(reading, weight) or (only_drums(self._weights) and not is_sure(signal, reading))

    def _rings_at(self, window: Window, r: Reading, onset: float) -> bool:
        """Whether the string of a reading still rings just after another onset (s)."""
        start = max(r.start - window.begin, 0.0)
        at = onset - window.begin
        if r.f1 is None or at - start < NOTE_STREAM.settle_s or r.end < window.begin:
            return r.end > onset + RINGS_S
        hz = partial_hz(r.f1, r.inharmonicity or USUAL_INHARMONICITY, np.arange(1, NOTE_STREAM.partials + 1))
        end = find_end(window.signal, start, at + 2 * RINGS_S, at, hz, r.f1)
        return end > at + RINGS_S

    def _unconfirmed(self, window: Window, times: list[float], targets: Targets) -> list[Candidate]:
        """Tones at the onsets that are too young to be decided."""
        length, out = window.signal.length_s, []
        for k, t in enumerate(times):
            if self._is_undecided(window.begin + t):
                following = times[k + 1] if k + 1 < len(times) else length
                c = detect_tone(window.signal, t, following, targets)
                out += [c] if c is not None else []
        return out


def _moved(c: Candidate, by: float) -> Candidate:
    return replace(c, onset=c.onset + by)
