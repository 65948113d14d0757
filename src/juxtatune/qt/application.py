"""Starts the desktop application on a book."""

from __future__ import annotations

import signal
import sys
import tempfile
import threading
import traceback
from pathlib import Path
from types import TracebackType

from platformdirs import user_config_path, user_data_path
from PySide6.QtCore import QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication, QMessageBox

from juxtatune.app.preferences import Preferences, load_preferences
from juxtatune.app.session import Session
from juxtatune.app.warm import warm
from juxtatune.book.db import SUFFIX
from juxtatune.book.demo import write_demo_book
from juxtatune.core.errors import UserError
from juxtatune.qt.main_window import MainWindow
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


def open_window(book: Path, preferences: Preferences) -> MainWindow:
    app = make_app()
    apply_theme(app, preferences.resolved_theme())
    return MainWindow(Session(book), preferences)


def run_application(demo: bool) -> int:
    """Runs until the window is closed. The player's own book is never touched by the demo."""
    app = make_app()
    _handle_crashes()
    signal.signal(signal.SIGINT, lambda *_: app.quit())
    beat = QTimer()
    beat.start(300)
    beat.timeout.connect(lambda: None)  # lets Python see Ctrl-C
    with tempfile.TemporaryDirectory(prefix="juxtatune-demo-") as folder:
        try:
            if demo:
                preferences = Preferences(system=system_theme())
                window = open_window(write_demo_book(Path(folder)), preferences)
            else:
                preferences = load_preferences(user_config_path("juxtatune") / "preferences.json")
                preferences = preferences.with_(system=system_theme())
                window = open_window(user_data_path("juxtatune") / f"book{SUFFIX}", preferences)
        except UserError as error:
            print(f"juxtatune: {error.message()}", file=sys.stderr)
            QMessageBox.critical(None, "Juxtatune", error.message())
            return 2
        window.show()
        # the first plan and the first string are not made to wait for compiled code
        threading.Thread(target=warm, daemon=True).start()
        return app.exec()


def _handle_crashes() -> None:
    """An unforeseen error is shown and written to standard error; every finished edit is already saved."""

    def show(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        sys.stderr.write("juxtatune: an unforeseen error; every finished edit is saved\n")
        sys.stderr.write("".join(traceback.format_exception(kind, error, trace)))

    sys.excepthook = show
