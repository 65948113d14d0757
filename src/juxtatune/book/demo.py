"""The demo book: an invented band's night, copied fresh at every start."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from juxtatune.book.db import SUFFIX, Book
from juxtatune.book.demo_log import demo_log
from juxtatune.book.formats.gig import parse_gig
from juxtatune.book.state import BookState, state_of_gig

NIGHT_NAME = "Foundry Yard · Friday"


def demo_state() -> BookState:
    text = (resources.files("juxtatune.book") / "demo.json").read_text(encoding="utf-8")
    return state_of_gig(parse_gig(text), NIGHT_NAME)


def write_demo_book(folder: Path, log: bool = True) -> Path:
    """Writes a new demo book into a folder, with what its guitarist has logged or without, and returns its path."""
    path = folder / f"demo{SUFFIX}"
    book = Book(path)
    book.save(book.load(), demo_state())
    if log:
        book.fill_log(demo_log(demo_state()))
    book.close()
    return path
