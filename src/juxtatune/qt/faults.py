"""Unforeseen errors: one place that hears of them, a line in the window, and a log that stays."""

from __future__ import annotations

import sys
import threading
import traceback
from datetime import datetime
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QObject, Signal

MOST_BYTES = 256_000  # of the log; a longer one begins anew


class Faults(QObject):
    """Hears of errors from slots and threads; `told` brings a line for the player."""

    told = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.log: Path | None = None
        self._lock = threading.Lock()

    def install(self, log: Path | None) -> None:
        """Takes over what Python does with errors that nothing caught; `log` keeps them."""
        self.log = log
        sys.excepthook = self._from_slot
        threading.excepthook = lambda args: self.report(
            args.thread.name if args.thread is not None else "a thread", args.exc_value
        )

    def _from_slot(self, kind: type[BaseException], error: BaseException, _: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            return
        self.report("the window", error)

    def report(self, where: str, error: BaseException | None) -> None:
        """Notes an error; from any thread."""
        if error is None:
            return
        text = "".join(traceback.format_exception(error))
        sys.stderr.write(f"juxtatune: an unforeseen error in {where}; every finished edit is saved\n{text}")
        self._write(f"{datetime.now():%Y-%m-%d %H:%M:%S} {where}\n{text}\n")
        kept = f" Noted in {self.log}." if self.log is not None else ""
        self.told.emit(f"Something unforeseen went wrong in {where} ({type(error).__name__}). "
                       f"Every finished edit is saved.{kept}")  # fmt: skip

    def _write(self, text: str) -> None:
        if self.log is None:
            return
        try:
            with self._lock:
                self.log.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
                fresh = not self.log.exists() or self.log.stat().st_size > MOST_BYTES
                with self.log.open("w" if fresh else "a", encoding="utf-8") as file:
                    file.write(text)
        except OSError:
            sys.stderr.write("juxtatune: the error could not be noted in the log\n")

    def since_last_time(self) -> bool:
        """Whether errors were noted that no start has told of yet; they are told once."""
        if self.log is None or not self.log.exists():
            return False
        seen = self.log.with_name(self.log.name + ".seen")
        size = str(self.log.stat().st_size)
        try:
            known = seen.read_text(encoding="utf-8") if seen.exists() else "0"
            seen.write_text(size, encoding="utf-8")
        except OSError:
            return False
        return size != known


faults = Faults()
