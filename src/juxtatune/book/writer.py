"""The single writer: saves run on a thread of their own, in order, and one that fails is kept and tried again."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

from juxtatune.core.errors import UserError

RETRY_S = 1.0


@dataclass
class Ticket:
    """One piece of writing; `done` is set once it is on the disk."""

    work: Callable[[], None]
    done: threading.Event = field(default_factory=threading.Event)

    @property
    def saved(self) -> bool:
        return self.done.is_set()


class Writer:
    """Takes work from one thread and does it on another. Nothing is dropped while the process lives."""

    def __init__(self) -> None:
        self._waiting: deque[Ticket] = deque()
        self._condition = threading.Condition()
        self._closing = False
        self.trouble: str | None = None  # why the oldest of what waits could not be written
        self._thread = threading.Thread(target=self._loop, name="book writer", daemon=True)
        self._thread.start()

    @property
    def unsaved(self) -> int:
        return len(self._waiting)

    def put(self, work: Callable[[], None]) -> Ticket:
        ticket = Ticket(work)
        with self._condition:
            self._waiting.append(ticket)
            self._condition.notify_all()
        return ticket

    def flush(self, seconds: float) -> bool:
        """Waits until all is written, for so long at most; False when something still waits."""
        with self._condition:
            self._condition.notify_all()
            return self._condition.wait_for(lambda: not self._waiting, seconds)

    def close(self) -> None:
        """Ends the thread; what could not be written by now is given up."""
        with self._condition:
            self._closing = True
            self._condition.notify_all()
        self._thread.join(10.0)

    def _loop(self) -> None:
        while True:
            with self._condition:
                while not self._waiting and not self._closing:
                    self._condition.wait()
                if self._closing and (not self._waiting or self.trouble is not None):
                    return
                ticket = self._waiting[0]
            try:
                ticket.work()
            except UserError as error:
                self._failed(error.message())
            except Exception as error:  # a fault of ours must not end all saving
                self._failed(f"the last change could not be saved: {error!r}")
            else:
                self._written(ticket)

    def _failed(self, text: str) -> None:
        with self._condition:
            self.trouble = text
            if not self._closing:
                self._condition.wait(RETRY_S)

    def _written(self, ticket: Ticket) -> None:
        with self._condition:
            self.trouble = None
            self._waiting.popleft()
            ticket.done.set()
            self._condition.notify_all()
