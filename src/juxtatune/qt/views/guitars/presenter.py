"""What the Guitars view shows and does: one guitar in words and values, edits that answer. No widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from PySide6.QtCore import QObject, Signal

from juxtatune.app import catalogue_edits, fields, guitar_fields
from juxtatune.app.calling import Calling
from juxtatune.app.moments import day, now_text
from juxtatune.app.session import Session
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.instrument import Costs, Instrument
from juxtatune.qt.widgets.strings_picture import StringValue

Edit = Callable[[Instrument, str], Instrument]
Show = Callable[[Instrument], str]


def _set_up(i: Instrument, **changes: object) -> Instrument:
    return replace(i, setup=replace(i.setup, **changes))  # type: ignore[arg-type]


class GuitarsPresenter(QObject):
    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.calling = Calling()
        # of each field: its label, how it is shown, how what is typed makes a new guitar
        self.fields: dict[str, tuple[str, Show, Edit]] = {
            "name": ("Name", lambda i: i.name, self._with_name),
            "tuning": ("Now in", lambda i: fields.show_tuning(i.tuning), self._with_tuning),
            "home": ("Home tuning", lambda i: fields.show_tuning(i.home), self._with_home),
            "scale": ("Scale, mm", lambda i: guitar_fields.show_scales(i.setup),
                      lambda i, t: _set_up(i, scales_mm=guitar_fields.scales(t, i.strings))),
            "gauges": ("Gauges", lambda i: guitar_fields.show_gauges(i.setup.gauges),
                       lambda i, t: _set_up(i, gauges=guitar_fields.gauges(t, i.strings))),
            "since": ("Strings put on", lambda i: i.setup.strings_since,
                      lambda i, t: _set_up(i, strings_since=day(t, datetime.now().date()))),
            "off": ("Strings off", lambda i: guitar_fields.show_off(i.setup),
                    lambda i, t: _set_up(i, off=guitar_fields.off(t, i.strings))),
            "ranges": ("Range, half steps", lambda i: guitar_fields.show_ranges(i.setup),
                       lambda i, t: _set_up(i, ranges=guitar_fields.ranges(t, i.strings))),
            "channel": ("Sound channel", lambda i: str(i.setup.channel or "any"), self._with_channel),
        }  # fmt: skip

    def _do(self, label: str, work: Callable[[], BookState], words: Callable[[], str]) -> bool:
        try:
            self.session.edit(label, work())
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return False
        self.message.emit(words())
        return True

    def guitar(self, guitar_id: str | None) -> Instrument | None:
        return next((i for i in self.session.state.instruments if i.id == guitar_id), None)

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

    def set_field(self, guitar_id: str | None, name: str, text: str) -> bool:
        """One field of a guitar from what was typed; False where it cannot be read, which is told."""
        guitar = self.guitar(guitar_id)
        if guitar is None:
            return False
        label, show, edit = self.fields[name]
        if text.strip() == show(guitar):
            return True
        try:
            new = edit(guitar, text)
        except UserError as error:
            self.message.emit(f"{label}: {error.message()}. Nothing was changed.")
            return False
        if new == guitar:
            return True
        return self._put(guitar, new, f"{label} of {new.name}: {show(new) or 'not known'}.")

    def set_cost(self, guitar_id: str | None, key: str, value: float) -> None:
        guitar = self.guitar(guitar_id)
        if guitar is not None and abs(getattr(guitar.costs, key) - value) > 1e-9:
            costs: Costs = replace(guitar.costs, **{key: value})
            words = guitar_fields.COSTS[key]
            self._put(guitar, replace(guitar, costs=costs), f"{guitar.name}: {value:g} {words}. The night is priced anew.")

    def set_bridge(self, guitar_id: str | None, bridge: str) -> None:
        guitar = self.guitar(guitar_id)
        if guitar is not None and guitar.bridge != bridge:
            new = guitar_fields.with_bridge(guitar, bridge)
            kind = guitar_fields.BRIDGE_WORDS[bridge].split(":")[0]
            self._put(guitar, new, f"The bridge of {guitar.name}: {kind}, {new.costs.passes:g} rounds.")

    def set_retuner(self, guitar_id: str | None, retuner: str) -> None:
        guitar = self.guitar(guitar_id)
        if guitar is not None and guitar.setup.retuner != retuner:
            self._put(guitar, _set_up(guitar, retuner=retuner), f"{guitar.name} is retuned by {retuner}.")

    def _put(self, old: Instrument, new: Instrument, words: str) -> bool:
        label = f"Edit {old.name}"
        return self._do(label, lambda: self.session.state.with_instrument(new), lambda: pretty(words))

    # -- fields: each takes the guitar and the text, and gives the new guitar
    def _with_name(self, i: Instrument, text: str) -> Instrument:
        return catalogue_edits.renamed_guitar(self.session.state, i, fields.words(text))

    def _with_tuning(self, i: Instrument, text: str) -> Instrument:
        """The state of the guitar as the player says it: from now on, and not heard."""
        return i.tuned_to(fields.tuning(text, i.strings, i.home), now_text())

    def _with_home(self, i: Instrument, text: str) -> Instrument:
        return replace(i, home=fields.tuning(text, i.strings, i.home))

    def _with_channel(self, i: Instrument, text: str) -> Instrument:
        plain = text.strip().lower()
        return _set_up(i, channel=0 if plain in ("", "any") else fields.whole(plain, 1, 64))

    def target(self, guitar: Instrument, text: str) -> Tuning | None:
        """The tuning that is typed for a guitar, its home where nothing is; None where it cannot be read, which is told."""
        try:
            return fields.tuning(text, guitar.strings, guitar.home) if text.strip() else guitar.home
        except UserError as error:
            self.message.emit(f"Tune it to: {error.message()}.")
            return None

    # -- what is shown
    def words(self, i: Instrument) -> str:
        now = datetime.now().astimezone()
        parts = [guitar_fields.state_words(i, now), guitar_fields.strings_words(i, now.date())]
        return "\n".join(p for p in parts if p)

    def tension_words(self, i: Instrument) -> str:
        missing = "" if i.setup.gauges else " Gauges would tell newtons."
        return guitar_fields.tension_words(i, guitar_fields.tension_of(i)) + missing

    def strings(self, i: Instrument) -> tuple[StringValue, ...]:
        found = guitar_fields.tension_of(i)
        out = []
        for k, (s, t) in enumerate(zip(i.tuning.strings, found.strings, strict=True)):
            gauge = i.setup.gauges[k] if i.setup.gauges else None
            out.append(StringValue(
                s, self.calling.head(s, i.tuning), pretty(str(i.tuning.note(s))), pretty(str(i.home.note(s))),
                i.tuning.pitch(s) - i.home.pitch(s), gauge.mm if gauge else None, bool(gauge and gauge.wound),
                f"{t.newtons:.0f} N" if t.newtons is not None else "", t.ratio, s in i.setup.off,
            ))  # fmt: skip
        return tuple(out)
