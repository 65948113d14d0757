"""What the log teaches of each guitar: seconds of whole retunes with their spread, and the costs to take or leave."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtatune.core.logbook.learned import TYPICAL, InstrumentLearned, steps_of
from juxtatune.core.retuning.costs import retune_seconds
from juxtatune.core.strings.instrument import Instrument
from juxtatune.qt.views.log.presenter import LogPresenter

NINETY = 1.645  # standard deviations each side that hold 90 %
NAMES = {"base_s": "to begin", "string_s": "each string", "semitone_s": "each half step", "check_s": "each string checked",
         "passes": "passes", "swap_s": "to take it", "capo_s": "a capo"}  # fmt: skip
NOTE = ("Seconds of whole retunes are what the log tells well. Single costs are hardly separable: one can be larger where another "
        "is smaller.")  # fmt: skip


class TeachesPanel(QWidget):
    def __init__(self, presenter: LogPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.guitar, self.take = QComboBox(), QPushButton("Plan by this")
        self.guitar.setAccessibleName("Of which guitar")
        self.said, self.note = QLabel(), QLabel(NOTE)
        for label in (self.said, self.note):
            label.setWordWrap(True)
        self.note.setObjectName("muted")
        self.table = QTableWidget()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        row = QHBoxLayout()
        row.addWidget(self.guitar, 1)
        row.addWidget(self.take)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.said)
        column.addWidget(self.table, 1)
        column.addWidget(self.note)
        self.guitar.currentIndexChanged.connect(lambda _: self._show())
        self.take.clicked.connect(lambda: presenter.take(self.guitar.currentData() or ""))

    def refresh(self) -> None:
        shown, state = self.presenter.shown, self.presenter.session.state
        learned = shown.learned if shown is not None else {}
        ids = [i.id for i in state.instruments if i.id in learned]
        if ids != [self.guitar.itemData(k) for k in range(self.guitar.count())]:
            self.guitar.blockSignals(True)
            self.guitar.clear()
            for i in state.instruments:
                if i.id in learned:
                    self.guitar.addItem(i.name, i.id)
            self.guitar.blockSignals(False)
        self._show()

    def _show(self) -> None:
        shown, guitar_id = self.presenter.shown, self.guitar.currentData()
        found = shown.learned.get(guitar_id) if shown is not None and guitar_id else None
        self.take.setEnabled(found is not None)
        if found is None:
            self.said.setText("The log teaches nothing yet: it learns from retunes as they are done in Tune and on Stage.")
            self.table.setRowCount(0)
            return
        guitar = self.presenter.session.state.instrument(guitar_id)
        count = found.costs["base_s"].events
        self.said.setText(f"From {count} retunes of {guitar.name}. To the planner it is what stands under “planned by”.")
        rows = [*_retunes(guitar, found), *_costs(guitar, found), *_drifts(found)]
        self.table.setColumnCount(4)
        self.table.setHorizontalHeaderLabels(["", "planned by", "the log", "90 % within"])
        self.table.setRowCount(len(rows))
        for r, cells in enumerate(rows):
            for c, text in enumerate(cells):
                self.table.setItem(r, c, QTableWidgetItem(text))
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)


def _retunes(guitar: Instrument, found: InstrumentLearned) -> list[tuple[str, ...]]:
    out: list[tuple[str, ...]] = []
    for t in found.typical[::2]:
        now = retune_seconds(guitar.costs, guitar.strings, steps_of(t.target, TYPICAL[t.target], guitar.strings))
        low, high = max(0.0, t.seconds - NINETY * t.sd), t.seconds + NINETY * t.sd
        out.append((f"standard to {t.target}", f"{now:.0f} s", f"{t.seconds:.0f} s", f"{low:.0f} to {high:.0f} s"))
    return out


def _costs(guitar: Instrument, found: InstrumentLearned) -> list[tuple[str, ...]]:
    out: list[tuple[str, ...]] = []
    for name, words in NAMES.items():
        c, unit = found.costs[name], "" if name == "passes" else " s"
        now = float(getattr(guitar.costs, name))
        low, high = max(0.0, c.value - NINETY * c.sd), c.value + NINETY * c.sd
        out.append((words, f"{now:.1f}{unit}", f"{c.value:.1f}{unit}", f"{low:.1f} to {high:.1f}{unit}"))
    return out


def _drifts(found: InstrumentLearned) -> list[tuple[str, ...]]:
    """How strings stray after a song, by the way they were last moved."""
    return [
        (f"string {d.string} strays after it went {d.direction}", "", f"{d.cents:+.1f} ¢".replace("-", "−"),
         f"± {NINETY * d.sd:.1f} ¢, {d.events} checks")
        for d in found.drift if d.events >= 3
    ]  # fmt: skip
