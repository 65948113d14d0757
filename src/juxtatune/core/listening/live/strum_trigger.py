"""Cuts one strum out of a stream: some sound before it, and as long as separating the strings takes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.source import Block, Samples


class StrumTriggerParameters(NamedTuple):
    """Catching a strum."""

    before_s: float = 0.5
    after_s: float = 3.2
    patience_s: float = 12.0  # without a strum
    min_db: float = -55.0  # of a strum: over full scale, over the sound before it
    rise_db: float = 8.0
    look_s: float = 0.02
    died_db: float = 15.0
    picked_db: float = 6.0
    room_s: float = 0.1


STRUM_TRIGGER = StrumTriggerParameters()


class StrumCatcher:
    """Feeds on blocks until a strum has rung long enough. A gap or another rate starts afresh."""

    def __init__(self) -> None:
        self._kept: list[Samples] = []
        self._rate = 0
        self._count = 0
        self._began: int | None = None  # count of samples at the strum
        self._waited = 0.0

    @property
    def expired(self) -> bool:
        """True when nobody strums."""
        return self._began is None and self._waited > STRUM_TRIGGER.patience_s

    def feed(self, block: Block) -> tuple[Samples, int] | None:
        """Takes the next block; the strum (samples, rate in Hz) once it is complete."""
        if block.rate != self._rate or block.lost:
            self._kept, self._rate, self._count, self._began = [], block.rate, 0, None
        if self._began is None:
            self._waited += len(block.samples) / block.rate
            if self._rises(block):
                self._began = self._count
        self._kept.append(block.samples)
        self._count += len(block.samples)
        if self._began is None:
            self._forget()
            return None
        if self._count - self._began < STRUM_TRIGGER.after_s * self._rate:
            return None
        return np.concatenate(self._kept), self._rate

    def _rises(self, block: Block) -> bool:
        if self._count < STRUM_TRIGGER.room_s * self._rate:
            return False  # the room is not known yet
        before = np.concatenate(self._kept)
        now = _loudest(block.samples, self._rate)
        return now > STRUM_TRIGGER.min_db and now > level_db(before) + STRUM_TRIGGER.rise_db

    def _forget(self) -> None:
        while self._kept and self._count - len(self._kept[0]) >= STRUM_TRIGGER.before_s * self._rate:
            self._count -= len(self._kept[0])
            del self._kept[0]


class Ringing:
    """Tells when a strum that was read has died away or been damped, or a string is picked anew."""

    def __init__(self, samples: Samples) -> None:
        self._begin = self._lowest = level_db(samples)

    def goes_on(self, block: Block) -> bool:
        level = level_db(block.samples)
        self._lowest = min(self._lowest, level)
        return self._begin - STRUM_TRIGGER.died_db < level < self._lowest + STRUM_TRIGGER.picked_db


def level_db(x: Samples) -> float:
    """Mean level in dB over full scale."""
    return float(10 * np.log10(np.mean(np.square(x)) + 1e-12))


def _loudest(x: Samples, rate: int) -> float:
    """Level (dB over full scale) of the loudest moment."""
    size = max(1, min(len(x), int(STRUM_TRIGGER.look_s * rate)))
    return max((level_db(x[k : k + size]) for k in range(0, len(x) - size + 1, size)), default=-120.0)
