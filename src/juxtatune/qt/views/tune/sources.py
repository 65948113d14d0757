"""What Tune listens to: the simulated guitar, a sound file, or a sound input."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from juxtatune.core.listening.source import SoundSource
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.sim.guitar import SimulatedGuitar
from juxtatune.core.strings.instrument import Instrument
from juxtatune.devices.sound_file import FileSource
from juxtatune.devices.sound_in import LiveSource, find_device

STRAY = 1.5  # cents that each string of a fresh simulated guitar may be off


class Sources:
    """Keeps what is wanted, and the simulated guitar between two openings of it."""

    def __init__(self, warn: Callable[[str], None]) -> None:
        self.guitar: SimulatedGuitar | None = None
        self._warn = warn
        self._device: str | None = None  # None with no file: the simulated guitar
        self._file: Path | None = None
        self._channel: int | None = None
        self._seed = 0

    @property
    def simulated(self) -> bool:
        return self._device is None and self._file is None

    def want(self, device: str | None = None, file: Path | None = None, channel: int | None = None) -> None:
        """A device, a file, or (neither) the simulated guitar from now on."""
        self._device, self._file, self._channel = device, file, channel

    def opened(self, guitar: Instrument, tuning: Tuning, reference: Reference) -> SoundSource:
        """What is wanted; the simulated guitar as it stands, or a fresh one a little off this tuning. Raises UserError."""
        source = self._real()
        if source is not None:
            return source
        if self.guitar is None:
            self._seed += 1
            self.guitar = self._fresh(guitar, tuning, reference)
            self.guitar.detune(np.random.default_rng(self._seed).uniform(-STRAY, STRAY, len(tuning)))
        return self.guitar

    def outside(self, guitar: Instrument, reference: Reference) -> SoundSource:
        """The same for a guitar outside a retune, as it stands. Raises UserError."""
        return self._real() or self._fresh(guitar, guitar.tuning, reference)

    def _real(self) -> SoundSource | None:
        if self._file is not None:
            source = FileSource(self._file)
            if source.warning:
                self._warn(source.warning)
            return source
        return LiveSource(find_device(self._device), self._channel) if self._device is not None else None

    def _fresh(self, guitar: Instrument, tuning: Tuning, reference: Reference) -> SimulatedGuitar:
        """A guitar with a bridge and a saddle of its kind that are its own and stay the same."""
        return SimulatedGuitar(
            tuning, seed=self._seed, bridge=guitar.bridge, reference=reference, level=guitar.home,
            gauges=guitar.setup.gauges, bridge_seed=sum(guitar.id.encode()), off=guitar.setup.off,
        )  # fmt: skip
