"""The Fretboard view: a neck to click, the names of what it sounds, and where the same lies on the other guitars."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app import fields
from juxtatune.app.calling import Calling
from juxtatune.app.session import Session
from juxtatune.core.errors import UserError
from juxtatune.devices import sound_out
from juxtatune.qt.views.fretboard.presenter import FretboardPresenter
from juxtatune.qt.widgets.catching_up import CatchingUp
from juxtatune.qt.widgets.fields import AddField, NumberField
from juxtatune.qt.widgets.neck import NeckWidget
from juxtatune.qt.widgets.scrolled import scrolled
from juxtatune.qt.worker import LatestWorker

HINTS = ("←↑→↓  move on the neck", "Space  finger", "X  mute", "P  play it", "N B  next, last event",
         "Enter  take what is typed")  # fmt: skip
RATE = 48000
NO_GUITARS = "No guitar yet: add one in Guitars (Ctrl+2)."


class FretboardView(CatchingUp):
    """Fields and neck to presenter calls; presenter values to neck and labels."""

    message = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.presenter = FretboardPresenter(session)
        self.presenter.message.connect(self.message)
        self._sounds = LatestWorker("making a sound")
        self._sounds.done.connect(self._play)
        self._sounds.failed.connect(lambda _, text: self.message.emit(text))
        self.neck = NeckWidget()
        self.guitar = QComboBox()
        self.guitar.setAccessibleName("Guitar")
        self.tuning = AddField("Tuning", "Tuning of the neck")
        self.shape = AddField("x 5 7 7 6 5", "Shape, a fret a string")
        self.passage = AddField("6:0 6:3 5:2+4:2", "Passage, string:fret")
        self.capo = NumberField(0, 12)
        self.capo.setAccessibleName("Capo")
        self.chord, self.rest, self.others, self.harmonics = QLabel(), QLabel(), QLabel(), QLabel()
        self._lay_out()
        self._connect()
        self.refresh()

    def close_view(self) -> None:
        self._sounds.close()
        self.presenter.close()

    def prefer(self, calling: Calling) -> None:
        """Whether chords are named as they sound or as written first."""
        self.presenter.calling = calling
        self.refresh()

    def hints(self) -> tuple[str, ...]:
        return HINTS

    def focus_in(self) -> None:
        self.neck.setFocus()

    def _lay_out(self) -> None:
        title = QLabel("Fretboard")
        title.setObjectName("title")
        form = QFormLayout()
        form.setHorizontalSpacing(16)
        form.setVerticalSpacing(8)
        for text, field in (("Guitar", self.guitar), ("Tuning", self.tuning), ("Capo", self.capo), ("Shape", self.shape),
                            ("Passage", self.passage)):  # fmt: skip
            field.setMinimumHeight(32)
            form.addRow(text, field)
        self.clear, self.play, self.keep = QPushButton("Clear the neck"), QPushButton("Play it"), QPushButton("Keep for the song")
        self.about = QLabel()
        self.about.setObjectName("muted")
        self.about.setWordWrap(True)
        self.chord.setObjectName("title")
        self.chord.setStyleSheet("font-size: 40px; font-weight: 600;")
        self.chord.setMinimumHeight(56)
        for label in (self.rest, self.others, self.harmonics):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            label.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(title)
        left.addLayout(form)
        left.addWidget(self.about)
        tools = QHBoxLayout()
        for button in (self.play, self.clear, self.keep):
            button.setAutoDefault(False)
            tools.addWidget(button)
        tools.setSpacing(6)
        tools.addStretch(1)
        left.addLayout(tools)
        left.addSpacing(14)
        left.addWidget(self.chord)
        left.addWidget(self.rest)
        left.addStretch(1)
        heads = ("The same on your guitars, as they stand", "Harmonics of the open strings")
        for head, label in zip(heads, (self.others, self.harmonics), strict=True):
            caption = QLabel(head)
            caption.setObjectName("strong")
            caption.setStyleSheet("font-size: 18px;")
            caption.setWordWrap(True)
            right.addWidget(caption)
            right.addWidget(label)
            right.addSpacing(12)
        right.addStretch(1)
        inner = QWidget()
        inner.setLayout(right)
        row = QHBoxLayout(self)
        row.setContentsMargins(24, 14, 24, 12)
        row.setSpacing(28)
        row.addLayout(left, 2)
        row.addWidget(self.neck, 3)
        row.addWidget(scrolled(inner), 4)

    def _connect(self) -> None:
        p = self.presenter
        self.guitar.activated.connect(lambda k: p.choose_guitar(self.guitar.itemData(k)))
        self.tuning.entered.connect(lambda: p.set_tuning(self.tuning.text()))
        self.shape.entered.connect(lambda: p.set_shape(self.shape.text()))
        self.passage.entered.connect(lambda: p.set_passage(self.passage.text()))
        self.capo.valueChanged.connect(lambda value: p.set_capo(round(value)))
        self.clear.clicked.connect(lambda _=False: p.clear())
        self.play.clicked.connect(lambda _=False: self.play_it())
        self.keep.clicked.connect(lambda _=False: p.keep_passage())
        self.neck.placed.connect(p.place)
        p.changed.connect(self.mark_changed)

    def play_it(self) -> None:
        """Plays the passage, or else the shape, through the sound output; the sound is made beside the window."""
        self._sounds.ask(None, lambda _: self.presenter.sounding())

    def _play(self, _: object, samples: NDArray[np.float64] | None) -> None:
        if samples is None:
            self.message.emit("Nothing is played yet: click the neck or type a passage.")
            return
        try:
            sound_out.play(samples, RATE)
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return
        self.message.emit("Playing, quietly. Esc stops it. Loud rooms and headphones harm hearing: keep levels down.")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        actions: dict[Qt.Key, Callable[[], None]] = {
            Qt.Key.Key_P: self.play_it, Qt.Key.Key_Escape: sound_out.stop,
            Qt.Key.Key_N: lambda: self.presenter.step(1), Qt.Key.Key_B: lambda: self.presenter.step(-1),
        }  # fmt: skip
        action = actions.get(Qt.Key(event.key()))
        if action is None:
            super().keyPressEvent(event)
        else:
            action()

    def refresh(self) -> None:
        super().refresh()
        p = self.presenter
        listed = [(self.guitar.itemData(k), self.guitar.itemText(k)) for k in range(self.guitar.count())]
        if listed != [(i.id, i.name) for i in p.session.state.instruments]:
            self.guitar.clear()
            for i in p.session.state.instruments:
                self.guitar.addItem(i.name, i.id)
        self.guitar.setCurrentIndex(self.guitar.findData(p.guitar))
        if not self.tuning.hasFocus() and p.tuning is not None:
            self.tuning.setText(fields.show_tuning(p.tuning))
        if not self.shape.hasFocus():
            self.shape.setText(p.shape_text() if p.played() else "")
        if not self.passage.hasFocus():
            self.passage.setText(p.passage)
            self.passage.setCursorPosition(0)
        self.capo.blockSignals(True)
        self.capo.setValue(p.capo)
        self.capo.blockSignals(False)
        self.about.setText(p.passage_words())
        self.about.setVisible(bool(self.about.text()))
        self.neck.set_values(p.neck())
        chord, rest = p.names()
        self.chord.setText(chord)
        self.rest.setText(rest if p.tuning is not None else NO_GUITARS)
        rows = p.elsewhere()
        self.others.setText("\n".join(f"{r.guitar}, {r.tuning}:  {r.where}" for r in rows) or "Nothing is played yet.")
        self.harmonics.setText("\n".join(p.harmonic_lines()))
