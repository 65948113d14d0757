"""The sound card, through PortAudio: devices, and a source that waits for a lost device to come back."""

from __future__ import annotations

import queue
import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from juxtatune.core.errors import UserError
from juxtatune.core.listening.dsp.resample import clearest_channel
from juxtatune.core.listening.source import Block

ADVICE = (
    "plug in a sound interface or microphone, check that the system sees it, then try `juxtatune devices`"
)
BLOCK_S = 0.02
SILENT_FOR_S = 1.0  # a stream that gives nothing for so long has lost its device
RETRY_S = 1.0
CHOOSE_AFTER_S = 1.5


@dataclass(frozen=True)
class Device:
    index: int
    name: str
    channels: int
    default_rate: int
    default: bool


def portaudio() -> Any:
    """The sounddevice module. Raises UserError where the PortAudio library is missing."""
    try:
        import sounddevice
    except OSError:
        raise UserError("the PortAudio library is missing", "sound input", "install libportaudio2") from None
    return sounddevice


def refresh() -> None:
    """Looks at the hardware afresh: PortAudio keeps the list it made at its start."""
    sd = portaudio()
    try:
        sd._terminate()
        sd._initialize()
    except sd.PortAudioError:
        pass


def devices() -> list[Device]:
    """All sound inputs."""
    sd = portaudio()
    try:
        rows = list(sd.query_devices())
        default = sd.default.device[0]
    except sd.PortAudioError:
        return []
    return [
        Device(k, row["name"], int(row["max_input_channels"]), int(row["default_samplerate"]), k == default)
        for k, row in enumerate(rows)
        if row["max_input_channels"] > 0
    ]


def find_device(wanted: str | None) -> Device:
    """The input of that index, name, or unambiguous part of a name; the default for None."""
    inputs = devices()
    if not inputs:
        raise UserError("no sound input is usable", "sound input", ADVICE)
    listing = ", ".join(f"{d.index} ({d.name})" for d in inputs)
    if wanted is None:
        return next((d for d in inputs if d.default), inputs[0])
    if wanted.isdecimal():
        found = [d for d in inputs if d.index == int(wanted)]
    else:
        found = [d for d in inputs if d.name == wanted] or [
            d for d in inputs if wanted.lower() in d.name.lower()
        ]
    if len(found) != 1:
        what = "no sound input" if not found else "more than one sound input"
        raise UserError(f"{what} is called {wanted!r}", "device", f"one of {listing}")
    return found[0]


class LiveSource:
    """A SoundSource on a device. When the device vanishes it is looked for by name until it returns."""

    def __init__(self, device: Device, channel: int | None = None) -> None:
        self.device = device
        self._channel: int | None = channel
        self._queue: queue.Queue[tuple[np.ndarray, int]] = queue.Queue(maxsize=200)
        self._stream: Any = None
        self._count = 0
        self._last = time.monotonic()
        self._tried = 0.0
        self._dropped = 0
        self._heard: list[np.ndarray] = []
        self.lost = False

    @property
    def name(self) -> str:
        return self.device.name

    def start(self) -> None:
        """Opens the stream. Raises UserError when the device cannot be opened."""
        sd = portaudio()
        try:
            self._open()
        except (sd.PortAudioError, ValueError) as error:
            raise UserError(f"cannot be opened: {error}", f"sound input {self.device.name}", ADVICE) from None

    def _open(self) -> None:
        sd = portaudio()
        rate = self.device.default_rate
        self._stream = sd.InputStream(
            device=self.device.index, samplerate=rate, channels=min(2, self.device.channels),
            blocksize=int(BLOCK_S * rate), dtype="float32", callback=self._take,
        )  # fmt: skip
        self._stream.start()
        self._last = time.monotonic()
        self.lost = False

    def stop(self) -> None:
        stream, self._stream = self._stream, None
        if stream is not None:
            try:
                stream.abort(ignore_errors=True)
                stream.close(ignore_errors=True)
            except Exception:  # a vanished device may refuse even to be closed; nothing is lost by that
                pass

    def _take(self, data: np.ndarray, frames: int, when: object, status: Any) -> None:
        lost = self._dropped + (1 if status.input_overflow else 0)
        try:
            # what was dropped is missing right before this block, however long it waits to be read
            self._queue.put_nowait((data.copy(), lost))
            self._dropped = 0
        except queue.Full:
            self._dropped += frames

    def read(self, timeout: float) -> Block | None:
        try:
            data, lost = self._queue.get(timeout=timeout)
        except queue.Empty:
            self._watch()
            return None
        self._last = time.monotonic()
        self._count += lost
        samples = data[:, self._pick(data)].astype(float)
        block = Block(samples, self.device.default_rate, self._count, lost)
        self._count += len(data)
        return block

    def _pick(self, data: np.ndarray) -> int:
        """The channel asked for, or the clearer one once enough was heard."""
        if data.shape[1] == 1:
            return 0
        if self._channel is not None:
            return min(self._channel, int(data.shape[1]) - 1)
        self._heard.append(data)
        if sum(len(d) for d in self._heard) > CHOOSE_AFTER_S * self.device.default_rate:
            heard = np.concatenate(self._heard).astype(float)
            self._heard = []
            if float(np.max(np.abs(heard))) > 1e-3:
                self._channel = clearest_channel(heard, self.device.default_rate)
        loud = np.abs(data).max(axis=0)
        if self._channel is not None:
            return self._channel
        return 0 if bool(loud[0] >= loud[-1]) else 1

    def _watch(self) -> None:
        """Notices a device that went silent for good and tries to get it back."""
        now = time.monotonic()
        active = self._stream is not None and self._stream.active
        if active and now - self._last < SILENT_FOR_S:
            return
        self.lost = True
        if now - self._tried < RETRY_S:
            return
        self._tried = now
        sd = portaudio()
        self.stop()
        refresh()
        try:
            self.device = find_device(self.device.name)
            self._open()
        except (UserError, sd.PortAudioError, ValueError):
            return
