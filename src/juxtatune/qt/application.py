"""Starts the desktop application on a book."""

from __future__ import annotations

import signal
import sys
import tempfile
import threading
from datetime import datetime
from pathlib import Path

from platformdirs import user_config_path, user_data_path, user_state_path
from PySide6.QtCore import QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication, QMessageBox

from juxtatune.app.compile_cache import drop_if_stale
from juxtatune.app.preferences import Preferences, load_preferences
from juxtatune.app.session import Session
from juxtatune.app.warm import warm
from juxtatune.book.backup import restore
from juxtatune.book.db import SUFFIX, DamagedBook
from juxtatune.book.demo import write_demo_book
from juxtatune.core.errors import UserError
from juxtatune.qt.damaged import ask_damaged
from juxtatune.qt.faults import faults
from juxtatune.qt.main_window import MainWindow
from juxtatune.qt.preparing import prepare
from juxtatune.qt.theme import apply_theme, assets, load_fonts, system_theme


def make_app() -> QApplication:
    """The one application object, with fonts and icon."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    app.setApplicationName("Juxtatune")
    app.setDesktopFileName("juxtatune")
    load_fonts()
    app.setWindowIcon(QIcon(str(assets() / "icons" / "juxtatune.svg")))
    return app


def open_window(book: Path, preferences: Preferences, keep_backup: bool = False) -> MainWindow:
    app = make_app()
    apply_theme(app, preferences.resolved_theme())
    return MainWindow(Session(book, keep_backup), preferences)


class Application:
    """Holds the one window, and opens another book in its place."""

    def __init__(self, preferences: Preferences, keep_backup: bool) -> None:
        self.preferences, self.keep_backup = preferences, keep_backup
        self.window: MainWindow | None = None

    def open(self, book: Path) -> bool:
        """Shows a window on a book; a damaged one is asked about. False when nothing could be opened."""
        while True:
            try:
                window = open_window(book, self.preferences, self.keep_backup)
                break
            except DamagedBook as error:
                if not ask_damaged(book, error):
                    return False
            except UserError as error:
                self._tell(error.message())
                return False
        window.book_wanted.connect(self._another)
        window.restore_wanted.connect(self._restored)
        self.window = window
        window.show()
        return True

    def _another(self, book: Path) -> None:
        before = self.window
        if before is None or book.absolute() == before.session.book.path.absolute():
            return
        self.preferences = before.preferences
        if self.open(book):
            before.close()

    def _restored(self, backup: Path) -> None:
        """A backup in the place of the open book; where that fails the book that was open is opened again."""
        before = self.window
        if before is None:
            return
        self.preferences, book = before.preferences, before.session.book.path
        if not before.close():
            return
        try:
            restore(book, backup, datetime.now())
        except UserError as error:
            self._tell(error.message())
        self.open(book)

    def _tell(self, text: str) -> None:
        print(f"juxtatune: {text}", file=sys.stderr)
        QMessageBox.critical(self.window, "Juxtatune", text)


def run_application(demo: bool) -> int:
    """Runs until the window is closed. The player's own book is never touched by the demo."""
    app = make_app()
    faults.install(user_state_path("juxtatune") / "errors.log")
    beat = _quit_on_signals(app)
    apply_theme(app, system_theme())
    drop_if_stale()
    if not prepare(app):
        return 0
    with tempfile.TemporaryDirectory(prefix="juxtatune-demo-") as folder:
        if demo:
            held = Application(Preferences(system=system_theme()), keep_backup=False)
            book = write_demo_book(Path(folder))
        else:
            preferences = load_preferences(user_config_path("juxtatune") / "preferences.json")
            held = Application(preferences.with_(system=system_theme()), keep_backup=True)
            book = user_data_path("juxtatune") / f"book{SUFFIX}"
        if not held.open(book):
            return 2
        if held.window is not None and faults.since_last_time():
            held.window.say(f"Something went wrong last time; nothing saved was lost. It is noted in {faults.log}.")
        # the first plan and the first string are not made to wait for compiled code
        threading.Thread(target=warm, name="warming up", daemon=True).start()
        code = app.exec()
        beat.stop()
        return code


def _quit_on_signals(app: QApplication) -> QTimer:
    """Ctrl-C and SIGTERM end the program in order, so that the demo's folder goes too."""
    for name in (signal.SIGINT, signal.SIGTERM):
        signal.signal(name, lambda *_: app.quit())
    beat = QTimer()
    beat.timeout.connect(lambda: None)  # lets Python see them
    beat.start(300)
    return beat
