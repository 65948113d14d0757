"""F1: the keys of every view, and what each mark of the score and the approach means, with a live example."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from juxtatune.qt.widgets.score import ScoreCanvas
from juxtatune.qt.widgets.score_values import GapMark, GuitarColumn, Score, ScoreRow

HOME = (40.0, 45.0, 50.0, 55.0, 59.0, 64.0)
DROP_D = (38.0, 45.0, 50.0, 55.0, 59.0, 64.0)
DOWN = (37.0, 44.0, 49.0, 54.0, 58.0, 63.0)
MARKS = (
    "Strings run down the night, 6th at the left: left is lower, right is higher.",
    "A string that bends is retuned in that gap: blue goes down (loosen), orange goes up (tighten).",
    "Bold: the guitar in hand. Thin: it waits. Dotted: the song does not use that string.",
    "Dashed thread with a dot: you take another guitar, the one with the dot.",
    "At the right the name of the tuning, wherever it changes, and the seconds of dead air: "
    "the outline is what talk covers, the filled bar what is left.",
    "Beside the number: a triangle is a pin, a bow a medley, two bars keep songs apart.",
    "In Tune the colours say the same: blue, loosen; orange, tighten. The figure is where the string is.",
    "A filled line has landed from below; a dashed, hollow one came from above and is not yet safe.",
    "Signature: one stroke a string against the dots of the home tuning. Small moves at full size, larger ones less "
    "and less; a tick where a stroke had to give way.",
)


def example() -> Score:
    """Three songs on two guitars that show every mark once."""
    guitars = (GuitarColumn("a", "one guitar", HOME, True), GuitarColumn("b", "another", HOME, True))
    every = frozenset(range(6))

    def row(song: str, hand: int, before: tuple[float, ...], during: tuple[float, ...], gap: GapMark | None,
            used: frozenset[int], tuning: str, **more: bool) -> ScoreRow:  # fmt: skip
        return ScoreRow(
            song, song, 0, hand, (before, HOME), (during, HOME), used, gap, more.get("pinned", False),
            more.get("tied", False), 0, more.get("apart", False), 3.0, None, tuning, True,
        )  # fmt: skip

    rows = (
        row("pinned here", 0, HOME, HOME, None, every, "standard", pinned=True),
        row("6th goes down", 0, HOME, DROP_D, GapMark(9.0, 17.0, 8.0, None), frozenset({0, 1, 2}), "drop D", tied=True),
        row("its medley", 0, DROP_D, DROP_D, None, every, "drop D"),
        row("other guitar", 1, DROP_D, DOWN, GapMark(4.0, 12.0, 8.0, (0, 1)), every, "standard", apart=True),
        row("back, gone up", 0, DOWN, HOME, GapMark(22.0, 30.0, 8.0, (1, 0)), every, "standard"),
    )
    return Score("As it reads", "35 s dead air", guitars, rows)


class LegendDialog(QDialog):
    """Stays open beside the work."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and legend")
        self.canvas = ScoreCanvas()
        self.canvas.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.canvas.setMinimumWidth(560)
        self.canvas.setFixedHeight(280)
        self.canvas.set_orders([example()])
        self.keys = QWidget()
        self._grid = QGridLayout(self.keys)
        self._grid.setContentsMargins(0, 0, 12, 0)
        self._grid.setHorizontalSpacing(18)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.keys)
        area.setMinimumWidth(360)
        right = QVBoxLayout()
        right.addWidget(self.canvas)
        for mark in MARKS:
            label = QLabel(mark)
            label.setWordWrap(True)
            right.addWidget(label)
        right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 16, 20, 16)
        row.setSpacing(28)
        row.addWidget(area, 2)
        row.addLayout(right, 3)
        self.resize(1060, 660)

    def set_keys(self, groups: list[tuple[str, list[tuple[str, str]]]]) -> None:
        """Takes (title, [(keys, what they do)]) for every view."""
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        at = 0
        for title, rows in groups:
            head = QLabel(("\n" if at else "") + title)
            head.setStyleSheet("font-weight: 600;")
            self._grid.addWidget(head, at, 0, 1, 2)
            at += 1
            for keys, what in rows:
                self._grid.addWidget(QLabel(keys), at, 0)
                self._grid.addWidget(QLabel(what), at, 1)
                at += 1
        self._grid.setRowStretch(at, 1)
