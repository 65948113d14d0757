"""Sound files: read whole, or played back as a source that stands in for an instrument."""

from __future__ import annotations

import struct
import time
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.errors import UserError
from juxtatune.core.listening.dsp.resample import clearest_channel
from juxtatune.core.listening.source import Block

ALLOWED = "a WAV, FLAC, OGG or MP3 file with sound in it"
CHOOSE = "Sound files (*.wav *.flac *.ogg *.mp3)"  # for a dialog that asks for one
BLOCK = 960
CHUNK = 1 << 20  # samples decoded at a time
LEAST_RATE, MOST_RATE = 4_000, 384_000  # Hz
MOST_BYTES = 1_000_000_000
BYTES_HELD, BYTES_HEARD = 4, 24  # a sample of each channel; what listening holds beside them for each frame
CHOOSE_S = 10  # of a file that is played, in which its channel is chosen


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
    """Reads a sound file as far as it goes, in blocks. Raises UserError naming the file.

    Rates outside 4 to 384 kHz, and sound that would need more than 1 GB to be heard, are refused from the header
    or as soon as the blocks read exceed it.
    """
    where = _readable(path)
    try:
        cut = _looks_cut(path)
        with _open(path) as file:
            samples, broken = _read_as_far(file, where)
            rate, declared = int(file.samplerate), file.frames
    except OSError as error:
        raise UserError(f"cannot be read: {error.strerror or error}", where, ALLOWED) from None
    if len(samples) == 0:
        raise UserError("there are no samples in it", where, ALLOWED)
    if not np.all(np.isfinite(samples)):
        raise UserError("it has samples that are not numbers (NaN or infinite)", where, "finite samples")
    if cut or broken or (0 < declared < 1 << 62 and len(samples) < declared):
        warning = f"{where}: the file is cut short; read {len(samples) / rate:.2f} s of it"
        return Sound(samples, rate, warning)
    return Sound(samples, rate, None)


def _readable(path: Path) -> str:
    """The file's name for messages. Raises UserError where there is no file with something in it."""
    where = str(path)
    try:
        if not path.exists():
            raise UserError("no such file", where, ALLOWED)
        if path.is_dir():
            raise UserError("this is a folder", where, ALLOWED)
        if not path.is_file():
            raise UserError("this is no ordinary file", where, ALLOWED)
        if path.stat().st_size == 0:
            raise UserError("the file is empty", where, ALLOWED)
    except (OSError, ValueError) as error:
        raise UserError(f"cannot be read: {error}", where, ALLOWED) from None
    return where


@contextmanager
def _open(path: Path) -> Iterator[Any]:
    """The file as libsndfile opens it, header checked; by its descriptor, so that any name will do."""
    import soundfile as sf

    with path.open("rb") as raw:
        try:
            file = sf.SoundFile(raw)
        except (RuntimeError, TypeError, ValueError):
            raise UserError("this is no sound file that can be read", str(path), ALLOWED) from None
        with file:
            _check_header(file, str(path))
            yield file


def _check_header(file: Any, where: str) -> None:
    if not LEAST_RATE <= file.samplerate <= MOST_RATE:
        allowed = f"{LEAST_RATE} to {MOST_RATE} Hz"
        raise UserError(f"a sample rate of {file.samplerate} Hz", where, allowed)
    if file.frames < 1 << 62:
        _check_size(file.frames, file.channels, where)


def _check_size(frames: int, channels: int, where: str) -> None:
    if frames * (BYTES_HELD * channels + BYTES_HEARD) > MOST_BYTES:
        raise UserError(
            f"{frames} samples of {channels} channel{'s' if channels != 1 else ''} need more than 1 GB", where,
            "a shorter piece of it",
        )  # fmt: skip


def _read_as_far(file: Any, where: str) -> tuple[NDArray[np.float32], bool]:
    """Samples (k, channels) as far as they can be decoded, and whether that ended in an error."""
    chunks: list[NDArray[np.float32]] = []
    total, broken = 0, False
    chunk_frames = max(1, CHUNK // file.channels)
    try:
        while len(chunk := file.read(chunk_frames, dtype="float32", always_2d=True)):
            total += len(chunk)
            _check_size(total, file.channels, where)
            chunks.append(chunk)
    except (RuntimeError, ValueError):
        broken = True
    samples = np.empty((total, file.channels), np.float32)
    at = 0
    while chunks:  # each is let go as soon as it is copied
        chunk = chunks.pop(0)
        samples[at : at + len(chunk)] = chunk
        at += len(chunk)
    return samples, broken


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
    """Plays a file as if it came in live, in real time or as fast as it is read; in blocks, however long it is."""

    def __init__(self, path: Path, real_time: bool = True) -> None:
        """Raises UserError where the file is none that can be read."""
        self._path, self._real_time = path, real_time
        where = _readable(path)
        with _open(path) as file:
            self._rate = int(file.samplerate)
        self.warning = f"{where}: the file is cut short; it plays as far as it goes" if _looks_cut(path) else None
        self._opened: AbstractContextManager[Any] | None = None
        self._file: Any = None
        self._channel: int | None = None
        self._at, self._began = 0, 0.0
        self.ended = False

    @property
    def name(self) -> str:
        return self._path.name

    def start(self) -> None:
        self._opened = _open(self._path)
        self._file = self._opened.__enter__()
        self._at, self._began, self.ended = 0, time.monotonic(), False

    def stop(self) -> None:
        opened, self._opened, self._file = self._opened, None, None
        self.ended = True
        if opened is not None:
            opened.__exit__(None, None, None)

    def read(self, timeout: float) -> Block | None:
        """The next block of the clearest channel. Raises UserError for samples that are no numbers."""
        if self.ended or self._file is None:
            return None
        if self._real_time:
            ahead = (self._at + BLOCK) / self._rate - (time.monotonic() - self._began)
            if ahead > timeout:
                time.sleep(timeout)
                return None
            time.sleep(max(0.0, ahead))
        if self._channel is None:
            self._channel = self._choose()
        samples = self._decode(BLOCK)[:, self._channel]
        if not np.all(np.isfinite(samples)):
            raise UserError("it has samples that are not numbers (NaN or infinite)", str(self._path), "finite samples")
        self.ended = len(samples) < BLOCK
        block = Block(samples, self._rate, self._at)
        self._at += len(samples)
        return block if len(samples) else None

    def _decode(self, frames: int) -> NDArray[np.float32]:
        try:
            found: NDArray[np.float32] = self._file.read(frames, dtype="float32", always_2d=True)
        except (RuntimeError, ValueError):
            return np.zeros((0, self._file.channels), np.float32)
        return found

    def _choose(self) -> int:
        """The channel with the clearest string in the first seconds."""
        if self._file.channels == 1:
            return 0
        channel = clearest_channel(np.nan_to_num(self._decode(CHOOSE_S * self._rate)), self._rate)
        self._file.seek(0)
        return int(channel)
