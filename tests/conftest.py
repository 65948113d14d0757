"""Shared fixtures: a demo book in a folder of its own, and the window on it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from juxtatune.app.compile_cache import drop_if_stale
from juxtatune.app.session import Session
from juxtatune.book.demo import write_demo_book

# a slow machine is no fault of the code
settings.register_profile("calm", deadline=None)
settings.load_profile("calm")


def pytest_configure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        drop_if_stale()


@pytest.fixture(autouse=True)
def patient(monkeypatch):
    """A busy machine may be slow to write: tests look into the book only after an edit is on the disk."""
    monkeypatch.setattr("juxtatune.app.session.PATIENCE_S", 20.0)


@pytest.fixture
def demo_book(tmp_path: Path) -> Path:
    return write_demo_book(tmp_path, log=False)


@pytest.fixture
def session(demo_book: Path) -> Iterator[Session]:
    session = Session(demo_book)
    yield session
    session.close()


@pytest.fixture
def window(qtbot, demo_book: Path):
    """The real window on the demo book, its order priced; leaves no thread behind."""
    from juxtatune.app.preferences import Preferences
    from juxtatune.qt.application import open_window

    before = set(threading.enumerate())
    window = open_window(demo_book, Preferences(theme="dark"))
    qtbot.addWidget(window)
    window.resize(1280, 800)  # the offscreen screen is smaller
    window.show()
    qtbot.waitUntil(lambda: window.night.given is not None, timeout=60000)
    yield window
    window.close()
    left = [t for t in threading.enumerate() if t not in before and not isinstance(t, threading._DummyThread)]
    for thread in left:
        thread.join(2.0)  # a cancelled timer ends a moment later
    assert not [t for t in left if t.is_alive()]


@pytest.fixture
def sound_goes_on(qtbot):
    """Waits until a simulated guitar was read for so many more seconds of its sound, however busy the machine."""

    def wait(guitar, seconds: float) -> None:
        until = guitar._clock + seconds * guitar.rate
        qtbot.waitUntil(lambda: guitar._clock >= until, timeout=60000)

    return wait


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What waits for a sound card or a clock goes first, beside what computes, and not by itself at the end."""
    waits = ("devices", "closed_loop", "cli")
    items.sort(key=lambda item: item.path.parent.name not in waits)
