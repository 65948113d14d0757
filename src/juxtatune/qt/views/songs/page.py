"""One song: what a player keeps about it, its music, and what the singer can follow."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.song_edits import show_sections
from juxtatune.core.repertoire.song import MATTERS, Details, Song
from juxtatune.qt.widgets.fields import AddField, NumberField

TEXTS = (
    ("key", "Key, as written"), ("tempo", "Tempo"), ("cue", "Cue"), ("notes", "Notes"), ("sections", "Sections and their strings"),
    ("passage", "Passage, string:fret"), ("matters_from", "Section from which the tuning matters"),
)  # fmt: skip


class SongPage(QWidget):
    """Shows one song; `changed(name, value)` is called when a field is left or Enter is pressed in it."""

    def __init__(self, changed: Callable[[str, object], None]) -> None:
        super().__init__()
        self._changed, self._filling = changed, False
        self.texts: dict[str, AddField] = {}
        for name, label in TEXTS:
            field = AddField("", label)
            field.entered.connect(lambda name=name: self._typed(name))
            field.editingFinished.connect(lambda name=name: self._typed(name))
            self.texts[name] = field
        self.texts["cue"].setPlaceholderText("patch, capo, who starts")
        self.texts["sections"].setPlaceholderText("Verse: 6 5 4; Chorus all")
        self.texts["passage"].setPlaceholderText("6:0 6:3 5:2+4:2")
        self.texts["matters_from"].setPlaceholderText("which section")
        self.matters = QComboBox()
        self.matters.addItems(MATTERS)
        self.matters.setAccessibleName("How much the tuning matters")
        self.matters.activated.connect(lambda k: self._say("matters", MATTERS[k]))
        self.shakes = QCheckBox("arm work or wide bends: check after it")
        self.shakes.toggled.connect(lambda on: self._say("shakes", on))
        self.down, self.up = NumberField(0, 12), NumberField(0, 12)
        for name, number in (("down", self.down), ("up", self.up)):
            number.setAccessibleName(f"Singer can follow {name}, half steps")
            number.valueChanged.connect(lambda value, name=name: self._say(name, round(value)))
        self.sounds, self.music = QLabel(), QLabel()
        for line in (self.sounds, self.music):
            line.setObjectName("muted")
            line.setWordWrap(True)
        self._lay_out()

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.setVerticalSpacing(4)
        key = QHBoxLayout()
        key.setSpacing(8)
        key.addWidget(self.texts["key"], 1)
        key.addWidget(QLabel("Tempo"))
        key.addWidget(self.texts["tempo"], 1)
        form.addRow("Key", key)
        form.addRow("", self.sounds)
        form.addRow("Cue", self.texts["cue"])
        form.addRow("Notes", self.texts["notes"])
        form.addRow("Sections", self.texts["sections"])
        form.addRow("Passage", self.texts["passage"])
        matters = QHBoxLayout()
        matters.setSpacing(8)
        matters.addWidget(self.matters, 1)
        matters.addWidget(self.texts["matters_from"], 1)
        form.addRow("Tuning is", matters)
        moves = QHBoxLayout()
        moves.setSpacing(8)
        for number, word in ((self.down, "down"), (self.up, "up, half steps")):
            moves.addWidget(number, 1)
            moves.addWidget(QLabel(word))
        form.addRow("Singer can go", moves)
        form.addRow("", self.shakes)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(form)
        column.addWidget(self.music)

    def _typed(self, name: str) -> None:
        self._say(name, self.texts[name].text())

    def _say(self, name: str, value: object) -> None:
        if not self._filling:
            self._changed(name, value)

    def show_song(self, song: Song | None, key_words: str, music_words: str) -> None:
        self._filling = True
        self.setEnabled(song is not None)
        d = song.details if song is not None else Details()
        tempo = f"{d.tempo:g}" if d.tempo else ""
        shown = {"tempo": tempo, "sections": show_sections(d.sections)}
        for name, _ in TEXTS:
            text = shown.get(name, getattr(d, name))
            field: QLineEdit = self.texts[name]
            if field.text() != text and not (field.hasFocus() and field.isModified()):
                field.setText(text)
                field.setCursorPosition(0)
        self.matters.setCurrentIndex(MATTERS.index(d.matters) if d.matters in MATTERS else 0)
        self.texts["matters_from"].setVisible(d.matters == MATTERS[1])
        self.shakes.setChecked(d.shakes)
        self.down.setValue(d.down)
        self.up.setValue(d.up)
        self.sounds.setText(key_words)
        self.sounds.setVisible(bool(key_words))
        self.music.setText(music_words if song is not None else "")
        self._filling = False
