"""What the Night menu does beyond planning: paper, and the run of nights in the book."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from juxtatune.app import nights
from juxtatune.app.night import VERSION
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.qt.paper import Sheet, floor_sheet, paint_on, set_page, tech_sheet, write_pdf
from juxtatune.qt.views.night.versions import LEFT, RIGHT

if TYPE_CHECKING:
    from juxtatune.qt.main_window import MainWindow


class NightMenu:
    """Adds its actions to a menu of the window."""

    def __init__(self, window: MainWindow, menu: QMenu) -> None:
        self.window, self.menu = window, menu
        menu.addSeparator()
        self._add("Set for the &floor as PDF…", partial(self._ask_pdf, floor_sheet, "floor"))
        self._add("Te&chnician's sheet as PDF…", partial(self._ask_pdf, tech_sheet, "technician"))
        self._add("Print the set for the floor…", partial(self._print, floor_sheet))
        self._add("Print the technician's sheet…", partial(self._print, tech_sheet))
        menu.addSeparator()
        self._add("&Keep this order", window.night.keep)
        self._add("Show the next kept &order beside", partial(window.night.next_version, RIGHT))
        self._add("Show the next kept order in its &place", partial(window.night.next_version, LEFT))
        self._add("&Energy curve", window.night.toggle_curve)
        menu.addSeparator()
        self.open = menu.addMenu("&Open night")
        self.open.aboutToShow.connect(self._fill)
        self._add("&Another night with these songs…", self._another)
        self._add("&Rename this night…", self._rename)
        self._add("Re&hearsal order", self._rehearsal)
        self._add("What to &leave the guitars in", self.leave_in)

    def _add(self, text: str, work: Callable[[], None]) -> None:
        action = QAction(text, self.window)
        action.triggered.connect(lambda _=False: work())
        self.menu.addAction(action)

    # -- paper
    def _ask_pdf(self, sheet: Sheet, what: str) -> None:
        name, _ = QFileDialog.getSaveFileName(self.window, "Write a PDF", f"{what}.pdf", "PDF files (*.pdf)")
        if name:
            self.write_sheet(Path(name), sheet)

    def write_sheet(self, path: Path, sheet: Sheet) -> None:
        """Writes a sheet of the order that stands."""
        night, gig, plan = self.window.night.night(), self.window.night.given_gig, self.window.night.given
        if night is None or gig is None or plan is None:
            self.window.say("There is no night to put on paper yet.")
            return
        try:
            write_pdf(path, sheet, night.name, gig, plan)
        except UserError as error:
            self.window.say(error.message())
            return
        self.window.say(f"Written to {path}.")

    def _print(self, sheet: Sheet) -> None:
        from PySide6.QtPrintSupport import QPrintDialog, QPrinter

        night, gig, plan = self.window.night.night(), self.window.night.given_gig, self.window.night.given
        if night is None or gig is None or plan is None:
            self.window.say("There is no night to put on paper yet.")
            return
        printer = QPrinter()
        set_page(printer)
        if QPrintDialog(printer, self.window).exec():
            paint_on(printer, sheet, night.name, gig, plan)

    # -- nights
    def _fill(self) -> None:
        self.open.clear()
        for night in self.window.session.state.nights:
            if VERSION in night.id:
                continue
            action = QAction(night.name, self.window)
            action.triggered.connect(lambda _=False, night=night: self.window.night.open_night(night.id))
            self.open.addAction(action)

    def _edit(self, label: str, new: BookState) -> None:
        try:
            self.window.session.edit(label, new)
        except UserError as error:
            self.window.say(error.message())

    def _another(self) -> None:
        night = self.window.night.night()
        if night is None:
            return
        name, ok = QInputDialog.getText(
            self.window, "Another night", "Its name:", text=f"{night.name}, next night"
        )
        if ok and name.strip():
            self.window.night.add_night(nights.copied(self.window.session.state, night, name.strip()))

    def _rename(self) -> None:
        night = self.window.night.night()
        if night is None:
            return
        name, ok = QInputDialog.getText(self.window, "Rename this night", "Its name:", text=night.name)
        if ok and name.strip():
            self._edit(
                "Rename the night", self.window.session.state.with_night(nights.renamed(night, name.strip()))
            )

    def _rehearsal(self) -> None:
        """A night of its own, without rules, talk or interval: whatever retunes least."""
        night = self.window.night.night()
        if night is None:
            return
        self.window.night.add_night(nights.rehearsal(self.window.session.state, night))
        self.window.plan()

    def leave_in(self) -> None:
        """Says how the guitars should stand for the night that follows this one in the book."""
        state, night = self.window.session.state, self.window.night.night()
        following = nights.following(state, night) if night is not None else None
        if following is None:
            self.window.say("There is no night after this one in the book: Night > Another night makes one.")
            return
        try:
            names = nights.leave_for(state, following)
        except UserError as error:
            self.window.say(error.message())
            return
        self.window.say(
            f"For {following.name} leave " + ", ".join(f"{g} in {t}" for g, t in names.items()) + "."
        )
