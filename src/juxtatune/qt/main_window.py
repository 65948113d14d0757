"""The one window: navigation, Tonight, menus. The work is done in the views."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from juxtatune.app import fields
from juxtatune.app.intonation import IntonationRun
from juxtatune.app.preferences import Preferences, TuningPreferences
from juxtatune.app.session import Session
from juxtatune.app.sheet_texts import FLOOR
from juxtatune.app.tune import Job
from juxtatune.core.errors import UserError
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.pricing.timeline import trace
from juxtatune.core.repertoire.night import Gig
from juxtatune.qt.faults import faults
from juxtatune.qt.gig_files import BookFiles, GigFiles
from juxtatune.qt.intonation_dialog import IntonationDialog
from juxtatune.qt.legend import LegendDialog
from juxtatune.qt.night_menu import NightMenu
from juxtatune.qt.notice import NoticeLine
from juxtatune.qt.rehearsal import Rehearsal
from juxtatune.qt.song_files import MUSIC, SOUND, TABLES, Dropped, SongFiles
from juxtatune.qt.sound_menu import SoundMenu
from juxtatune.qt.theme import Theme, apply_theme
from juxtatune.qt.tuning_dialog import TuningDialog
from juxtatune.qt.views.fretboard.view import FretboardView
from juxtatune.qt.views.guitars.view import GuitarsView
from juxtatune.qt.views.log.view import LogView
from juxtatune.qt.views.night.presenter import NightPresenter
from juxtatune.qt.views.night.view import NightView
from juxtatune.qt.views.practice.view import PracticeView
from juxtatune.qt.views.songs.view import SongsView
from juxtatune.qt.views.stage.presenter import StagePresenter
from juxtatune.qt.views.stage.side import SidePage
from juxtatune.qt.views.stage.view import StageView
from juxtatune.qt.views.tune.presenter import TunePresenter
from juxtatune.qt.views.tune.view import TuneView
from juxtatune.qt.views.tunings.view import TuningsView
from juxtatune.qt.widgets.level import LevelBar
from juxtatune.qt.widgets.tonight import TonightList, TonightRow

VIEWS = ("Songs", "Guitars", "Tunings", "Fretboard", "Night", "Tune", "Stage", "Log", "Practice")
TO_THEMSELVES = ("Night", "Stage", "Log", "Practice")  # views beside which Tonight has no place
QUIT_AGAIN_S = 5.0  # within which a second wish to quit ends a night under way
FOLD_AT = 1100  # px
NAMED_FROM = 1180  # px of width from which the night's name has room beside the views
FOOT_PX = 16
USUAL = (1280, 800)
LEAST = (760, 480)  # px: a small screen whose letters are enlarged by half
SAVE_LOOK_MS = 300

W = TypeVar("W", bound=QWidget)


def _named(widget: W, name: str) -> W:
    """The widget with the name that the style sheet knows it by."""
    widget.setObjectName(name)
    return widget


class MainWindow(QMainWindow):
    """Holds the session and the views, and keeps one song selected across them."""

    restore_wanted = Signal(object)  # a backup to put in the place of this window's book
    closed = Signal()
    book_wanted = Signal(object)  # the path of another book to open in this window's place

    def __init__(self, session: Session, preferences: Preferences) -> None:
        super().__init__()
        self.session, self.preferences = session, preferences
        self.song: str | None = None
        self.intonation: IntonationDialog | None = None
        self._bench: Job | None = None  # a guitar that is tuned without a song
        self._closed = False
        Theme.left_handed = preferences.left_handed
        self.night = NightPresenter(session)
        self.tune = TunePresenter(session)
        self.stage = StagePresenter(session, self.night, self.tune)
        self._side: SidePage | None = None
        self.rehearsing = False  # on a copy of the book: it may close at any time
        self.rehearsal: Rehearsal | None = None
        self._quit_asked = -QUIT_AGAIN_S
        self.views: dict[str, Any] = {
            "Songs": SongsView(session), "Guitars": GuitarsView(session), "Tunings": TuningsView(session),
            "Fretboard": FretboardView(session),
            "Night": NightView(self.night), "Tune": TuneView(self.tune),
            "Stage": StageView(self.stage), "Log": LogView(session),
            "Practice": PracticeView(session, self._given),
        }  # fmt: skip
        self._lay_out()
        self._menus()
        self._connect()
        self._prefer_tuning(preferences.tuning)
        self._unwatch = session.watch(self._book_changed)
        night = self.night.night()
        self.choose(night.slots[0].song if night is not None and night.slots else None)
        self.show_view(self._first_view())
        self.night.refresh()
        self._refresh()
        self._fit_screen()
        self._welcome()
        if not session.read_only and self.stage.resume():
            self.show_view("Stage")
            self.say("The night goes on where it was.")

    def _first_view(self) -> str:
        """An empty book begins with what is missing first: a guitar, then songs, then a night."""
        state = self.session.state
        if not state.instruments:
            return "Guitars"
        return "Songs" if not state.songs else "Night"

    def _welcome(self) -> None:
        if self.session.read_only:
            self.say("This book is open in another window: here it can be read, and nothing changed.")
        elif self.session.repairs:
            self.say("What pointed nowhere was dropped: " + "; ".join(self.session.repairs[:3]) + ".")
        elif not self.session.state.instruments:
            self.say("Welcome. First your guitar: type its name and press Enter. Then songs, then a night. F1 shows all keys.")

    def _fit_screen(self) -> None:
        """As made for, or as large as the screen has room for."""
        room = self.screen().availableGeometry()
        self.resize(min(USUAL[0], room.width()), min(USUAL[1], room.height()))
        self.setMinimumSize(min(LEAST[0], room.width()), min(LEAST[1], room.height()))

    # -- what menus ask for
    @property
    def widget(self) -> QWidget:
        return self

    def say(self, text: str) -> None:
        self.line.say(text)

    def open_book(self, path: Path) -> None:
        self.book_wanted.emit(path)

    def restore_book(self, backup: Path) -> None:
        self.restore_wanted.emit(backup)

    # -- building
    def _lay_out(self) -> None:
        top = self._top = _named(QWidget(), "top")
        row = QHBoxLayout(top)
        row.setContentsMargins(16, 0, 16, 0)
        self.name = QLabel()
        self.name.setStyleSheet("font-weight: 600;")
        self.status = _named(QLabel(), "status")
        self.level = LevelBar()
        row.addWidget(self.name)
        row.addStretch(1)
        self.tabs: dict[str, QToolButton] = {}
        for view in VIEWS:
            tab = _named(QToolButton(), "tab")
            tab.setText(view)
            tab.setCheckable(True)
            tab.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            tab.clicked.connect(lambda _=False, view=view: self.show_view(view))
            self.tabs[view] = tab
            row.addWidget(tab)
        row.addStretch(1)
        row.addWidget(self.level)
        row.addWidget(self.status)
        self.tonight = TonightList()
        self.stack = QStackedWidget()
        for view in VIEWS:
            self.stack.addWidget(self.views[view])
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.tonight)
        middle.addWidget(self.stack, 1)
        foot = _named(QWidget(), "foot")
        row = QHBoxLayout(foot)
        row.setContentsMargins(FOOT_PX, 6, FOOT_PX, 6)
        self.keys, self.note = QLabel(), QLabel()
        self.note.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.line = NoticeLine()
        self.notice = self.line.notice
        row.addWidget(self.keys)
        row.addStretch(1)
        row.addWidget(self.note)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(top)
        column.addLayout(middle, 1)
        column.addWidget(self.line)
        column.addWidget(foot)
        self.setCentralWidget(body)

    def _connect(self) -> None:
        self.tonight.selected.connect(self.choose)
        self.views["Night"].song_chosen.connect(self.choose)
        self.views["Songs"].song_chosen.connect(self.choose)
        self.views["Night"].opened.connect(self.open_song)
        self.views["Guitars"].intonation_wanted.connect(self.set_intonation)
        for view in ("Guitars", "Tunings"):
            self.views[view].tune_wanted.connect(self.tune_guitar)
        self.views["Night"].hints_changed.connect(self._show_hints)
        for view in self.views.values():
            view.message.connect(self.say)
        self.night.changed.connect(self._refresh)
        self.night.changed.connect(
            lambda: self.views["Guitars"].show_night(self.night.given_gig, self.night.given)
        )
        self.night.doing.connect(self.line.show_doing)
        self.tune.level.connect(self._show_level)
        self.tune.source_changed.connect(lambda _: self._show_status())
        self.tune.next_wanted.connect(self.next_song)
        self.views["Tune"].status_changed.connect(self._show_note)
        self.views["Stage"].status_changed.connect(self._show_note)
        self.views["Practice"].bench_wanted.connect(self._practise)
        self.tune.practised.connect(self._practised)
        self.views["Stage"].full_screen_wanted.connect(self.full_screen)
        faults.told.connect(self.say)
        self._saving = QTimer(self)
        self._saving.timeout.connect(lambda: self.line.show_unsaved(self.session.unsaved, self.session.trouble))
        self._saving.start(SAVE_LOOK_MS)

    def _action(
        self, menu: Any, text: str, work: Callable[[], Any], keys: str | QKeySequence.StandardKey = ""
    ) -> QAction:
        action = QAction(text, self)
        action.triggered.connect(lambda _=False: work())
        if keys:
            action.setShortcut(QKeySequence(keys))
        menu.addAction(action)
        return action

    def _menus(self) -> None:
        bar = self.menuBar()
        self._file_menu(bar.addMenu("&File"))
        edit = bar.addMenu("&Edit")
        self.undo_action = self._action(edit, "&Undo", self.undo, QKeySequence.StandardKey.Undo)
        self.redo_action = self._action(edit, "&Redo", self.redo, QKeySequence.StandardKey.Redo)
        edit.addSeparator()
        self.tuning_dialog = TuningDialog(self.preferences.tuning, self)
        self.tuning_dialog.changed.connect(self._tuning_changed)
        self._action(edit, "Tuning &preferences…", self.tuning_dialog.show, "Ctrl+,")
        go = bar.addMenu("&View")
        for k, view in enumerate(VIEWS):
            self._action(go, view, partial(self.show_view, view), f"Ctrl+{k + 1}")
        go.addSeparator()
        self._action(go, "Side page as a &window", self.show_side)
        self._action(go, "&Full screen", self.full_screen)
        self._action(go, "&Rehearse the night", self.rehearse)
        self._theme_menu(go.addMenu("&Colours"))
        left = self._action(go, "&Left-handed strings", self._mirror)
        left.setCheckable(True)
        left.setChecked(self.preferences.left_handed)
        self._mirror_action = left
        self.addAction(self._action(QWidget(self), "Plan", self.plan, "Ctrl+R"))
        self.night_menu = NightMenu(self, self.views["Night"], bar.addMenu("&Night"))
        self.sound_menu = SoundMenu(self.tune, bar.addMenu("&Sound"), self)
        help_menu = bar.addMenu("&Help")
        self.legend = LegendDialog(self)
        self._action(help_menu, "&Keys and legend", self.show_legend, "F1")
        self._action(help_menu, "&About Juxtatune", self._about)

    def _file_menu(self, file: Any) -> None:
        self.gig_files = GigFiles(self, self.night.night, self.night.open_night)
        self.book_files = BookFiles(self)
        self.song_files = SongFiles(self)
        songs = self.views["Songs"]
        self.dropped = Dropped(
            self, self.gig_files.import_gig, self.song_files.read, lambda path: songs.read_music(path, None), songs.hear_record
        )
        self.setAcceptDrops(True)
        self._action(file, "&Open a book…", self.book_files.ask_open, QKeySequence.StandardKey.Open)
        self._action(file, "&New book…", self.book_files.ask_new)
        self._action(file, "&Back up the book…", self.book_files.ask_back_up)
        self._action(file, "&Restore a backup…", self.book_files.ask_restore)
        file.addSeparator()
        self._action(file, "&Import gig…", self.gig_files.ask_import, "Ctrl+I")
        self._action(file, "&Export gig…", self.gig_files.ask_export, "Ctrl+E")
        self._action(file, "&Songs from a table…", self.song_files.ask_import)
        self._action(file, "Songs as a &table…", self.song_files.ask_export)
        file.addSeparator()
        self._action(file, "Set for the floor as a &file…", self._floor_sheet, QKeySequence.StandardKey.Print)
        file.addSeparator()
        self._action(file, "&Quit", self.close, "Ctrl+Q")

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A file of any kind that is known, dropped anywhere; once the drop is over, for the dialogs that it opens."""
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls()]
        event.acceptProposedAction()
        QTimer.singleShot(0, lambda: self._take_dropped(paths))

    def _take_dropped(self, paths: list[Path]) -> None:
        if any(p.suffix.lower() in (*MUSIC, *SOUND, *TABLES) for p in paths):
            self.show_view("Songs")
        self.dropped.take(paths)

    def _floor_sheet(self) -> None:
        self.night_menu.ask_sheet(FLOOR)

    def _theme_menu(self, menu: Any) -> None:
        group = QActionGroup(self)
        for name in ("system", "dark", "light"):
            action = self._action(menu, name.capitalize(), partial(self._set_theme, name))
            action.setCheckable(True)
            action.setChecked(self.preferences.theme == name)
            group.addAction(action)

    # -- navigation
    def show_view(self, view: str) -> None:
        for name, tab in self.tabs.items():
            tab.setChecked(name == view)
        self.stack.setCurrentWidget(self.views[view])
        self.tonight.setVisible(view not in TO_THEMSELVES)
        self.say("")
        self.stage.hide()
        self._dress(view)
        if self.intonation is not None:
            self.intonation.close()  # one listens at a time
        if view == "Tune":
            self._begin_tuning()
        elif view == "Stage":
            self.stage.show()
        else:
            self.tune.stop()
            self.level.set_level(None, False)
        focus_in = getattr(self.views[view], "focus_in", self.views[view].setFocus)
        focus_in()
        self._show_note()
        self._show_hints()

    def _dress(self, view: str) -> None:
        """Stage is dark whatever the rest is."""
        app = QApplication.instance()
        wanted = "dark" if view == "Stage" else self.preferences.resolved_theme()
        if isinstance(app, QApplication) and Theme.name != wanted:
            apply_theme(app, wanted)

    def full_screen(self) -> None:
        """Nothing but the view; again, the window as it was."""
        full = not self.isFullScreen()
        self.menuBar().setVisible(not full)
        self._top.setVisible(not full)
        if full:
            self.showFullScreen()
        else:
            self.showNormal()

    def rehearse(self) -> None:
        """The whole night at many times real speed, in a window of its own on a copy of the book."""
        night = self.night.night()
        if self.rehearsing or night is None or not night.slots:
            self.say("This is the rehearsal." if self.rehearsing else "No night to rehearse yet: put songs into it first.")
            return
        if self.rehearsal is not None:
            self.rehearsal.window.close()
        try:
            unkept = self.preferences.with_(path=None)
            self.rehearsal = Rehearsal(self.session, night.id, lambda session: MainWindow(session, unkept))
        except UserError as error:
            self.say(f"{error.message()}.")
            return
        self.rehearsal.over.connect(self.say)
        self.rehearsal.start()

    def show_side(self) -> None:
        """The page for whoever stands beside the stage, on a screen of its own."""
        if self._side is None:
            self._side = SidePage(self.stage)
            self._side.resize(900, 700)
        self._side.show()
        self._side.raise_()
        self._side.refresh()

    def view_name(self) -> str:
        return next(name for name, view in self.views.items() if view is self.stack.currentWidget())

    def choose(self, song: str | None) -> None:
        if song is not None and song == self.song and self._bench is None:
            return
        self.song, self._bench = song, None
        self.views["Night"].select(song)
        self.views["Songs"].select(song)
        self.views["Fretboard"].presenter.show_song(song)
        self._show_tonight()
        if self.view_name() == "Tune":
            self._begin_tuning()

    def open_song(self, song: str) -> None:
        """Opens the gap that leads to a song: Tune, with the guitar and tuning that the song wants."""
        self.choose(song)
        self.show_view("Tune")

    def tune_guitar(self, guitar_id: str, target: Tuning, identify: bool = False) -> None:
        """Tunes any guitar to any tuning, with no song; or listens first to what it is in."""
        guitar = self.session.state.instrument(guitar_id)
        self._bench = Job("", f"{guitar.name}, {fields.show_tuning(target)}", guitar.id, target, 0.0)
        self.show_view("Tune")
        if identify:
            self.tune.identify()

    def _practise(self, job: Job) -> None:
        """A drill on the bench: nothing of it is kept but its score."""
        self._bench = job
        self.show_view("Tune")

    def _practised(self, drill: str, value: float) -> None:
        self._bench = None
        self.show_view("Practice")
        self.views["Practice"].bench_over(drill, value)

    def set_intonation(self, guitar_id: str) -> None:
        """Open, harmonic and fretted at the 12th, string by string, beside the work."""
        guitar = self.session.state.instrument(guitar_id)
        preferences = self.preferences.tuning
        try:
            source = self.tune.source_for(guitar)
        except UserError as error:
            self.say(f"{error.message()}.")
            return
        if self.intonation is not None:
            self.intonation.close()
        self.intonation = IntonationDialog(
            IntonationRun(guitar, preferences.reference), source, preferences.calling, self
        )
        self.intonation.show()

    def next_song(self) -> None:
        """On to the next gap of the night; from a guitar tuned without a song back to the guitars."""
        if self._bench is not None:
            self._bench = None
            self.show_view("Guitars")
            return
        rows = [row.song for row in self.tonight.model.rows]
        at = rows.index(self.song) if self.song in rows else -1
        if at + 1 < len(rows):
            self.choose(rows[at + 1])
            title = self.session.state.song(rows[at + 1]).title
            self.say(f"Next: {title}.")
        else:
            self.say("That was the last song of the night.")

    def _begin_tuning(self) -> None:
        job = self._job()
        if job is not None:
            self.tune.begin(job)

    def _given(self) -> tuple[Gig, Plan] | None:
        """The order of tonight, priced."""
        gig, plan = self.night.given_gig, self.night.given
        return (gig, plan) if gig is not None and plan is not None else None

    def _job(self) -> Job | None:
        if self._bench is not None:
            return self._bench
        gig, plan = self.night.given_gig, self.night.given
        if gig is None or plan is None or self.song is None:
            return None
        place = next((p for p in trace(gig, plan) if p.song == self.song), None)
        if place is None or place.way is None:
            return None
        guitar = self.session.state.instrument(place.way.instrument)
        now, want = guitar.tuning, place.way.tuning
        notes = tuple(want.note(s) if place.way.uses(s) else now.note(s) for s in want.strings)
        cover = place.gap.cover_s if place.gap is not None else 0.0
        return Job(self.song, gig.song(self.song).title, guitar.id, Tuning(notes), cover, place.way.strings_used)

    # -- showing
    def _book_changed(self) -> None:
        """Tonight follows when the new price is there; a name or another night shows at once."""
        if self.session.changes.nights:
            self._show_name()

    def _show_name(self) -> None:
        night = self.night.night()
        self.name.setText(night.name if night is not None else "Juxtatune")
        self.setWindowTitle(f"{night.name} – Juxtatune" if night is not None else "Juxtatune")

    def _refresh(self) -> None:
        self._show_name()
        self._show_tonight()
        self.views["Tunings"].show_night(self.night.night())
        self._show_status()
        self._show_note()
        self._show_hints()

    def _show_tonight(self) -> None:
        gig, plan, rows = self.night.given_gig, self.night.given, []
        night = self.night.night()
        past = self.song is not None
        if gig is not None and night is not None and plan is not None:
            for p in trace(gig, plan):
                if p.way is None:
                    continue
                if p.song == self.song:
                    past = False
                guitar = gig.instrument(p.way.instrument)
                tuning = fields.show_tuning(p.way.tuning)
                rows.append(TonightRow(p.song, gig.song(p.song).title, tuning, guitar.name,
                                       p.way.tuning.pitches, guitar.home.pitches, past))  # fmt: skip
        self.tonight.set_rows(tuple(rows), self.song)

    def _show_status(self, wrong: str = "") -> None:
        a4 = f"A4 {self.preferences.tuning.a4:g}"
        lock = "read only" if self.session.read_only else ""
        self.status.setText(" · ".join(part for part in (lock, a4, self.tune.source_name, wrong) if part))

    def _show_level(self, level: float, wrong: str) -> None:
        self.level.set_level(level, wrong == "too loud")
        self._show_status(wrong)

    def _show_hints(self) -> None:
        """The keys of the view, set closer and without the note beside them where there is no room."""
        room = self.width() - 2 * FOOT_PX
        hints = self.views[self.view_name()].hints()
        for apart, beside in ((6, True), (3, True), (3, False)):
            self.keys.setText((" " * apart).join((*hints, "F1  keys")))
            if self.keys.sizeHint().width() + beside * (self.note.sizeHint().width() + FOOT_PX) <= room:
                break
        else:
            while len(hints) > 1 and self.keys.sizeHint().width() > room:
                hints = hints[:-1]  # F1 shows all of them
                self.keys.setText("   ".join((*hints, "F1  keys")))
        self.note.setVisible(beside)

    def _show_note(self) -> None:
        view = self.view_name()
        fixed = "left is lower, right is higher" if view == "Night" else ""
        counted = view == "Tune" or (view == "Stage" and self.stage.moment is not None and self.stage.moment.phase == "gap")
        self.note.setText(self.tune.counts() if counted else fixed)

    # -- actions
    def plan(self) -> None:
        if self.view_name() != "Night":
            self.show_view("Night")
        self.views["Night"].build(False)
        self.night.plan()

    def undo(self) -> None:
        self._step_edit(QLineEdit.undo, self.session.undo, "Undone", "Nothing to undo.")

    def redo(self) -> None:
        self._step_edit(QLineEdit.redo, self.session.redo, "Done again", "Nothing to do again.")

    def _step_edit(
        self, in_field: Callable[[QLineEdit], None], in_book: Callable[[], str | None], word: str, nothing: str
    ) -> None:
        """A text field that has the focus and was typed into comes first; on stage a step of the night."""
        if self.view_name() == "Stage" and in_book == self.session.undo:
            self.stage.undo()
            return
        focus = QApplication.focusWidget()
        if isinstance(focus, QLineEdit) and _can(focus, in_field):
            in_field(focus)
            return
        try:
            label = in_book()
        except UserError as error:
            self.say(f"{error.message()}.")
            return
        self.say(f"{word}: {label.lower()}." if label else nothing)

    def show_legend(self) -> None:
        """The keys of every view, and what the marks mean."""
        groups = [("Everywhere", [
            (f"Ctrl+1 … {len(VIEWS)}", ", ".join(VIEWS)), ("Ctrl+R", "plan the night"), ("Ctrl+Z", "undo"),
            ("Ctrl+Shift+Z", "do again"), ("Ctrl+,", "tuning preferences"), ("F1 or ?", "this page"),
        ])]  # fmt: skip
        for name in VIEWS:
            view = self.views[name]
            if name == "Night":
                groups.append((name, [("↑ ↓", "choose a song"), *view.commands.keys()]))
                groups.append(("Night, set up", _pairs(view.builder.hints())))
            else:
                groups.append((name, _pairs(view.hints())))
        self.legend.set_keys(groups)
        self.legend.show()
        self.legend.raise_()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text() == "?":
            self.show_legend()
        else:
            super().keyPressEvent(event)

    def _mirror(self) -> None:
        left = self._mirror_action.isChecked()
        self.preferences = self.preferences.with_(left_handed=left)
        self._save_preferences()
        Theme.left_handed = left
        self.tune.changed.emit()
        for widget in self.findChildren(QWidget):
            widget.update()

    def _set_theme(self, name: str) -> None:
        self.preferences = self.preferences.with_(theme=name)
        self._save_preferences()
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self.preferences.resolved_theme())
        self.update()

    def _tuning_changed(self, tuning: TuningPreferences) -> None:
        self.preferences = self.preferences.with_(tuning=tuning)
        self._save_preferences()
        self._prefer_tuning(tuning)

    def _prefer_tuning(self, tuning: TuningPreferences) -> None:
        self.tune.prefer(tuning)
        self.views["Songs"].prefer(tuning)
        self.views["Guitars"].prefer(tuning.calling)
        self.views["Tunings"].prefer(tuning.calling)
        self.views["Fretboard"].prefer(tuning.calling)
        self._show_status()

    def _save_preferences(self) -> None:
        try:
            self.preferences.save()
        except UserError as error:
            self.say(f"{error.message()}.")

    def _about(self) -> None:
        QMessageBox.about(
            self, "About Juxtatune",
            "Juxtatune retunes guitars for a set: it hears every string, plans the night and keeps the record.\n"
            "Licence: GPL-3.0-or-later. Loud rooms and headphones harm hearing: keep levels down and wear protection.",
        )  # fmt: skip

    # -- window
    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        grow = max(1.0, min(2.4, self.width() / 1600))
        self.tonight.fold(self.width() <= FOLD_AT, grow)
        self.name.setVisible(self.width() > NAMED_FROM)
        self._show_hints()

    def _may_close(self) -> bool:
        """Asks, where something could not be saved, whether it is to be lost."""
        while not self.session.flush(1.0):
            box = QMessageBox(self)
            box.setWindowTitle("Not everything is saved")
            box.setText(f"{self.session.unsaved} changes could not be saved: {self.session.trouble or 'the disk is slow'}.")
            again = box.addButton("Try again", QMessageBox.ButtonRole.AcceptRole)
            copy = box.addButton("Save a copy…", QMessageBox.ButtonRole.ActionRole)
            lose = box.addButton("Close and lose them", QMessageBox.ButtonRole.DestructiveRole)
            stay = box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
            box.setDefaultButton(again)
            box.exec()
            if box.clickedButton() is copy:
                self.book_files.ask_back_up()
            if box.clickedButton() is lose:
                return True
            if box.clickedButton() in (stay, None):
                return False
        return True

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._closed:
            return
        if self.stage.under_way and not self.rehearsing and time.monotonic() - self._quit_asked > QUIT_AGAIN_S:
            self._quit_asked = time.monotonic()
            self.say("The night is under way. Quit once more within five seconds, or go on; nothing is lost either way.")
            event.ignore()
            return
        if not self._may_close():
            event.ignore()
            return
        self._closed = True
        self._saving.stop()
        faults.told.disconnect(self.say)
        self._unwatch()
        self.legend.close()
        if self.intonation is not None:
            self.intonation.close()
        self.views["Songs"].close_view()
        self.views["Guitars"].close_view()
        self.views["Tunings"].close_view()
        self.views["Fretboard"].close_view()
        self.views["Log"].close_view()
        self.views["Practice"].close_view()
        if self._side is not None:
            self._side.close()
        if self.rehearsal is not None:
            self.rehearsal.window.close()
        self.stage.close()
        self.tune.close()
        self.night.close()
        self.session.close()
        self.closed.emit()
        super().closeEvent(event)


def _can(field: QLineEdit, step: Callable[[QLineEdit], None]) -> bool:
    """Whether a field has something of its own to undo or to do again."""
    return field.isUndoAvailable() if step is QLineEdit.undo else field.isRedoAvailable()


def _pairs(hints: tuple[str, ...]) -> list[tuple[str, str]]:
    """`Enter  edit a field` as keys and what they do."""
    parts = [hint.split("  ", 1) for hint in hints]
    return [(keys, what) for keys, what in parts]
