"""Work off the GUI thread: planning, pricing, and listening. Results come back as signals."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QThread, Signal

from juxtatune.app.planning import NightPlanner, Outcome
from juxtatune.core.errors import UserError
from juxtatune.core.listening.live.ear import Ear
from juxtatune.core.listening.live.listener import BlockResult, Listener
from juxtatune.core.listening.live.strum_trigger import Ringing, StrumCatcher, level_db
from juxtatune.core.listening.source import Block, SoundSource
from juxtatune.core.listening.types import Targets
from juxtatune.core.planning.planner import Solution
from juxtatune.core.planning.search.fixed_order import CANCELLED, Stop
from juxtatune.core.repertoire.night import Gig
from juxtatune.qt.faults import faults

UNFORESEEN = "Something unforeseen went wrong; what is saved is safe. Try again."


class PlanWorker(QThread):
    """One planning run; better plans come as they are found."""

    better = Signal(object)
    ended = Signal(object)
    failed = Signal(str)

    def __init__(self, gig: Gig, seconds: float) -> None:
        super().__init__()
        self._seconds = seconds
        self._planner = NightPlanner(gig, self._progress)

    def _progress(self, solution: Solution) -> None:
        self.better.emit(solution)

    def cancel(self) -> None:
        self._planner.cancel()

    def run(self) -> None:
        try:
            outcome: Outcome = self._planner.run(self._seconds)
        except UserError as error:
            self.failed.emit(error.message())
        except Exception as error:
            faults.report("planning", error)
            self.failed.emit(UNFORESEEN)
        else:
            self.ended.emit(outcome)


class LatestWorker(QObject):
    """Runs only the newest request: older ones that have not begun are dropped. For prices while dragging."""

    done = Signal(object, object)
    failed = Signal(object, str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self._condition = threading.Condition()
        self._next: tuple[Any, Callable[[Stop], Any], Stop] | None = None
        self._stops: Stop = np.zeros(1, np.int64)  # of the request under way
        self._stop = False
        self._thread = threading.Thread(target=self._loop, name=name, daemon=True)
        self._thread.start()

    def ask(self, key: Any, work: Callable[[Stop], Any]) -> None:
        """Takes the newest request; the one under way is told to stop, by the flag that its work was given."""
        with self._condition:
            self._stops[0] = CANCELLED
            self._next = (key, work, np.zeros(1, np.int64))
            self._condition.notify()

    def close(self) -> None:
        with self._condition:
            self._stop = True
            self._stops[0] = CANCELLED
            self._condition.notify()
        self._thread.join(5.0)

    def _loop(self) -> None:
        while True:
            with self._condition:
                while self._next is None and not self._stop:
                    self._condition.wait()
                if self._stop:
                    return
                assert self._next is not None
                (key, work, self._stops), self._next = self._next, None
            try:
                result = work(self._stops)
            except UserError as error:
                self._say(self.failed, key, error.message())
            except Exception as error:  # the next request finds the loop alive
                faults.report(self._name, error)
                self._say(self.failed, key, UNFORESEEN)
            else:
                self._say(self.done, key, result)

    def _say(self, signal: Any, key: Any, value: Any) -> None:
        if not self._stop:
            signal.emit(key, value)


class AudioWorker(QThread):
    """Reads a source and listens. A source that never waits is held to real time."""

    heard = Signal(object)
    level = Signal(float, str)  # dB, and what is wrong with it
    state = Signal(str)
    caught = Signal(object, int)  # a strum: samples, rate in Hz
    ear_heard = Signal(object)  # what an ear that was asked for has heard

    def __init__(self, source: SoundSource, targets: Targets) -> None:
        super().__init__()
        self.source = source
        self._lock = threading.Lock()
        self._targets: Targets | None = targets
        self._running = True
        self._print = False
        self._catcher: StrumCatcher | None = None
        self._ringing: Ringing | None = None  # the strum that was caught
        self._ear: Ear | None = None

    def catch_strum(self) -> None:
        """Asks for the next strum; until it has rung, single strings are not listened for."""
        self._catcher = StrumCatcher()

    def take_print(self) -> None:
        """Asks for a noise print of the next seconds."""
        self._print = True

    def listen_with(self, ear: Ear | None) -> None:
        """From now on an ear hears the blocks too; None ends that."""
        self._ear = ear

    def retarget(self, targets: Targets) -> None:
        with self._lock:
            self._targets = targets

    def finish(self) -> None:
        self._running = False
        self.wait(3000)

    def run(self) -> None:
        try:
            self._run()
        except UserError as error:
            self.state.emit(error.message())
        except Exception as error:
            faults.report("listening", error)
            self.state.emit(UNFORESEEN)

    def _run(self) -> None:
        self.source.start()
        listener = Listener(Targets())
        began, produced = time.monotonic(), 0.0
        lost, skipped = False, 0
        while self._running:
            listener = self._fresh(listener)
            block = self.source.read(0.05)
            now_lost = bool(getattr(self.source, "lost", False))
            if now_lost != lost:
                lost = now_lost
                self.state.emit("sound input lost; waiting for it" if lost else f"{self.source.name} is back")
            if block is None:
                if getattr(self.source, "ended", False):
                    self.state.emit("end of the file")
                    break
                continue
            if block.lost:
                self.state.emit("Some sound was lost: the machine is too busy. Play the string again.")
            if self._catcher is not None:
                self._catch(self._catcher, block)
                skipped += len(block.samples)
            elif self._ringing is not None and self._ringing.goes_on(block):
                skipped += len(block.samples)
            else:
                self._ringing = None
                # what was not listened to is a gap: no leap in it is an onset
                self._listen(listener, replace(block, lost=block.lost + skipped))
                skipped = 0
            produced += len(block.samples) / block.rate
            ahead = produced - (time.monotonic() - began)
            if ahead < -0.5:
                began, produced = time.monotonic(), 0.0
            elif ahead > 0.02:
                time.sleep(ahead - 0.01)
        self.source.stop()

    def _listen(self, listener: Listener, block: Block) -> None:
        if self._print:
            self._print = False
            listener.take_noise_profile()
        heard: BlockResult = listener.feed(block)
        self.heard.emit(heard)
        ear = self._ear
        found = ear.hear(listener, heard) if ear is not None else None
        if found is not None:
            self.ear_heard.emit(found)
        word = "too loud" if heard.clipped else "too quiet" if heard.too_quiet else ""
        self.level.emit(heard.level_db, word)
        if heard.profiled:
            self.state.emit("The room is known: its noise and hum are looked past.")

    def _catch(self, catcher: StrumCatcher, block: Block) -> None:
        strum = catcher.feed(block)
        self.level.emit(level_db(block.samples), "")
        if strum is not None:
            self._catcher, self._ringing = None, Ringing(block.samples)
            self.caught.emit(*strum)
        elif catcher.expired:
            self._catcher = None
            self.state.emit("No strum was heard. F11 listens for one again.")

    def _fresh(self, listener: Listener) -> Listener:
        with self._lock:
            targets, self._targets = self._targets, None
        if targets is not None:
            listener.retarget(targets)
        return listener
