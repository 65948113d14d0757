"""The side page: for whoever stands beside the stage, what to retune now, on which guitar, for which song."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from juxtatune.qt.views.stage import wording
from juxtatune.qt.views.stage.presenter import StagePresenter

SIZES = 30, 24  # px at 1280 x 800


class SidePage(QWidget):
    """Follows the night; a page of Stage, or a window of its own on a second screen."""

    def __init__(self, presenter: StagePresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.setWindowTitle("Juxtatune, at the side")
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setWordWrap(True)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        column.addWidget(self.text, 1)
        self._grown = 1.0
        presenter.changed.connect(self.refresh)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._grown = max(0.7, min(2.4, self.width() / 1280, self.height() / 640))
        self.refresh()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        p, night = self.presenter, self.presenter.night
        if not self.isVisible():
            return
        if night is None or not night.slots:
            self.text.setText("No night yet.")
            return
        m, head, line = p.moment, *(round(px * self._grown) for px in SIZES)
        now = ""
        if m is not None and m.phase == "playing" and m.song is not None:
            left = max(0.0, (p.session.state.song(m.song).length_s or 240.0) - p.seconds_in())
            now = f"<p style='font-size:{head}px'>{_html(p.session.state.song(m.song).title)}: {left / 60:.0f} min left</p>"
        blocks = wording.beside(p.session.state, night, m, p.plan, p.tune.preferences.calling)
        rows = [
            f"<p style='font-size:{head}px; font-weight:600; margin-bottom:2px'>{_html(title)}</p>"
            f"<p style='font-size:{line}px; margin-top:0'>{'<br>'.join(map(_html, lines))}</p>"
            for title, lines in blocks
        ]
        self.text.setText(now + "".join(rows))


def _html(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
