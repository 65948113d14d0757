"""The Night view: the score of the order, the plan beside it, and the page on which the night is set up."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QAction, QContextMenuEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from juxtatune.core.errors import UserError
from juxtatune.core.planning.explain.sensitivity import Change
from juxtatune.qt.views.night.builder import BuilderPage
from juxtatune.qt.views.night.commands import KEY, Command, Commands
from juxtatune.qt.views.night.presenter import NightPresenter
from juxtatune.qt.views.night.versions import LEFT, RIGHT
from juxtatune.qt.views.night.why_panel import WhyPanel
from juxtatune.qt.widgets.score import ScoreCanvas

ZOOM = {KEY.Key_Plus: 1, KEY.Key_Equal: 1, KEY.Key_Minus: -1, KEY.Key_0: 0}
EMPTY = (
    "No songs in this night yet.\n\nB sets it up: songs from the book, an interval, the guitars you bring.\n"
    "New songs are made in Songs (Ctrl+1), guitars in Guitars (Ctrl+2); a gig file comes in with Ctrl+I."
)


class NightView(QWidget):
    """Keys and pointer to presenter calls; presenter state to the canvas."""

    song_chosen = Signal(str)
    opened = Signal(str)
    message = Signal(str)
    hints_changed = Signal()

    def __init__(self, presenter: NightPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.commands = self._commands()
        self.canvas = ScoreCanvas()
        self.empty = QLabel(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setWordWrap(True)
        self.set_up = QPushButton("Set up the night")
        self.set_up.clicked.connect(lambda _=False: self.build(True))
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setWidget(self.canvas)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.why = WhyPanel(presenter.why)
        self.why.hide()
        self.builder = BuilderPage(presenter)
        self._lay_out()
        self._connect()
        self.refresh()

    def _lay_out(self) -> None:
        self.score_page = QWidget()
        self.nothing = QWidget()
        inside = QVBoxLayout(self.nothing)
        inside.addStretch(1)
        inside.addWidget(self.empty)
        inside.addWidget(self.set_up, 0, Qt.AlignmentFlag.AlignCenter)
        inside.addStretch(1)
        column = QVBoxLayout()
        column.addWidget(self.area, 1)
        column.addWidget(self.nothing, 1)
        row = QHBoxLayout(self.score_page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(column, 1)
        row.addWidget(self.why)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.score_page)
        self.pages.addWidget(self.builder)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.pages)

    def _connect(self) -> None:
        presenter = self.presenter
        for widget in (self.canvas, self.why.list, self.set_up):
            widget.installEventFilter(self)
        self.canvas.selected.connect(self.song_chosen)
        self.canvas.opened.connect(self.opened)
        self.canvas.moved.connect(presenter.edits.move)
        self.canvas.energy.bent.connect(presenter.edits.bend_curve)
        self.why.taken.connect(self._take_change)
        self.builder.closed.connect(lambda: self.build(False))
        presenter.changed.connect(self.refresh)
        presenter.spread_known.connect(lambda: self.canvas.set_orders(presenter.scores()))
        presenter.edited.connect(self._refresh_builder)
        presenter.why.changed.connect(self._show_elsewhere)
        presenter.message.connect(self.message)

    def _commands(self) -> Commands:
        p, e = self.presenter, self.presenter.edits

        def c(key: Qt.Key, keys: str, hint: str, menu: str, work: object, **more: bool) -> Command:
            return Command(key, keys, hint, menu, work, **more)  # type: ignore[arg-type]

        return Commands((
            (
                c(KEY.Key_T, "T", "take", "&Take the order at the right", lambda _: p.take(), on_song=False),
                c(KEY.Key_Y, "Y", "why", "&Why this order", lambda _: self.toggle_why(), on_song=False),
                c(KEY.Key_Escape, "Esc", "", "&Stop planning", lambda _: p.cancel(), on_song=False),
            ),
            (
                c(KEY.Key_Return, "Enter", "tune", "T&une for this song", self.opened.emit),
                c(KEY.Key_Up, "Alt+↑", "", "Move it &earlier", lambda s: e.move_by(s, -1)),
                c(KEY.Key_Down, "Alt+↓", "", "Move it &later", lambda s: e.move_by(s, 1)),
                c(KEY.Key_P, "P", "pin", "&Pin it to its place", e.toggle_pin),
                c(KEY.Key_M, "M", "medley", "&Medley with the next song", e.toggle_medley),
                c(KEY.Key_A, "A", "apart", "Keep &apart from the next song", e.toggle_apart),
                c(KEY.Key_H, "H", "lock half", "Lock its &half", e.toggle_lock),
                c(KEY.Key_W, "W", "way", "Another &way to play it", e.next_way),
                c(KEY.Key_L, "L", "talk", "Ta&lk after it…", self._ask_talk),
            ),
            (
                c(KEY.Key_B, "B", "set up", "Set up the night (&build)", lambda _: self.build(True), on_song=False),
                c(KEY.Key_C, "C", "energy", "Energy &curve", lambda _: e.toggle_curve(), on_song=False),
                c(KEY.Key_K, "K", "keep", "&Keep this order", lambda _: e.keep(), on_song=False),
                c(KEY.Key_V, "V", "kept", "Show the next kept &order beside", lambda _: p.next_kept(RIGHT), on_song=False),
                c(KEY.Key_V, "Shift+V", "", "Show the next kept order in its place", lambda _: p.next_kept(LEFT),
                  on_song=False, shift=True),
                c(KEY.Key_F, "F", "", "&Flip to the other order", lambda _: self.flip(), on_song=False),
                c(KEY.Key_Plus, "+ −", "zoom", "Taller rows", lambda _: self.canvas.zoom(1), on_song=False),
            ),
        ))  # fmt: skip

    def hints(self) -> tuple[str, ...]:
        if self.building:
            return self.builder.hints()
        narrow = self.canvas.folded
        flip = ("F  flip",) if narrow else ()
        return ("Ctrl+R  plan", "Alt+↑↓  move", *self.commands.hints(), *flip)

    # -- pages
    @property
    def building(self) -> bool:
        return self.pages.currentWidget() is self.builder

    def build(self, on: bool) -> None:
        """Shows the page on which the night is set up, or the score again."""
        self.pages.setCurrentWidget(self.builder if on else self.score_page)
        self.builder.refresh() if on else self.refresh()
        self.focus_in()
        self.hints_changed.emit()

    def focus_in(self) -> None:
        """Puts the focus where the keys of the view are heard."""
        target = self.builder.search if self.building else self.canvas if self.area.isVisibleTo(self) else self.set_up
        target.setFocus()

    def select(self, song: str | None) -> None:
        self.canvas.set_song(song)
        if self.why.isVisible():
            self.presenter.why.select(song)

    def flip(self) -> None:
        scores = self.presenter.scores()
        if len(scores) < 2:
            self.message.emit("There is one order only: Ctrl+R plans another.")
            return
        self.canvas.flipped = not self.canvas.flipped
        self.canvas.update()
        if not self.canvas.folded:
            self.message.emit("Both orders are in view already.")
        else:
            self.message.emit(f"{self.canvas.shown()[0].title} is shown.")

    # -- why
    def toggle_why(self) -> None:
        """Shows or hides the panel that explains the order."""
        if not self.why.isVisible() and self.presenter.planning:
            self.message.emit("It is being planned: Y explains when that has ended, Esc stops it.")
            return
        self.why.setVisible(not self.why.isVisible())
        if self.why.isVisible():
            self.presenter.explain()
            self.canvas.flipped = self.presenter.explained() == 1
            self.presenter.why.select(self.canvas.song())
        else:
            self.presenter.why.stop()
            self.canvas.setFocus()
        self._show_elsewhere()

    def _take_change(self, change: Change) -> None:
        """A change that the panel offers is one to the player's own order: that is shown, and said."""
        if self.presenter.edits.move(change.song, change.place):
            self.canvas.flipped = False
            self.song_chosen.emit(change.song)
            title = self.presenter.session.state.song(change.song).title
            self.message.emit(
                f"Your own order: {title} is now in place {change.place + 1}, {change.saves_s:.0f} s less. Ctrl+Z undoes."
            )

    def _show_elsewhere(self) -> None:
        self.canvas.set_elsewhere(
            self.presenter.why.elsewhere if self.why.isVisible() else {}, self.presenter.explained()
        )

    def refresh(self) -> None:
        self.canvas.set_orders(self.presenter.scores())
        night = self.presenter.night()
        nothing = night is None or not night.slots
        had_focus = self.set_up.hasFocus() or self.canvas.hasFocus()
        self.nothing.setVisible(nothing)
        self.area.setVisible(not nothing)
        if had_focus:
            self.focus_in()
        self.hints_changed.emit()

    def _refresh_builder(self) -> None:
        if self.building:
            self.builder.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.canvas.update()

    # -- menus
    def fill_menu(self, menu: QMenu, groups: slice = slice(None)) -> None:
        """Every command with its key; those on a song act on the chosen one."""
        for k, group in enumerate(self.commands.groups[groups]):
            if k:
                menu.addSeparator()
            for command in group:
                action = QAction(f"{command.menu}\t{command.keys}", menu)
                action.setEnabled(not command.on_song or self.canvas.song() is not None)
                action.triggered.connect(partial(self._do, command))
                menu.addAction(action)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if not self.building:
            self.open_menu(event.globalPos())

    def open_menu(self, at: QPoint) -> QMenu:
        """The context menu of the chosen song."""
        menu = QMenu(self)
        self.fill_menu(menu)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(at)
        return menu

    def _do(self, command: Command, *_: object) -> None:
        song = self.canvas.song()
        night = self.presenter.night()
        inside = night is not None and any(s.song == song for s in night.slots)
        if command.on_song and not inside:
            self.message.emit("Choose a song in the score first.")
            return
        try:
            command.work(song)
        except UserError as error:
            self.message.emit(f"{error.message()}.")

    # -- keys
    def eventFilter(self, watched: object, event: object) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            return self._key(watched, event)
        return False

    def _key(self, watched: object, event: QKeyEvent) -> bool:
        key = Qt.Key(event.key())
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        step = {KEY.Key_Down: 1, KEY.Key_Up: -1}.get(key, 0)
        if watched is not self.canvas and (step or key in (KEY.Key_Return, KEY.Key_Enter, KEY.Key_Space)):
            return False  # the panel's list has its own use for these
        if step and not alt:
            self._step(step)
        elif key in ZOOM:
            self.canvas.zoom(ZOOM[key])
        elif key == KEY.Key_Menu:
            at = self.canvas.rect().center()
            self.open_menu(self.canvas.mapToGlobal(at))
        else:
            command = self.commands.find(KEY.Key_Return if key == KEY.Key_Enter else key, shift)
            if command is None:
                return False
            self._do(command)
        return True

    def _step(self, by: int) -> None:
        shown = self.canvas.shown()
        if not shown:
            return
        rows = [r.song for r in shown[0].rows]
        now = self.canvas.song()
        at = rows.index(now) if now is not None and now in rows else -1
        song = rows[max(0, min(len(rows) - 1, at + by))]
        self.canvas.set_song(song)
        centre = self.canvas.row_centre(0, rows.index(song))
        self.area.ensureVisible(int(centre.x()), int(centre.y()), 0, 60)
        self.song_chosen.emit(song)

    def _ask_talk(self, song: str | None) -> None:
        if song is None:
            return
        now = self.presenter.edits.talk(song)
        value, ok = QInputDialog.getDouble(
            self, "Talk after this song", "Seconds of talk and applause:", now, 0, 600, 0
        )
        if ok:
            self.presenter.edits.set_talk(song, value)
