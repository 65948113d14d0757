"""The Night view: the score of the order, and of the plan beside it."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QScrollArea, QVBoxLayout, QWidget

from juxtatune.qt.views.night.presenter import NightPresenter
from juxtatune.qt.views.night.versions import LEFT, RIGHT
from juxtatune.qt.views.night.why_panel import WhyPanel
from juxtatune.qt.widgets.score import ScoreCanvas

HINTS = (
    "Ctrl+R  plan", "T  take", "Enter  open", "Alt+↑↓  move", "P  pin", "M  medley", "A  apart", "H  lock half", "W  way",
    "L  talk", "C  energy", "K  keep", "V  kept", "Y  why", "+ −  zoom",
)  # fmt: skip
ZOOM = {Qt.Key.Key_Plus: 1, Qt.Key.Key_Equal: 1, Qt.Key.Key_Minus: -1, Qt.Key.Key_0: 0}
EMPTY = "No songs in this night yet. Add songs in the Songs view, or import a gig file from the File menu."


class NightView(QWidget):
    """Keys and pointer to presenter calls; presenter state to the canvas."""

    song_chosen = Signal(str)
    opened = Signal(str)
    message = Signal(str)

    def __init__(self, presenter: NightPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.canvas = ScoreCanvas()
        self.empty = QLabel(EMPTY)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setWordWrap(True)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setWidget(self.canvas)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.why = WhyPanel(presenter.why)
        self.why.hide()
        self.why.taken.connect(presenter.move)
        column = QVBoxLayout()
        column.addWidget(self.area)
        column.addWidget(self.empty)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(column, 1)
        layout.addWidget(self.why)
        self.setFocusProxy(self.canvas)
        self.canvas.installEventFilter(self)
        self.canvas.selected.connect(self.song_chosen)
        self.canvas.opened.connect(self.opened)
        self.canvas.moved.connect(presenter.move)
        self.canvas.energy.bent.connect(presenter.bend_curve)
        presenter.changed.connect(self.refresh)
        presenter.why.changed.connect(self._show_elsewhere)
        presenter.message.connect(self.message)
        self.refresh()

    def hints(self) -> tuple[str, ...]:
        narrow = len(self.presenter.scores()) == 2 and self.canvas.width() < 1240
        return (*HINTS, "F  flip") if narrow else HINTS

    def select(self, song: str | None) -> None:
        self.canvas.set_song(song)
        if self.why.isVisible():
            self.presenter.why.select(song)

    def toggle_why(self) -> None:
        """Shows or hides the panel that explains the order."""
        self.why.setVisible(not self.why.isVisible())
        if self.why.isVisible():
            self.presenter.explain()
            self.canvas.flipped = self.presenter.explained() == 1
            self.presenter.why.select(self.canvas.song())
        else:
            self.presenter.why.stop()
        self._show_elsewhere()

    def _show_elsewhere(self) -> None:
        self.canvas.set_elsewhere(
            self.presenter.why.elsewhere if self.why.isVisible() else {}, self.presenter.explained()
        )

    def refresh(self) -> None:
        scores = self.presenter.scores()
        self.canvas.set_orders(scores)
        nothing = self.presenter.gig() is None
        self.empty.setVisible(nothing)
        self.area.setVisible(not nothing)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.canvas.update()

    def eventFilter(self, watched: object, event: object) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            return self._key(event)
        return False

    def _key(self, event: QKeyEvent) -> bool:
        song, key = self.canvas.song(), event.key()
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if control:
            return False
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(key), 0)
        if step and alt and song is not None:
            self.presenter.move_by(song, step)
        elif step:
            self._step(step)
        elif key == Qt.Key.Key_T:
            self.presenter.take()
        elif key == Qt.Key.Key_Escape:
            self.presenter.cancel()
        elif key == Qt.Key.Key_Y:
            self.toggle_why()
        elif key in ZOOM:
            self.canvas.zoom(ZOOM[Qt.Key(key)])
        elif key == Qt.Key.Key_K:
            self.presenter.keep()
        elif key == Qt.Key.Key_V:
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.presenter.next_version(LEFT if shift else RIGHT)
        elif key == Qt.Key.Key_C:
            self.presenter.toggle_curve()
        elif key == Qt.Key.Key_F:
            self.canvas.flipped = not self.canvas.flipped
            self.canvas.update()
        elif song is None:
            return False
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit(song)
        elif key == Qt.Key.Key_P:
            self.presenter.toggle_pin(song)
        elif key == Qt.Key.Key_M:
            self.presenter.toggle_medley(song)
        elif key == Qt.Key.Key_A:
            self.presenter.toggle_apart(song)
        elif key == Qt.Key.Key_H:
            self.presenter.toggle_lock(song)
        elif key == Qt.Key.Key_W:
            self.presenter.next_way(song)
        elif key == Qt.Key.Key_L:
            self._ask_talk(song)
        else:
            return False
        return True

    def _step(self, by: int) -> None:
        shown = self.canvas.shown()
        if not shown:
            return
        rows = [r.song for r in shown[0].rows]
        now = self.canvas.song()
        at = rows.index(now) if now is not None and now in rows else -1
        song = rows[max(0, min(len(rows) - 1, at + by))]
        self.canvas.set_song(song)
        centre = self.canvas.row_centre(0, rows.index(song))
        self.area.ensureVisible(int(centre.x()), int(centre.y()), 0, 60)
        self.song_chosen.emit(song)

    def _ask_talk(self, song: str) -> None:
        value, ok = QInputDialog.getDouble(
            self,
            "Talk after this song",
            "Seconds of talk and applause:",
            self.presenter.talk(song),
            0,
            600,
            0,
        )
        if ok:
            self.presenter.set_talk(song, value)
