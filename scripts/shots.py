"""Takes the pictures of docs/screenshots from the demo book."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from PySide6.QtWidgets import QApplication

from juxtatune.app.preferences import Preferences
from juxtatune.book.demo import write_demo_book
from juxtatune.qt.application import make_app, open_window
from juxtatune.qt.main_window import MainWindow

FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"


def wait(seconds: float, until: object = None) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        QApplication.processEvents()
        if callable(until) and until():
            return
        time.sleep(0.01)


def shoot(window: MainWindow, name: str, folder: Path) -> None:
    wait(0.3)
    window.grab().save(str(folder / f"{name}.png"))


def tune_pictures(window: MainWindow, folder: Path) -> None:
    """Opens a gap and brings one string down and up into its target."""
    window.open_song("nine-fathom-static")
    tune = window.tune
    run = tune.run
    assert run is not None and tune.guitar is not None
    for string, finish in ((4, True), (6, False)):
        tune.select(string)
        goal = run.target.pitch(string)
        wait(0.4)
        tune.pluck()
        wait(1.0)
        step = (goal - tune.guitar.pitch(string)) * 100
        tune.turn(step - 90)
        wait(2.2)
        tune.pluck()
        wait(1.0)
        tune.turn(86)
        wait(1.6)
        if finish:
            tune.pluck()
            tune.turn((goal - tune.guitar.pitch(string)) * 100)
            wait(3.0, lambda: run.procedure.state(4).held >= 1.0)
            tune.guitar.damp()
            wait(0.6)
    tune.select(6)
    shoot(window, "tune", folder)


def main(folder: Path, theme: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    make_app()
    with tempfile.TemporaryDirectory() as place:
        window = open_window(write_demo_book(Path(place)), Preferences(theme=theme))
        window.show()
        wait(20, lambda: window.night.given is not None)
        for view in ("Songs", "Guitars"):
            window.show_view(view)
            shoot(window, view.lower(), folder)
        window.plan()
        wait(90, lambda: not window.night.planning)
        window._choose("nine-fathom-static")
        shoot(window, "night", folder)
        window.night.take()
        wait(2)
        tune_pictures(window, folder)
        window.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER, sys.argv[2] if len(sys.argv) > 2 else "dark")
