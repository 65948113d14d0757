"""What the Guitars view does: edits that answer. No widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import QObject, Signal

from juxtatune.app import catalogue_edits, fields
from juxtatune.app.session import Session
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.strings.instrument import BRIDGES, Costs, Instrument


class GuitarsPresenter(QObject):
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def _do(self, label: str, work: Callable[[], BookState], words: Callable[[], str]) -> bool:
        try:
            self.session.edit(label, work())
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return False
        self.message.emit(words())
        return True

    def change(self, new: Instrument) -> None:
        self.session.edit("Edit a guitar", self.session.state.with_instrument(new))

    def add(self, name: str, strings: int, tuning: str) -> bool:
        """Adds a guitar, home in the tuning typed or in the standard one of its strings."""
        if not name.strip():
            self.message.emit("Type a name, then Enter adds the guitar.")
            return False

        def work() -> BookState:
            home = fields.tuning(tuning, None) if tuning.strip() else None
            return catalogue_edits.add_guitar(self.session.state, name.strip(), strings, home)

        def words() -> str:
            new = self.session.state.instruments[-1]
            then = "" if self.session.state.songs else " Next: songs (Ctrl+1)."
            return f"{new.name} is in the book: {new.strings} strings, {fields.show_tuning(new.home)}.{then}"

        return self._do("Add a guitar", work, words)

    def remove(self, guitar: Instrument | None) -> None:
        if guitar is not None:
            self._do(
                "Remove a guitar", lambda: catalogue_edits.remove_guitar(self.session.state, guitar.id),
                lambda: f"{guitar.name} is removed. Ctrl+Z brings it back.",
            )  # fmt: skip

    # -- fields: each takes the guitar and the text, and gives the new guitar
    def with_name(self, i: Instrument, text: str) -> Instrument:
        return catalogue_edits.renamed_guitar(self.session.state, i, fields.words(text))

    def with_bridge(self, i: Instrument, text: str) -> Instrument:
        if text.strip().lower() not in BRIDGES:
            raise UserError(f"{text!r}", allowed="fixed or floating")
        return replace(i, bridge=text.strip().lower())

    def with_tuning(self, i: Instrument, text: str) -> Instrument:
        return replace(i, tuning=fields.tuning(text, i.strings, i.home))

    def with_home(self, i: Instrument, text: str) -> Instrument:
        return replace(i, home=fields.tuning(text, i.strings, i.home))

    def with_cost(self, key: str) -> Callable[[Instrument, str], Instrument]:
        def edit(i: Instrument, text: str) -> Instrument:
            costs: Costs = replace(i.costs, **{key: fields.number(text, 0, 600)})
            return replace(i, costs=costs)

        return edit
