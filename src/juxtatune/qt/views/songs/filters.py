"""Which songs the list shows: words that are searched, a guitar, a tuning, and strings that may be used."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from juxtatune.app import fields
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.music.tuning import Tuning, same_pitches
from juxtatune.core.repertoire.song import Song, Way

ANY_GUITAR, ANY_TUNING = "any guitar", "any tuning"


class FilterBar(QWidget):
    """`changed` when the list is to be made anew; `accepts` says whether a song is shown."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.search = _line("Search titles, tunings, guitars, cues", "Search the songs")
        self.strings = _line("only strings 6 5 4", "Only songs that use no other strings")
        self.guitar, self.tuning = QComboBox(), QComboBox()
        for box, what in ((self.guitar, "on this guitar"), (self.tuning, "in this tuning")):
            box.setAccessibleName(f"Only songs with a way {what}")
            box.setMinimumHeight(32)
            box.setMinimumContentsLength(8)
            box.activated.connect(lambda _: self.changed.emit())
        for line in (self.search, self.strings):
            line.textChanged.connect(lambda _: self.changed.emit())
        row = QHBoxLayout()
        for widget in (self.guitar, self.tuning, self.strings):
            row.addWidget(widget, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.search)
        column.addLayout(row)

    def fill(self, state: BookState) -> None:
        """The guitars and tunings that songs of the book are played on, in the book's order."""
        tunings: list[Tuning] = []
        names: dict[str, None] = {}
        for song in state.songs:
            for way in song.ways:
                names.setdefault(fields.show_tuning(way.tuning))
                tunings.append(way.tuning)
        _refill(self.guitar, [ANY_GUITAR, *(i.name for i in state.instruments)], [None, *(i.id for i in state.instruments)])
        _refill(self.tuning, [ANY_TUNING, *names], [None, *(_first(tunings, n) for n in names)])

    def clear(self) -> None:
        self.search.clear()
        self.strings.clear()
        self.guitar.setCurrentIndex(0)
        self.tuning.setCurrentIndex(0)

    @property
    def active(self) -> bool:
        """Whether some songs may be hidden."""
        return bool(self.search.text() or self.strings.text() or self.guitar.currentData() or self.tuning.currentData())

    def accepts(self) -> Callable[[Song], bool]:
        """Whether some way of a song passes guitar, tuning and strings all at once. What cannot be read hides nothing."""
        guitar, tuning = self.guitar.currentData(), self.tuning.currentData()
        try:
            allowed = frozenset(fields.used_strings(self.strings.text(), 12))
        except UserError:
            allowed = frozenset()

        def passes(way: Way) -> bool:
            return (
                (guitar is None or way.instrument == guitar)
                and (tuning is None or same_pitches(way.tuning, tuning))
                and (not allowed or (bool(way.strings_used) and allowed.issuperset(way.strings_used)))
            )

        return lambda song: any(passes(w) for w in song.ways)


def _line(placeholder: str, name: str) -> QLineEdit:
    line = QLineEdit()
    line.setPlaceholderText(placeholder)
    line.setAccessibleName(name)
    line.setMinimumHeight(32)
    line.setClearButtonEnabled(True)
    return line


def _first(tunings: Sequence[Tuning], name: str) -> Tuning:
    return next(t for t in tunings if fields.show_tuning(t) == name)


def _refill(box: QComboBox, texts: list[str], data: Sequence[object]) -> None:
    """New entries only where they differ; what was chosen stays chosen."""
    if [box.itemText(k) for k in range(box.count())] == texts:
        return
    was = box.currentText()
    box.clear()
    for text, value in zip(texts, data, strict=True):
        box.addItem(text, value)
    box.setCurrentIndex(max(0, box.findText(was)))
