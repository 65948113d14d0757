"""What the Tunings view shows and does: the list, one tuning in words, own tunings, distances. No widgets."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from juxtatune.app import fields, guitar_fields, tunings
from juxtatune.app.calling import Calling
from juxtatune.app.session import Session
from juxtatune.app.tunings import Listed
from juxtatune.book.state import NightRecord
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.instrument import Instrument
from juxtatune.core.strings.tension import tensions
from juxtatune.qt.widgets.distance_table import Distances
from juxtatune.qt.widgets.strings_picture import StringValue


class TuningsPresenter(QObject):
    """Holds the guitar that tunings are judged on, and the night that is open."""

    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.calling = Calling()
        self.guitar_id: str | None = None
        self.night: NightRecord | None = None

    @property
    def guitar(self) -> Instrument | None:
        """The chosen guitar, or the first one."""
        guitars = self.session.state.instruments
        return next((i for i in guitars if i.id == self.guitar_id), guitars[0] if guitars else None)

    def rows(self, text: str) -> list[Listed]:
        return tunings.listed(self.session.state, self.night, text)

    def signature(self, row: Listed) -> tuple[tuple[float, ...], tuple[float, ...]]:
        return row.tuning.pitches, self._home(row.tuning).pitches

    def _home(self, tuning: Tuning) -> Tuning:
        """What a tuning is drawn against: the chosen guitar's home where it has as many strings."""
        guitar = self.guitar
        return guitar.home if guitar is not None and guitar.strings == len(tuning) else standard_for(len(tuning))

    def fitting(self, tuning: Tuning) -> Instrument | None:
        """The chosen guitar where it has as many strings, else the first that has."""
        guitar = self.guitar
        if guitar is not None and guitar.strings == len(tuning):
            return guitar
        return next((i for i in self.session.state.instruments if i.strings == len(tuning)), None)

    def about(self, row: Listed) -> list[str]:
        return tunings.about(row.tuning, self.fitting(row.tuning))

    def strings(self, row: Listed) -> tuple[StringValue, ...]:
        """The strings in this tuning against home, with what they would carry."""
        tuning, home, guitar = row.tuning, self._home(row.tuning), self.fitting(row.tuning)
        gauges = guitar.setup.gauges or None if guitar is not None else None
        scales = guitar.setup.scales(len(tuning)) if guitar is not None else (0.0,) * len(tuning)
        found = tensions(tuning, home, scales, gauges)
        return tuple(
            StringValue(
                s, self.calling.head(s, tuning), pretty(str(tuning.note(s))), pretty(str(home.note(s))),
                tuning.pitch(s) - home.pitch(s), gauges[k].mm if gauges else None, bool(gauges and gauges[k].wound),
                f"{t.newtons:.0f} N" if t.newtons is not None else "", t.ratio, False,
            )
            for k, (s, t) in enumerate(zip(tuning.strings, found.strings, strict=True))
        )  # fmt: skip

    def tension_words(self, row: Listed) -> str:
        guitar = self.fitting(row.tuning)
        if guitar is None:
            return f"No guitar in the book has {len(row.tuning)} strings."
        moved = guitar.tuned_to(row.tuning)
        return guitar_fields.tension_words(moved, guitar_fields.tension_of(moved))

    def relatives(self, row: Listed) -> list[tuple[str, Tuning]]:
        return [(fields.show_tuning(t), t) for t in tunings.relatives(row.tuning)]

    def distances(self) -> Distances:
        """Tonight's tunings on the chosen guitar, with the one that it stands in."""
        guitar = self.guitar
        found = tunings.tonight(self.session.state, self.night, guitar.strings) if guitar is not None else []
        if guitar is None or not found:
            return Distances((), (), (), ())
        names = tuple(fields.show_tuning(t) for t in found)
        seconds = tuple(tuple(row) for row in tunings.distances(guitar, found))
        return Distances(names, tuple(t.pitches for t in found), guitar.home.pitches, seconds)

    def retune_words(self, row: int, column: int) -> str:
        """One cell of the table in a sentence."""
        guitar = self.guitar
        if guitar is None:
            return ""
        found = tunings.tonight(self.session.state, self.night, guitar.strings)
        a, b = found[row], found[column]
        seconds = tunings.distances(guitar, [a, b])[0][1]
        way = f"{guitar.name}, {fields.show_tuning(a)} to {fields.show_tuning(b)}"
        return f"{way}: {tunings.moves_words(a, b)}, {seconds:.0f} s."

    # -- edits
    def keep(self, name: str, text: str) -> bool:
        """A tuning of the player's own; False where it cannot be kept, which is told."""
        if not name.strip() or not text.strip():
            self.message.emit("Type a name and its notes, then Enter keeps the tuning.")
            return False
        home = self.guitar.home if self.guitar is not None else None
        try:
            self.session.edit("Keep a tuning", tunings.keep_own(self.session.state, name, text, home))
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return False
        own = self.session.state.tunings[-1]
        self.message.emit(f"{own.name} is {fields.show_notes(own.tuning)}: every field for a tuning reads its name now.")
        return True

    def forget(self, row: Listed | None) -> None:
        if row is None or row.own is None:
            self.message.emit("Only a tuning of your own can be removed.")
            return
        try:
            self.session.edit("Remove a tuning", tunings.forget_own(self.session.state, row.own))
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return
        self.message.emit(f"{row.name} is no name any more; songs and guitars keep its notes. Ctrl+Z brings it back.")
