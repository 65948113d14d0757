"""What the Night menu does beyond the view's commands: paper, and the run of nights in the book."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QFileDialog, QMenu

from juxtatune.app import nights
from juxtatune.app.sheet_texts import FLOOR, KINDS, TECHNICIAN, sheet_text
from juxtatune.book.files import write_whole
from juxtatune.core.errors import UserError
from juxtatune.qt.paper import Sheet, floor_sheet, paint_on, set_page, tech_sheet, write_pdf
from juxtatune.qt.shell import Shell
from juxtatune.qt.views.night.presenter import NightPresenter
from juxtatune.qt.views.night.view import NightView

PAINTED: dict[str, Sheet] = {FLOOR: floor_sheet, TECHNICIAN: tech_sheet}


class NightMenu:
    """Fills the menu anew each time it opens, so that it follows the chosen song."""

    def __init__(self, shell: Shell, view: NightView, menu: QMenu) -> None:
        self.shell, self.view, self.menu = shell, view, menu
        self.presenter: NightPresenter = view.presenter
        self.open = QMenu("&Open night", menu)
        menu.aboutToShow.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        self.menu.clear()
        # its shortcut is the window's own: Ctrl+R works in every view
        self._add("&Plan\tCtrl+R", self.shell.plan)
        self.view.fill_menu(self.menu)
        self.menu.addSeparator()
        self._add("Set for the &floor as a file…\tCtrl+P", partial(self.ask_sheet, FLOOR))
        self._add("Te&chnician's sheet as a file…", partial(self.ask_sheet, TECHNICIAN))
        self._add("Print the set for the floor…", partial(self._print, floor_sheet))
        self._add("Print the technician's sheet…", partial(self._print, tech_sheet))
        self.menu.addSeparator()
        self._fill_open()
        self.menu.addMenu(self.open)
        self._add("&New night", self.new)
        self._add("Another night &with these songs", self.another)
        self._add("Re&hearsal order", self.rehearsal)
        self._add("What to leave the guitars &in", self.leave_in)

    def _add(self, text: str, work: Callable[[], object]) -> None:
        action = QAction(text, self.menu)
        action.triggered.connect(lambda _=False: work())
        self.menu.addAction(action)

    # -- paper
    def ask_sheet(self, sheet: str) -> None:
        """Asks where a sheet goes: the ending of the name says which kind of file it is."""
        kinds = ";;".join(f"{what} (*{ending})" for ending, what in KINDS.items())
        name, chosen = QFileDialog.getSaveFileName(self.shell.widget, "Write a sheet", f"{sheet}.pdf", kinds)
        if name:
            path = Path(name)
            if path.suffix.lower() not in KINDS:
                path = path.with_name(path.name + next((e for e in KINDS if f"*{e}" in chosen), ".pdf"))
            self.write_sheet(path, sheet)

    def write_sheet(self, path: Path, sheet: str) -> None:
        """Writes a sheet of the order that stands, whole or not at all, as the kind of file that the name says."""
        night, gig, plan = self.presenter.night(), self.presenter.given_gig, self.presenter.given
        if night is None or gig is None or plan is None:
            self.shell.say("There is no night to put on paper yet.")
            return
        kind = path.suffix.lower()
        try:
            if kind == ".pdf":
                write_pdf(path, PAINTED[sheet], night.name, gig, plan)
            else:
                write_whole(path, sheet_text(sheet, kind, night.name, gig, plan).encode())
        except UserError as error:
            self.shell.say(f"{error.message()}.")
            return
        self.shell.say(f"Written to {path}.")

    def _print(self, sheet: Sheet) -> None:
        from PySide6.QtPrintSupport import QPrintDialog, QPrinter

        night, gig, plan = self.presenter.night(), self.presenter.given_gig, self.presenter.given
        if night is None or gig is None or plan is None:
            self.shell.say("There is no night to put on paper yet.")
            return
        printer = QPrinter()
        set_page(printer)
        if QPrintDialog(printer, self.shell.widget).exec():
            paint_on(printer, sheet, night.name, gig, plan)

    # -- nights
    def _fill_open(self) -> None:
        self.open.clear()
        for night in self.shell.session.state.nights:
            action = QAction(night.name, self.open)
            action.triggered.connect(lambda _=False, night=night: self.presenter.open_night(night.id))
            self.open.addAction(action)

    def new(self) -> None:
        night = self.presenter.edits.new()
        if night is not None:
            self.presenter.open_night(night.id)
            self.view.build(True)

    def another(self) -> None:
        night = self.presenter.edits.copy()
        if night is not None:
            self.presenter.open_night(night.id)

    def rehearsal(self) -> None:
        """A night of its own, without rules, talk or interval: whatever retunes least."""
        night = self.presenter.edits.rehearsal()
        if night is not None:
            self.presenter.open_night(night.id)
            self.shell.plan()

    def leave_in(self) -> None:
        """Says how the guitars should stand for the night that follows this one in the book."""
        state, night = self.shell.session.state, self.presenter.night()
        following = nights.following(state, night) if night is not None else None
        if following is None:
            self.shell.say("There is no night after this one in the book: Night > Another night makes one.")
            return
        try:
            names = nights.leave_for(state, following)
        except UserError as error:
            self.shell.say(f"{error.message()}.")
            return
        listed = ", ".join(f"{g} in {t}" for g, t in names.items())
        self.shell.say(f"For {following.name} leave {listed}.")
