"""A picture of the log: its answer in words, a plot, and the table behind it. pyqtgraph is imported when it is first shown."""

from __future__ import annotations

from typing import Any

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QHeaderView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from juxtatune.app.log_pictures import Picture
from juxtatune.qt.theme import Theme

FORMS = ("o", "s", "t", "d", "x", "+")  # what tells series apart beside their colour
TICK_PX = 150  # of a label under a picture
LONGEST = 16  # letters of a label under a bar


class PicturePanel(QWidget):
    def __init__(self) -> None:
        super().__init__()
        self.question, self.answer, self.table = QComboBox(), QLabel(), QTableWidget()
        self.question.setAccessibleName("What the picture answers")
        self.answer.setWordWrap(True)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.setMaximumHeight(190)
        self._column = QVBoxLayout(self)
        self._column.addWidget(self.question)
        self._column.addWidget(self.answer)
        self._column.addWidget(self.table)
        self._plot: Any = None
        self._picture: Picture | None = None

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._plot is None:
            import pyqtgraph

            self._plot = pyqtgraph.PlotWidget()
            self._plot.setMenuEnabled(False)
            self._column.insertWidget(2, self._plot, 1)
        if self._picture is not None:
            self.show_picture(self._picture)

    def show_picture(self, picture: Picture) -> None:
        self._picture = picture
        self.answer.setText(picture.answer or "Not enough is logged yet to answer this.")
        self._show_table(picture)
        if self._plot is not None:
            self._draw(picture)

    def _draw(self, picture: Picture) -> None:
        import pyqtgraph

        plot, c = self._plot, Theme.now
        plot.clear()
        plot.setBackground(c.ink)
        item = plot.getPlotItem()
        if item.legend is not None:
            item.legend.scene().removeItem(item.legend)
            item.legend = None
        if len(picture.series) > 1:
            item.addLegend(offset=(8, 8), labelTextColor=c.text)
        for side, text in (("bottom", picture.across), ("left", picture.up)):
            axis = item.getAxis(side)
            axis.setPen(c.muted)
            axis.setTextPen(c.text)
            item.setLabel(side, text, color=c.text.name())
        ticks = [(k, t if len(t) <= LONGEST else f"{t[: LONGEST - 1]}…") for k, t in enumerate(picture.labels)]
        item.getAxis("bottom").setTicks([_thinned(ticks, plot.width())] if ticks else None)
        colours = (c.higher, c.lower, c.attention, c.text, c.muted, c.waiting)
        bars = bool(picture.labels) and len(picture.series) == 1
        for k, (name, x, y) in enumerate(picture.series):
            colour = colours[k % len(colours)]
            if bars:
                plot.addItem(pyqtgraph.BarGraphItem(x=x, height=y, width=0.7, brush=colour, pen=colour))
            else:
                plot.plot(x, y, pen=pyqtgraph.mkPen(colour, width=2), symbol=FORMS[k % len(FORMS)], symbolSize=6,
                          symbolBrush=colour, symbolPen=colour, name=name)  # fmt: skip
        plot.enableAutoRange()

    def _show_table(self, picture: Picture) -> None:
        self.table.setColumnCount(len(picture.columns))
        self.table.setHorizontalHeaderLabels(list(picture.columns))
        self.table.setRowCount(len(picture.table))
        for row, cells in enumerate(picture.table):
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(text))
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)


def _thinned(ticks: list[tuple[int, str]], width: int) -> list[tuple[int, str]]:
    """So few that they do not overlap."""
    step = max(1, -(-len(ticks) * TICK_PX // max(1, width)))
    return ticks[step // 2 :: step]
