"""Takes the pictures of docs/screenshots from the demo book."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile as sf
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QApplication

from juxtatune.app.preferences import Preferences
from juxtatune.book.demo import write_demo_book
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.sim.guitar import SimulatedGuitar, played
from juxtatune.qt.application import make_app, open_window
from juxtatune.qt.main_window import MainWindow
from juxtatune.qt.paper import floor_sheet

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


def bring(window: MainWindow, string: int, stop_cents: float) -> None:
    """Loosens a string past its target and brings it up to some cents from it, waiting for what is heard."""
    tune = window.tune
    run = tune.run
    assert run is not None and tune.guitar is not None
    goal = run.target.pitch(string)

    def away() -> float:
        assert tune.guitar is not None
        return (goal - tune.guitar.pitch(string)) * 100

    def near(cents: float) -> bool:
        heard = run.procedure.state(string).cents
        return heard is not None and abs(heard - cents) < 3

    tune.guitar.damp()
    wait(0.8)
    tune.select(string)
    tune.pluck()
    wait(1.2)
    tune.turn(away() - 60)
    wait(8, lambda: near(-60))
    tune.turn(away() + stop_cents)
    wait(8, lambda: near(stop_cents))
    wait(1.5, lambda: run.procedure.state(string).held >= 1.0)


def tune_pictures(window: MainWindow, folder: Path) -> None:
    """Opens a gap, lands one string and brings the lowest near its target."""
    window.open_song("nine-fathom-static")
    wait(1.0)
    bring(window, 4, 0.0)
    bring(window, 6, -3.2)
    # a string just picked: a faded one is honestly uncertain, and its trail is wide
    window.tune.pluck()
    wait(1.1)
    shoot(window, "tune", folder)
    strum_picture(window, folder)
    floating_picture(window, folder)


def floating_picture(window: MainWindow, folder: Path) -> None:
    """A floating bridge: two strings are set to what they must read for now, the third is on its way."""
    window.tune_guitar("dunlin", parse_tuning("half step down"))
    wait(1.0)
    tune = window.tune
    assert tune.run is not None and tune.guitar is not None
    for string in (*tune.run.procedure.setting[:2], tune.run.procedure.setting[2]):
        tune.guitar.damp()
        wait(0.6)
        tune.select(string)
        tune.pluck()
        wait(1.2)
        last = string == tune.run.procedure.setting[2]
        for to in (-60.0,) if last else (-60.0, 0.0):
            tune.turn(to - (tune.run.procedure.state(string).cents or 0.0))
            wait(2.2)
    tune.pluck()
    wait(1.2)
    shoot(window, "floating", folder)


def bend_picture(window: MainWindow, folder: Path) -> None:
    """A bend that was checked: how far it went, and its name."""
    window.tune_guitar("rook", parse_tuning("standard"))
    wait(1.0)
    tune = window.tune
    tune.check_bend()
    tune.select(3)
    tune.pluck()
    wait(0.7)
    for _ in range(9):
        tune.turn(5.0)
        wait(0.05)
    wait(1.3)
    shoot(window, "bend", folder)
    tune.check_bend()


def stage_pictures(window: MainWindow, folder: Path) -> None:
    """A night under way: a gap with a retune in it, a guitar out, and a better order of the rest."""
    window.show_view("Stage")
    stage = window.stage
    for _ in range(12):
        stage.next()
        wait(0.6)
        wait(10, lambda: window.night.given_gig is window.night._asked)
    stage.next()
    wait(1.0)
    stage.guitar_out()
    wait(25, lambda: stage.offer() is not None)
    window.tune.pluck()
    wait(1.2)
    window.say("")
    shoot(window, "stage", folder)
    stage.end_night()
    wait(0.5)


def practice_picture(window: MainWindow, folder: Path) -> None:
    """Naming a tuning from its strum; the machine that takes the picture has no sound output."""
    window.show_view("Practice")
    view = window.views["Practice"]
    view.drills.setCurrentRow(1)
    view.begin()
    wait(0.8)
    view._name_it(0)
    wait(0.8)
    window.say("")
    shoot(window, "practice", folder)


def strum_picture(window: MainWindow, folder: Path) -> None:
    """Every string read from one strum: the third is off, the rest are checked."""
    tune = window.tune
    run, guitar = tune.run, tune.guitar
    assert run is not None and guitar is not None
    off = {s: 7.0 if s == 3 else 0.6 * (-1) ** s for s in run.target.strings}
    guitar.detune(np.array([100 * (run.target.pitch(s) - run.source.pitch(s)) + off[s] for s in off]))
    tune.check_all()
    tune.catch_strum()
    wait(1.0)
    tune.strum()
    wait(20, lambda: "from one strum" in window.notice.text())
    shoot(window, "strum", folder)


def songs_picture(window: MainWindow, folder: Path, place: Path) -> None:
    """A song, and what was heard of its record, which lies above A4 = 440."""
    record = place / "rehearsal in June.wav"
    guitar = SimulatedGuitar(parse_tuning("drop D"), reference=Reference(440.0, 30.0))
    sf.write(record, played(guitar, [6, 5, 4, 6, 3, 4, 5, 6, 2, 4, 6, 5], 0.5), guitar.rate)
    window.choose("tidewire")
    window.show_view("Songs")
    bar = window.views["Songs"].record
    bar.listen(window.session.state.song("tidewire"), record)
    wait(30, lambda: not bar.listening)
    shoot(window, "songs", folder)
    bar.stop()


def fretboard_picture(window: MainWindow, folder: Path) -> None:
    """A shape on a dropped tuning, and a passage found on the other guitars."""
    window.show_view("Fretboard")
    view = window.views["Fretboard"].presenter
    view.set_tuning("drop C")
    view.set_shape("x 5 7 7 6 5")
    shoot(window, "fretboard", folder)
    view.clear()


def paper(window: MainWindow, folder: Path) -> None:
    """The set for the floor as it is printed, of the planned order."""
    assert window.night.planned is not None and window.night.planned.plan is not None
    page = QImage(800, 1131, QImage.Format.Format_RGB32)
    page.fill(0xFFFFFFFF)
    painter = QPainter(page)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    night, gig = window.night.night(), window.night.gig()
    assert night is not None and gig is not None
    floor_sheet(painter, 1131.0, night.name, gig, window.night.planned.plan)
    painter.end()
    page.save(str(folder / "floor.png"))


def main(folder: Path, theme: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    make_app()
    with tempfile.TemporaryDirectory() as place:
        window = open_window(write_demo_book(Path(place)), Preferences(theme=theme))
        window.resize(1280, 800)
        window.show()
        wait(20, lambda: window.night.given is not None)
        songs_picture(window, folder, Path(place))
        window.show_view("Guitars")
        shoot(window, "guitars", folder)
        window.show_view("Tunings")
        shoot(window, "tunings", folder)
        fretboard_picture(window, folder)
        window.tuning_dialog.show()
        wait(0.3)
        window.tuning_dialog.grab().save(str(folder / "preferences.png"))
        window.tuning_dialog.close()
        window.show_view("Night")
        window.views["Night"].build(True)
        shoot(window, "setup", folder)
        window.views["Night"].build(False)
        window.show_legend()
        wait(0.3)
        window.legend.grab().save(str(folder / "legend.png"))
        window.legend.close()
        window.plan()
        wait(100, lambda: not window.night.planning)
        wait(2.0)
        window.choose("nine-fathom-static")
        shoot(window, "night", folder)
        window.views["Night"].toggle_why()
        wait(90, lambda: not window.night.why.working)
        window.choose("copper-ballast")
        wait(5, lambda: window.night.why.elsewhere)
        shoot(window, "why", folder)
        window.views["Night"].toggle_why()
        paper(window, folder)
        window.night.take()
        wait(2)
        tune_pictures(window, folder)
        bend_picture(window, folder)
        window.show_view("Log")
        wait(8, lambda: window.views["Log"].presenter.shown is not None)
        shoot(window, "log", folder)
        practice_picture(window, folder)
        stage_pictures(window, folder)
        window.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER, sys.argv[2] if len(sys.argv) > 2 else "dark")
