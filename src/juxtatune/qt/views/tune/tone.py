"""The reference tone: a string's note, or the whole tuning, through the sound output."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject, QTimer, Signal

from juxtatune.app.tune import TuneRun
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.refinger import Place
from juxtatune.core.listening.source import Samples
from juxtatune.core.sim.passage import sound_of
from juxtatune.devices import sound_out
from juxtatune.qt.worker import LatestWorker

TONE_S, TONE_RATE = 0.8, 48000
CAUTION = "Loud rooms and headphones harm hearing: keep levels down."


class ReferenceTone(QObject):
    """Tuning is held while the tone sounds, so that it is heard as no string."""

    said = Signal(str)
    changed = Signal()

    def __init__(self, current: Callable[[], TuneRun | None]) -> None:
        super().__init__()
        self._current = current
        self._worker = LatestWorker("making a reference tone")
        self._worker.failed.connect(lambda _, text: self.said.emit(text))
        self._worker.done.connect(self._play)

    def close(self) -> None:
        self._worker.close()

    def ask(self, run: TuneRun, strings: Sequence[int]) -> None:
        """Plays these strings of the run's target, one strum."""
        event = tuple(Place(s, 0) for s in strings)
        self._worker.ask(list(strings), lambda _: sound_of(run.target, [event], TONE_S, reference=run.reference))

    def _play(self, strings: list[int], samples: Samples) -> None:
        run = self._current()
        if run is None:
            return
        try:
            sound_out.play(samples, TONE_RATE)
        except UserError as error:
            self.said.emit(f"{error.message()}.")
            return
        run.held = True
        QTimer.singleShot(round(1000 * len(samples) / TONE_RATE), lambda: self._over(run))
        what = f"The {run.called(strings[0])}" if len(strings) == 1 else "The whole tuning"
        self.said.emit(f"{what}, quietly; tuning is held meanwhile. {CAUTION}")
        self.changed.emit()

    def _over(self, run: TuneRun) -> None:
        run.held = False
        self.changed.emit()
