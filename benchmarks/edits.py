"""How long an edit holds the window, in a book of 540 songs and 200 nights: `python -m benchmarks.edits`."""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from dataclasses import replace
from pathlib import Path

from juxtatune.app import building, nights
from juxtatune.app.preferences import Preferences
from juxtatune.book.db import Book
from juxtatune.book.demo import demo_state
from juxtatune.book.state import BookState

SONGS, NIGHTS, ROUNDS = int(os.environ.get("SONGS", "540")), 200, 30


def large_book() -> BookState:
    """The demo's songs again and again, and nights of eighteen of them."""
    state = demo_state()
    first = state.songs
    songs = [
        replace(first[k % 18], id=f"{first[k % 18].id}-{k}", title=f"{first[k % 18].title} {k}") for k in range(SONGS)
    ]
    state = replace(state, songs=tuple(songs), nights=())
    for n in range(NIGHTS):
        night = nights.new_night(state, f"Night {n}")
        for k in range(18):
            night = building.add_to_night(state, night, songs[(n * 7 + k) % SONGS].id)[0]
        state = state.with_night(night)
    return state


def main() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from juxtatune.qt.application import open_window

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.juxtatune"
        book = Book(path)
        book.save(book.load(), large_book())
        book.close()
        window = open_window(path, Preferences(theme="dark"))
        window.resize(1280, 800)
        window.show()
        end = time.monotonic() + 60
        while window.night.given is None and time.monotonic() < end:
            QApplication.processEvents()
        for view in ("Night", "Songs", "Guitars"):
            window.show_view(view)
            QApplication.processEvents()
            spent = []
            for k in range(ROUNDS):
                state = window.session.state
                song = state.songs[k]
                began = time.perf_counter()
                window.session.edit("Edit a song", state.with_song(replace(song, length_s=song.length_s + 1)))
                spent.append(1000 * (time.perf_counter() - began))
                QApplication.processEvents()
            print(f"{view}: median {statistics.median(spent):.1f} ms, worst {max(spent):.1f} ms an edit")
        window.close()


if __name__ == "__main__":
    main()
