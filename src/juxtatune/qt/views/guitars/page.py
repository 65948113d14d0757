"""One guitar: its strings in a picture, what it is, how it is set up, and what handling it costs, a sentence each."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.guitar_fields import BRIDGE_WORDS, COSTS, cost_from
from juxtatune.core.strings.instrument import Instrument
from juxtatune.core.strings.setup import RETUNERS
from juxtatune.qt.views.guitars.presenter import GuitarsPresenter
from juxtatune.qt.widgets.fields import AddField, NumberField
from juxtatune.qt.widgets.strings_picture import StringsPicture

HOLDERS = {"gauges": "46 36 26 17 13 10", "scale": "648, or 635-673", "since": "today, or 2026-11-20"}


class GuitarPage(QWidget):
    """Fields to presenter calls; a guitar to fields. A field that is typed in keeps its text until it is read."""

    def __init__(self, presenter: GuitarsPresenter) -> None:
        super().__init__()
        self.presenter, self._filling = presenter, False
        self._guitar: Instrument | None = None
        self.title, self.state, self.tension = QLabel(), QLabel(), QLabel()
        self.picture = StringsPicture()
        self.texts: dict[str, AddField] = {}
        for name, (label, _, _) in presenter.fields.items():
            field = AddField(HOLDERS.get(name, ""), label)
            field.entered.connect(lambda name=name: self._typed(name))
            field.editingFinished.connect(lambda name=name: self._typed(name))
            self.texts[name] = field
        self.bridge, self.retuner = QComboBox(), QComboBox()
        for bridge, words in BRIDGE_WORDS.items():
            self.bridge.addItem(words, bridge)
        self.retuner.addItems(RETUNERS)
        self.bridge.setAccessibleName("Bridge")
        self.retuner.setAccessibleName("Who may retune it")
        for box in (self.bridge, self.retuner):
            box.setMinimumHeight(32)
            box.setMinimumContentsLength(5)
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.texts["ranges"].setMinimumWidth(80)
        self.bridge.activated.connect(lambda k: presenter.set_bridge(self._id(), self.bridge.itemData(k)))
        self.retuner.activated.connect(lambda k: presenter.set_retuner(self._id(), RETUNERS[k]))
        self.costs: dict[str, NumberField] = {}
        self.sources: dict[str, QLabel] = {}
        self._lay_out()

    def _id(self) -> str | None:
        return self._guitar.id if self._guitar is not None else None

    def _lay_out(self) -> None:
        self.title.setObjectName("title")
        for label in (self.state, self.tension):
            label.setObjectName("muted")
            label.setWordWrap(True)
        self.target = AddField("home, or any tuning", "Tune it to")
        self.tune, self.identify = QPushButton("Tune it now"), QPushButton("What is it in?")
        self.intonation = QPushButton("Intonation…")
        head, both = QHBoxLayout(), QHBoxLayout()
        self.target.setMinimumWidth(110)
        head.addWidget(self.title, 1)
        for widget in (self.target, self.tune, self.identify, self.intonation):
            head.addWidget(widget)
        for button in (self.tune, self.identify, self.intonation):
            button.setAutoDefault(False)
        both.setSpacing(24)
        both.addLayout(self._form(), 4)
        both.addLayout(self._cost_grid(), 4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.state)
        column.addWidget(self.picture, 1)
        column.addWidget(self.tension)
        column.addLayout(both)

    def _form(self) -> QFormLayout:
        form = QFormLayout()
        form.setVerticalSpacing(4)
        form.setHorizontalSpacing(12)
        labels = {name: label for name, (label, _, _) in self.presenter.fields.items()}
        for name in ("name", "tuning", "home", "gauges"):
            form.addRow(labels[name], self.texts[name])
        form.addRow("Bridge", self.bridge)
        for one, other in (("scale", "channel"), ("since", "off"), ("ranges", "")):
            row = QHBoxLayout()
            row.setSpacing(10)
            row.addWidget(self.texts[one], 1)
            row.addWidget(QLabel(labels[other] if other else "Retuned by"))
            row.addWidget(self.texts[other] if other else self.retuner, 1)
            form.addRow(labels[one], row)
        return form

    def _cost_grid(self) -> QGridLayout:
        """A sentence a cost, its figure a field, and where the figure comes from."""
        grid = QGridLayout()
        grid.setVerticalSpacing(3)
        grid.setHorizontalSpacing(10)
        for row, (key, words) in enumerate(COSTS.items()):
            field = NumberField(0, 600, "", 1, 0.5)
            field.setAccessibleName(f"Cost: {words}")
            field.setFixedWidth(66)
            field.valueChanged.connect(lambda value, key=key: self._cost(key, value))
            text, source = QLabel(words), QLabel()
            text.setWordWrap(True)
            text.setMinimumWidth(100)
            source.setObjectName("muted")
            source.setStyleSheet("font-size: 13px;")
            self.costs[key], self.sources[key] = field, source
            lines = QVBoxLayout()
            lines.setSpacing(0)
            lines.addWidget(text)
            lines.addWidget(source)
            grid.addWidget(field, row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addLayout(lines, row, 1)
        grid.setColumnStretch(1, 1)
        return grid

    def _typed(self, name: str) -> None:
        field = self.texts[name]
        if self._filling or not field.isModified():
            return
        if self.presenter.set_field(self._id(), name, field.text()):
            field.setModified(False)
            self.show_guitar(self.presenter.guitar(self._id()))

    def _cost(self, key: str, value: float) -> None:
        if not self._filling:
            self.presenter.set_cost(self._id(), key, value)

    def show_guitar(self, guitar: Instrument | None) -> None:
        self._filling = True
        other = guitar is None or self._id() != guitar.id
        self._guitar = guitar
        self.setVisible(guitar is not None)
        if guitar is not None:
            self._fill(guitar, other)
        self._filling = False

    def _fill(self, i: Instrument, other: bool) -> None:
        p = self.presenter
        self.title.setText(i.name)
        self.state.setText(p.words(i))
        self.tension.setText(p.tension_words(i))
        self.picture.set_values(p.strings(i))
        for name, (_, show, _) in p.fields.items():
            field = self.texts[name]
            if other or not (field.hasFocus() and field.isModified()):
                field.setText(show(i))
                field.setCursorPosition(0)
                field.setModified(False)
        self.bridge.setCurrentIndex(list(BRIDGE_WORDS).index(i.bridge))
        self.retuner.setCurrentIndex(RETUNERS.index(i.setup.retuner))
        for key, number in self.costs.items():
            number.setValue(getattr(i.costs, key))
            self.sources[key].setText(cost_from(i, key))
