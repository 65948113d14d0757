"""Edits of the open night: each is one undoable edit of the book, and says what it did or why not."""

from __future__ import annotations

from collections.abc import Callable

from juxtatune.app import building, nights
from juxtatune.app import night as orders
from juxtatune.app.night import Answer
from juxtatune.app.session import Session
from juxtatune.book.state import BookState, NightRecord
from juxtatune.core.errors import UserError
from juxtatune.core.planning.model.plan import Plan
from juxtatune.qt.views.night.versions import LEFT, RIGHT, Versions

NO_NIGHT = "There is no night yet: B makes one."


class NightController:
    """Takes what the player wants of the open night to the session."""

    def __init__(
        self, session: Session, night: Callable[[], NightRecord | None], versions: Versions,
        say: Callable[[str], None],
    ) -> None:  # fmt: skip
        self.session, self._night, self._versions, self._say = session, night, versions, say

    @property
    def state(self) -> BookState:
        return self.session.state

    def _edit(self, label: str, change: Callable[[NightRecord], Answer]) -> bool:
        night = self._night()
        if night is None:
            self._say(NO_NIGHT)
            return False
        self._versions.shown[LEFT] = None  # an edit changes the order that stands: it is shown again
        try:
            new, words = change(night)
            self.session.edit(label, self.state.with_night(new))
        except UserError as error:
            self._say(f"{error.message()}.")
            return False
        self._say(words)
        return True

    # -- order and rules
    def move(self, song: str, place: int) -> bool:
        return self._edit("Move a song", lambda n: orders.move_song(self.state, n, song, place))

    def move_by(self, song: str, by: int) -> bool:
        return self._edit(
            "Move a song", lambda n: orders.move_song(self.state, n, song, orders.place_of(n, song) + by)
        )

    def toggle_pin(self, song: str) -> bool:
        return self._edit("Pin", lambda n: orders.toggle_pin(self.state, n, song))

    def toggle_medley(self, song: str) -> bool:
        return self._edit("Medley", lambda n: orders.toggle_medley(self.state, n, song))

    def toggle_apart(self, song: str) -> bool:
        return self._edit("Keep apart", lambda n: orders.toggle_apart(self.state, n, song))

    def toggle_lock(self, song: str) -> bool:
        return self._edit("Lock a part", lambda n: orders.toggle_lock(self.state, n, song))

    def next_way(self, song: str) -> bool:
        return self._edit("Another way to play", lambda n: orders.next_way(self.state, n, song))

    def set_talk(self, song: str, talk: float) -> bool:
        return self._edit("Talk", lambda n: orders.set_talk(self.state, n, song, talk))

    def talk(self, song: str) -> float:
        night = self._night()
        return night.rules.cover(song) if night is not None else 0.0

    def toggle_curve(self) -> bool:
        return self._edit("Energy curve", lambda n: orders.toggle_curve(self.state, n))

    def bend_curve(self, drawn: dict[int, float]) -> bool:
        return self._edit("Draw the energy", lambda n: orders.bend_curve(n, drawn))

    # -- orders
    def take_plan(self, plan: Plan) -> bool:
        words = "Order taken. Ctrl+Z brings the old one back."
        return self._edit("Take the planned order", lambda n: (orders.take_plan(self.state, n, plan), words))

    def take_kept(self) -> bool:
        """Takes the kept order shown at the right; False when none is."""
        kept = next((k for k in self.state.kept if k.id == self._versions.shown[RIGHT]), None)
        if kept is None:
            return False
        self._versions.clear()
        words = f"{kept.name} is taken. Ctrl+Z brings yours back."
        return self._edit("Take a kept order", lambda n: (orders.take_kept(n, kept), words))

    def keep(self) -> bool:
        """Keeps the order that stands, to be compared with others."""
        night = self._night()
        if night is None or not night.slots:
            self._say("There is no order to keep yet.")
            return False
        kept = orders.kept_order(self.state, night)
        return self._book(
            "Keep this order", self.state.with_kept(kept),
            f"Kept as {kept.name.lower()}. V shows kept orders beside this one, Shift+V in its place.",
        )  # fmt: skip

    # -- building
    def add(self, song: str) -> bool:
        return self._edit("Put a song in", lambda n: building.add_to_night(self.state, n, song))

    def take_out(self, song: str) -> bool:
        return self._edit("Take a song out", lambda n: building.take_out(self.state, n, song))

    def move_within(self, song: str, by: int) -> bool:
        return self._edit("Move a song", lambda n: building.move_within(self.state, n, song, by))

    def add_interval(self, song: str | None) -> bool:
        return self._edit("Add an interval", lambda n: building.add_interval(self.state, n, song))

    def remove_interval(self, part: int) -> bool:
        return self._edit("Remove the interval", lambda n: building.remove_interval(n, part))

    def rename_part(self, part: int, name: str) -> bool:
        return self._edit("Rename a part", lambda n: building.rename_part(n, part, name))

    def bring(self, guitar: str, brought: bool) -> bool:
        return self._edit("Guitars brought", lambda n: building.bring(self.state, n, guitar, brought))

    def set_cover(self, seconds: float) -> bool:
        words = f"{seconds:g} s of talk between songs, where nothing else is said."
        return self._edit("Talk between songs", lambda n: building.set_rules(n, words, cover_s=seconds))

    def set_tech(self, there: bool) -> bool:
        words = "A technician retunes what is not played." if there else "No technician: every retune is yours."
        return self._edit("Technician", lambda n: building.set_rules(n, words, tech=there))

    def set_limit(self, seconds: float | None) -> bool:
        words = f"No gap may be longer than {seconds:g} s." if seconds is not None else "Gaps may be of any length."
        return self._edit("Limit on dead air", lambda n: building.set_rules(n, words, max_dead_s=seconds))

    # -- nights of the book
    def new(self, name: str = "Night") -> NightRecord | None:
        night = nights.new_night(self.state, name)
        made = self._book("New night", self.state.with_night(night), f"{night.name} is a new night: put songs into it.")
        return night if made else None

    def copy(self, name: str = "") -> NightRecord | None:
        night = self._night()
        if night is None:
            self._say(NO_NIGHT)
            return None
        copy = nights.copied(self.state, night, name or night.name)
        made = self._book("Copy the night", self.state.with_night(copy), f"{copy.name} has the same songs and rules.")
        return copy if made else None

    def rehearsal(self) -> NightRecord | None:
        night = self._night()
        if night is None:
            self._say(NO_NIGHT)
            return None
        new = nights.rehearsal(self.state, night)
        made = self._book("Rehearsal order", self.state.with_night(new), f"{new.name}: planned for the least retuning.")
        return new if made else None

    def rename(self, name: str) -> bool:
        if not name.strip():
            self._say("A night needs a name: at least one letter.")
            return False
        return self._edit(
            "Rename the night",
            lambda n: (nights.renamed(self.state, n, name.strip()), f"This night is called {name.strip()}."),
        )

    def delete(self) -> bool:
        night = self._night()
        if night is None:
            self._say(NO_NIGHT)
            return False
        words = f"{night.name} is deleted; its songs stay in the book. Ctrl+Z brings it back."
        return self._book("Delete the night", self.state.without_night(night.id), words)

    def _book(self, label: str, new: BookState, words: str) -> bool:
        try:
            self.session.edit(label, new)
        except UserError as error:
            self._say(f"{error.message()}.")
            return False
        self._say(words)
        return True
