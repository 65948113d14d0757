"""Sound files: read whole, or played back as a source that stands in for an instrument."""

from __future__ import annotations

import struct
import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.errors import UserError
from juxtatune.core.listening.frames import clearest_channel
from juxtatune.core.listening.source import Block

ALLOWED = "a WAV, FLAC, OGG or MP3 file with sound in it"
CHOOSE = "Sound files (*.wav *.flac *.ogg *.mp3)"  # for a dialog that asks for one
BLOCK = 960
CHUNK = 1 << 20


@dataclass(frozen=True)
class Sound:
    """Samples (k, channels) of a file; `warning` says when the file is cut short."""

    samples: NDArray[np.float32]
    rate: int
    warning: str | None

    def clearest(self) -> NDArray[np.float32]:
        """The channel with the clearest string, (k,)."""
        channel = clearest_channel(self.samples, self.rate)
        return np.ascontiguousarray(self.samples[:, channel])


def read_sound(path: Path) -> Sound:
    """Reads a sound file as far as it goes. Raises UserError naming the file."""
    where = str(path)
    if not path.exists():
        raise UserError("no such file", where, ALLOWED)
    if path.is_dir():
        raise UserError("this is a folder", where, ALLOWED)
    try:
        if path.stat().st_size == 0:
            raise UserError("the file is empty", where, ALLOWED)
        samples, rate, cut = _read_as_far(path)
    except OSError as error:
        raise UserError(f"cannot be read: {error.strerror or error}", where, ALLOWED) from None
    if len(samples) == 0:
        raise UserError("there are no samples in it", where, ALLOWED)
    if not np.all(np.isfinite(samples)):
        raise UserError("it has samples that are not numbers (NaN or infinite)", where, "finite samples")
    warning = f"{where}: the file is cut short; read {len(samples) / rate:.2f} s of it" if cut else None
    return Sound(samples, rate, warning)


def _read_as_far(path: Path) -> tuple[NDArray[np.float32], int, bool]:
    import soundfile as sf

    chunks: list[NDArray[np.float32]] = []
    cut = _looks_cut(path)
    try:
        with sf.SoundFile(str(path)) as file:
            rate, declared = file.samplerate, file.frames
            try:
                while len(chunk := file.read(CHUNK, dtype="float32", always_2d=True)):
                    chunks.append(chunk)
            except (RuntimeError, ValueError):
                cut = True
            channels = file.channels
    except (RuntimeError, TypeError, ValueError):
        raise UserError("this is no sound file that can be read", str(path), ALLOWED) from None
    samples = np.concatenate(chunks) if chunks else np.zeros((0, channels), np.float32)
    if 0 < declared < 1 << 62 and len(samples) < declared:
        cut = True
    return samples, int(rate), cut


def _looks_cut(path: Path) -> bool:
    """True when a container promises more than the file holds."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] == b"RIFF" and head[8:12] == b"WAVE":
            while len(chunk := file.read(8)) == 8:
                name, length = chunk[:4], struct.unpack("<I", chunk[4:])[0]
                if name == b"data":
                    return length not in (0, 0xFFFFFFFF) and file.tell() + length > size
                file.seek(length + (length & 1), 1)
            return True
        if head[:4] == b"OggS":
            file.seek(max(0, size - 70000))
            tail = file.read()
            last = tail.rfind(b"OggS")
            return last < 0 or len(tail) < last + 6 or not tail[last + 5] & 4
    return False


class FileSource:
    """Plays a file as if it came in live, in real time or as fast as it is read."""

    def __init__(self, path: Path, real_time: bool = True) -> None:
        self._sound = read_sound(path)
        self._path, self._real_time = path, real_time
        self._samples = self._sound.clearest()
        self._at = 0
        self._began = 0.0

    @property
    def name(self) -> str:
        return self._path.name

    @property
    def warning(self) -> str | None:
        return self._sound.warning

    @property
    def ended(self) -> bool:
        return self._at >= len(self._samples)

    def start(self) -> None:
        self._at, self._began = 0, time.monotonic()

    def stop(self) -> None:
        self._at = len(self._samples)

    def read(self, timeout: float) -> Block | None:
        if self.ended:
            return None
        if self._real_time:
            ahead = (self._at + BLOCK) / self._sound.rate - (time.monotonic() - self._began)
            if ahead > timeout:
                time.sleep(timeout)
                return None
            time.sleep(max(0.0, ahead))
        block = Block(self._samples[self._at : self._at + BLOCK], self._sound.rate, self._at)
        self._at += BLOCK
        return block
