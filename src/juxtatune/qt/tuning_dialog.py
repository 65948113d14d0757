"""How strings are judged and called: A4, the moment of a note that counts, the rules of landing, names. Changes count at once."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.calling import STRINGS
from juxtatune.app.preferences import LIMITS, PRESETS, TuningPreferences, parse_own, preset, show_own
from juxtatune.core.errors import UserError
from juxtatune.qt.widgets.fields import NumberField

# of every figure: what it is called, its unit, decimals, and the step of the arrows
FIGURES = {
    "a4": ("A4 reference", " Hz", 1, 1.0),
    "tolerance": ("In tune within ±", " ¢", 1, 0.5),
    "hold_s": ("And held there for", " s", 1, 0.1),
    "upward": ("Comes up from below by at least", " ¢", 0, 1.0),
    "turn_around": ("Loosen below the pitch by", " ¢", 0, 10.0),
    "recheck": ("In the check of all strings, within ±", " ¢", 1, 0.5),
    "sweet": ("Thirds of open chords go towards 5:4 by", " %", 0, 10.0),
}
MOMENTS = ("the settled pitch", "the attack, as short hard chords sound")
CALLED = ("by number: 6th to 1st", "by their standard letters, whatever they sound", "by what they sound now")
FIRST = ("as they sound first", "as written first: what the hand thinks")
NOTE = "A record off A4 = 440 is a matter of its song: match it in Songs."


class TuningDialog(QDialog):
    """Stays open beside the work; `changed` brings the new preferences."""

    changed = Signal(object)

    def __init__(self, preferences: TuningPreferences, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Tuning preferences")
        self.preferences = preferences
        self.figures: dict[str, NumberField] = {}
        self.moment = QComboBox()
        self.moment.addItems(MOMENTS)
        self.moment.setAccessibleName("What is brought to pitch")
        self.own = QLineEdit()
        self.own.setPlaceholderText("6: 3, 1: 1.5")
        self.own.setFixedWidth(130)
        self.own.setAccessibleName("Tolerances of single strings")
        self.strings = QComboBox()
        self.strings.addItems(CALLED)
        self.strings.setAccessibleName("Strings are called")
        self.first = QComboBox()
        self.first.addItems(FIRST)
        self.first.setAccessibleName("Chords and keys are named")
        self._lay_out()
        self._show()
        self.own.editingFinished.connect(self._take_own)
        self.strings.currentIndexChanged.connect(lambda k: self._call(strings=STRINGS[k]))
        self.first.currentIndexChanged.connect(lambda k: self._call(written_first=k == 1))
        self.moment.currentIndexChanged.connect(lambda k: self._set(replace(self.preferences, attack=k == 1)))
        for name, field in self.figures.items():
            field.valueChanged.connect(
                lambda value, name=name: self._set(self.preferences.with_figure(name, value))
            )

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.setHorizontalSpacing(24)
        for name, (text, unit, decimals, step) in FIGURES.items():
            field = NumberField(*LIMITS[name], unit, decimals, step)
            field.setAccessibleName(text)
            field.setFixedWidth(130)
            self.figures[name] = field
            form.addRow(text, field)
        form.insertRow(3, "Single strings within ± ¢", self.own)
        form.insertRow(1, "What is brought to pitch", self.moment)
        form.addRow("Strings are called", self.strings)
        form.addRow("Chords and keys are named", self.first)
        self.note = QLabel(NOTE)
        self.note.setObjectName("muted")
        self.note.setWordWrap(True)
        buttons = QDialogButtonBox()
        self.presets: dict[str, QPushButton] = {}
        row = QHBoxLayout()
        row.addWidget(QLabel("As for"))
        for name in PRESETS:
            button = QPushButton(name)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, name=name: self._take_preset(name))
            self.presets[name] = button
            row.addWidget(button)
        row.addStretch(1)
        again = buttons.addButton("Start values", QDialogButtonBox.ButtonRole.ResetRole)
        again.clicked.connect(self.start_values)
        close = buttons.addButton(QDialogButtonBox.StandardButton.Close)
        close.clicked.connect(self.close)
        for button in (again, close):  # Enter in a field takes what was typed, and closes nothing
            button.setAutoDefault(False)
            button.setDefault(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 14)
        column.addLayout(row)
        column.addLayout(form)
        column.addWidget(self.note)
        column.addWidget(buttons)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.figures["a4"].setFocus()

    def _take_preset(self, name: str) -> None:
        self._set(preset(self.preferences, name))
        self._show()

    def _take_own(self) -> None:
        """What was typed counts, or a line says what is allowed."""
        try:
            own = parse_own(self.own.text())
        except UserError as error:
            self.note.setText(error.message())
            return
        self.note.setText(NOTE)
        self._set(replace(self.preferences, rules=replace(self.preferences.rules, own=own)))
        self.own.setText(show_own(own))

    def start_values(self) -> None:
        self._set(TuningPreferences())
        self._show()

    def _show(self) -> None:
        widgets = (self.own, self.moment, self.strings, self.first, *self.figures.values())
        for widget in widgets:
            widget.blockSignals(True)
        self.own.setText(show_own(self.preferences.rules.own))
        self.moment.setCurrentIndex(int(self.preferences.attack))
        self.strings.setCurrentIndex(STRINGS.index(self.preferences.calling.strings))
        self.first.setCurrentIndex(int(self.preferences.calling.written_first))
        for name, field in self.figures.items():
            field.setValue(self.preferences.figure(name))
        for widget in widgets:
            widget.blockSignals(False)

    def _call(self, **changes: object) -> None:
        self._set(replace(self.preferences, calling=replace(self.preferences.calling, **changes)))  # type: ignore[arg-type]

    def _set(self, preferences: TuningPreferences) -> None:
        if preferences != self.preferences:
            self.preferences = preferences
            self.changed.emit(preferences)
