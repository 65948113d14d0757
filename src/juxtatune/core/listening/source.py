"""The sound source interface, behind which sound card, file and simulated guitar stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.floating]  # one channel, single or double precision


class Signal(NamedTuple):
    """One channel `x` (N,) at its `rate` (Hz)."""

    x: Samples
    rate: float

    @property
    def length_s(self) -> float:
        return len(self.x) / self.rate


@dataclass(frozen=True)
class Block:
    """A stretch of one channel. `samples` (k,) in -1..1 nominal; `start` counts samples since the source began.

    `lost` is the number of samples that went missing right before this block.
    """

    samples: Samples
    rate: int
    start: int
    lost: int = 0


class SoundSource(Protocol):
    """Gives blocks until it ends. Implementations never block for longer than `timeout` seconds."""

    @property
    def name(self) -> str: ...

    def start(self) -> None: ...

    def read(self, timeout: float) -> Block | None:
        """The next block, or None when none came in time or the source has ended."""

    def stop(self) -> None: ...
