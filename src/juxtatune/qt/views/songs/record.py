"""The line beneath a song's ways that listens to the record and tunes the song to it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QThread, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from juxtatune.app.record import RecordPitch, shift_words
from juxtatune.core.errors import CannotTell, UserError
from juxtatune.core.listening.identify import Identified, identify_playing
from juxtatune.core.listening.reference.offset import reference_offset
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import common_shift
from juxtatune.core.repertoire.song import Song
from juxtatune.devices.sound_file import read_sound
from juxtatune.qt.faults import faults
from juxtatune.qt.worker import UNFORESEEN

LIKELY = 0.25  # of the belief, that a tuning needs to be told


class _Stopped(Exception):
    """The player wants to hear no more."""


class RecordWorker(QThread):
    """Hears one record, off the GUI thread."""

    progress = Signal(float)  # share of the work done
    heard = Signal(object)  # RecordPitch
    warned = Signal(str)
    failed = Signal(str)

    def __init__(self, path: Path) -> None:
        super().__init__()
        self._path = path
        self._stop = False

    def stop(self) -> None:
        self._stop = True

    def _tell(self, share: float) -> None:
        if self._stop:
            raise _Stopped
        self.progress.emit(share)

    def run(self) -> None:
        try:
            self._tell(0.0)
            sound = read_sound(self._path)
            if sound.warning:
                self.warned.emit(sound.warning)
            clearest = sound.clearest()
            found = reference_offset(clearest, sound.rate, lambda share: self._tell(0.7 * share))
            self._tell(0.7)
            fits = _fitting(identify_playing(clearest, sound.rate)) if not isinstance(found, CannotTell) else ()
            self._tell(1.0)
        except UserError as error:
            self.failed.emit(error.message())
        except _Stopped:
            return
        except Exception as error:
            faults.report("hearing a record", error)
            self.failed.emit(f"{self._path.name}: {UNFORESEEN}")
        else:
            if isinstance(found, CannotTell):
                self.failed.emit(f"{self._path.name}: {found.reason}. Nothing was changed.")
            else:
                self.heard.emit(RecordPitch(self._path.name, found, fits))


def _fitting(found: Identified) -> tuple[str, ...]:
    """Names of the tunings that fit, the best first: one where it is sure."""
    likely = [c.name for c in found.candidates if c.confidence >= LIKELY]
    return tuple(pretty(n) for n in likely[:2])


class RecordBar(QWidget):
    """`tune` is called with the song's id and the cents that all its ways are to lie off A4."""

    message = Signal(str)

    def __init__(self, tune: Callable[[str, float], None]) -> None:
        super().__init__()
        self._tune = tune
        self._worker: RecordWorker | None = None
        self._leaving: set[RecordWorker] = set()  # stopped, and not at their end yet
        self._song: Song | None = None  # the one it listens for
        self._shown: Song | None = None  # the one in view
        self._pitch: RecordPitch | None = None
        self.reference: Reference = ISO_16
        self.words = QLabel()
        self.words.setWordWrap(True)
        # a long file name must not widen the window
        policy = self.words.sizePolicy()
        policy.setHorizontalPolicy(QSizePolicy.Policy.Ignored)
        self.words.setSizePolicy(policy)
        self.take, self.leave = QPushButton(), QPushButton()
        self.take.clicked.connect(self._take)
        self.leave.clicked.connect(self.stop)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.words)
        row = QHBoxLayout()
        row.addWidget(self.take)
        row.addWidget(self.leave)
        row.addStretch(1)
        column.addLayout(row)
        self.hide()

    @property
    def listening(self) -> bool:
        return self._worker is not None

    def listen(self, song: Song, path: Path) -> None:
        """Begins to hear a record for a song, unless another is being heard."""
        if self._worker is not None and self._song is not None:
            self.message.emit(f"The record for {self._song.title} is being heard: stop that first.")
            return
        self._song, self._pitch = song, None
        self._worker = worker = RecordWorker(path)
        worker.progress.connect(lambda share: self._say(worker, f"Listening, {share:.0%} · {path.name}"))
        worker.warned.connect(self.message)
        worker.heard.connect(lambda pitch: self._ended(worker, pitch))
        worker.failed.connect(lambda text: self._failed(worker, text))
        worker.start()
        self._say(worker, f"Listening · {path.name}")
        self.show_song(song)

    def show_song(self, song: Song | None) -> None:
        """Follows the song in view, whose ways may have changed."""
        self._shown = song
        mine = song is not None and self._song is not None and song.id == self._song.id
        self.setVisible(mine and (self.listening or self._pitch is not None))
        self.take.setVisible(False)
        self.leave.setText("Stop" if self.listening else "Close")
        if mine and song is not None and self._pitch is not None:
            self._offer(song, self._pitch)

    def _offer(self, song: Song, pitch: RecordPitch) -> None:
        shift = pitch.shift(self.reference)
        there = all(abs(common_shift(w.tuning) - shift) < 0.5 for w in song.ways)
        self.words.setText(pitch.words(self.reference, there))
        self.words.setToolTip(self.words.text())
        self.take.setText(f"Tune every way {shift_words(shift)}")
        self.take.setVisible(not there)

    def _take(self) -> None:
        if self._pitch is not None and self._song is not None:
            self._tune(self._song.id, self._pitch.shift(self.reference))

    def stop(self) -> None:
        """Ends listening, or puts away what was heard."""
        self._pitch = None
        if self._worker is not None:
            self._leave(self._worker)
            self.message.emit("Stopped: nothing was changed.")
        self.show_song(self._shown)

    def _leave(self, worker: RecordWorker) -> None:
        worker.stop()
        self._worker = None
        self._leaving.add(worker)
        worker.finished.connect(lambda: self._leaving.discard(worker))

    def close_bar(self) -> None:
        if self._worker is not None:
            self._leave(self._worker)
        for worker in tuple(self._leaving):
            worker.wait()

    def _say(self, worker: RecordWorker, text: str) -> None:
        if worker is self._worker:
            self.words.setText(text)

    def _ended(self, worker: RecordWorker, pitch: RecordPitch | None) -> None:
        worker.wait()
        if worker is self._worker:
            self._worker, self._pitch = None, pitch
            self.show_song(self._shown)

    def _failed(self, worker: RecordWorker, text: str) -> None:
        if worker is self._worker:
            self.message.emit(text)
        self._ended(worker, None)
