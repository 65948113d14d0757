"""What the Log view shows: rows as they are wanted, a picture, what the log teaches. Read off the GUI thread; no widgets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Signal

from juxtatune.app import after_gig, fields
from juxtatune.app.log_pictures import PICTURED, PICTURES, Picture
from juxtatune.app.logbook import HAPPENED, LogLine, events, lines, taken
from juxtatune.app.session import Session
from juxtatune.book.formats.songs_csv import table_text
from juxtatune.book.log_query import MOST, Wanted, nights, rows
from juxtatune.core.errors import UserError
from juxtatune.core.logbook.learned import InstrumentLearned, learn
from juxtatune.core.retuning.change import change
from juxtatune.qt.worker import LatestWorker

LEARNED_FROM = ("retune", "strum", "swap", "capo")


@dataclass(frozen=True)
class Shown:
    """All that the view shows at once."""

    lines: tuple[LogLine, ...]
    picture: Picture
    learned: dict[str, InstrumentLearned]
    nights: tuple[str, ...] = ()  # dates, newest first


class LogPresenter(QObject):
    changed = Signal()
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.guitar = self.song = self.night = ""
        self.readings = False  # single plucks too
        self.question = next(iter(PICTURES))
        self.shown: Shown | None = None
        self._reader = LatestWorker("reading the log")
        self._reader.done.connect(self._read)
        self._reader.failed.connect(lambda _, text: self.message.emit(text))

    def close(self) -> None:
        self._reader.close()

    def refresh(self) -> None:
        """Reads what is wanted anew."""
        self.session.flush(1.0)
        path, state = self.session.book.path, self.session.state
        kinds = (*HAPPENED, "pluck") if self.readings else HAPPENED
        wanted, question = Wanted(kinds, self.guitar, self.song, night=self.night), self.question
        pictured = Wanted(PICTURED, self.guitar, self.song, MOST, self.night)

        def work(_: object) -> Shown:
            teaching = events(rows(path, Wanted(LEARNED_FROM, limit=MOST)), state)
            return Shown(
                lines(rows(path, wanted), state), PICTURES[question](rows(path, pictured), state), learn(teaching),
                tuple(nights(path)),
            )

        self._reader.ask(None, work)

    def _read(self, _: object, shown: Shown) -> None:
        self.shown = shown
        self.changed.emit()

    # -- by hand
    def add(self, kind: str, guitar: str, text: str, seconds: float = 0.0) -> bool:
        """A row kept by hand; False where it cannot be made, which is said."""
        try:
            data = self._data(kind, guitar, text, seconds)
        except UserError as error:
            self.message.emit(error.message())
            return False
        if self.session.log(kind, data) is None:
            self.message.emit("This book is only read here.")
            return False
        self.message.emit("It stands in the log.")
        self.refresh()
        return True

    def _data(self, kind: str, guitar: str, text: str, seconds: float) -> dict[str, Any]:
        data: dict[str, Any] = {"instrument": guitar, "by_hand": True}
        if kind == "retune":
            own = self.session.state.instrument(guitar)
            target = fields.tuning(text, own.strings, own.home)
            moved = change(own.tuning, target).strings
            data |= {"from": str(own.tuning), "to": str(target), "passes": 1, "seconds": seconds,
                     "moved": [{"string": c.string, "semitones": c.semitones} for c in moved]}  # fmt: skip
        elif kind == "note":
            if not text.strip():
                raise UserError("a note has no words", allowed="what happened, in a few words")
            data["text"] = text.strip()[:2000]
        return data

    def note(self, number: int, text: str) -> None:
        """Corrects a row by a note beside it: rows are never changed."""
        if text.strip() and self.session.log("note", {"about": number, "text": text.strip()[:2000]}) is not None:
            self.message.emit("Noted beside it.")
            self.refresh()

    # -- what it teaches
    def take(self, guitar: str) -> None:
        """Takes what was learned of a guitar as its costs, as one edit."""
        found = self.shown.learned.get(guitar) if self.shown is not None else None
        if found is None:
            self.message.emit("The log teaches nothing of this guitar yet: retune it a few times.")
            return
        own = self.session.state.instrument(guitar)
        try:
            self.session.edit(f"What the log teaches of {own.name}", self.session.state.with_instrument(taken(own, found)))
        except UserError as error:
            self.message.emit(error.message())
            return
        self.message.emit(f"{own.name} is planned by its log from now on. Ctrl+Z takes it back.")
        self.changed.emit()

    def csv(self) -> str:
        """The rows shown as a table, times first."""
        shown = self.shown.lines if self.shown is not None else ()
        return table_text(("time", "guitar", "song", "what"), [(x.at, x.guitar, x.song, x.words) for x in shown])

    def page(self) -> str:
        """The newest night on a page of HTML. Raises UserError where no night is in the log."""
        return after_gig.page(rows(self.session.book.path, Wanted(after_gig.KINDS, limit=MOST)), self.session.state)


