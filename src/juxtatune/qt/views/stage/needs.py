"""What Stage asks of the night and of the bench, which are presenters of other views."""

from __future__ import annotations

from typing import Protocol

from PySide6.QtCore import SignalInstance

from juxtatune.app.preferences import TuningPreferences
from juxtatune.app.tune import Job, TuneRun
from juxtatune.book.state import NightRecord
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.planner import Solution
from juxtatune.qt.widgets.approach_values import Column


class Nights(Protocol):
    """Prices and plans the open night."""

    given: Plan | None
    planned: Solution | None

    @property
    def changed(self) -> SignalInstance: ...

    @property
    def planning(self) -> bool: ...

    def night(self) -> NightRecord | None: ...

    def open_night(self, night_id: str) -> None: ...

    def plan(self, seconds_limit: float) -> None: ...

    def take(self) -> None: ...

    def cancel(self) -> None: ...


class BenchOfStage(Protocol):
    """Listens and leads a retune."""

    run: TuneRun | None
    job: Job | None
    preferences: TuningPreferences

    @property
    def changed(self) -> SignalInstance: ...

    @property
    def simulated(self) -> bool: ...

    def begin(self, job: Job) -> None: ...

    def listen(self) -> None: ...

    def stop(self) -> None: ...

    def columns(self) -> tuple[Column, ...]: ...

    def step(self, by: int) -> None: ...

    def hold(self) -> None: ...

    def check_all(self) -> None: ...

    def catch_strum(self) -> None: ...

    def take(self) -> None: ...

    def pluck(self) -> None: ...

    def strum(self) -> None: ...

    def turn(self, cents: float) -> None: ...
