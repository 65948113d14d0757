"""The Stage view: large, dark, and run by a foot switch. What is played, what comes, what moves, how far off, what is left."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from juxtatune.app import stage
from juxtatune.qt.awake import Awake
from juxtatune.qt.views.stage import wording
from juxtatune.qt.views.stage.presenter import StagePresenter
from juxtatune.qt.views.stage.side import SidePage
from juxtatune.qt.widgets.approach import ApproachWidget

HINTS = ("Page Down  next", "Page Up  another string", "F9  hold", "F10  check all", "F11  a strum", "Enter  take as is",
         "1 … 9  string broke", "G  guitar out", "J  guitars back", "C  cut", "N  another song", "L  10 min less", "E  rest",
         "T  take", "K  keep", "Z  take back", "V  side page", "F  full screen", "End  end the night")  # fmt: skip
SIMULATED = ("Space  pluck", "←→  pegs")
TURN_MS = 50
COARSE, FINE = 5.0, 0.4  # cents for each step of a held peg
# px at 1280 x 800, beside the bench and without it
BESIDE = {"small": 22, "where": 32, "moves": 32, "next": 44, "title": 56}
ALONE = {"small": 26, "where": 40, "moves": 40, "next": 64, "title": 84}


class StageView(QWidget):
    """Keys to presenter calls, presenter values to large letters."""

    message = Signal(str)
    full_screen_wanted = Signal()
    status_changed = Signal()

    def __init__(self, presenter: StagePresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.approach, self.side, self._awake = ApproachWidget(), SidePage(presenter), Awake()
        self._labels: list[tuple[QLabel, str]] = []
        self.clock, self.left = self._label("small", "stageMuted"), self._label("small", "stageMuted")
        self.head, self.title = self._label("small", "stageMuted"), self._label("title")
        self.where, self.talk = self._label("where"), self._label("next", "stageStrong")
        self.next_head, self.next_title = self._label("small", "stageMuted"), self._label("next")
        self.next_where, self.moves = self._label("where"), self._label("moves", "stageStrong")
        self.offer = self._label("small", "stageStrong")
        self._turning_by = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(TURN_MS)
        self._timer.timeout.connect(lambda: presenter.tune.turn(self._turning_by))
        self._lay_out()
        presenter.changed.connect(self.refresh)
        presenter.message.connect(self.message)
        presenter.tune.changed.connect(self._show_bench)
        self.refresh()

    def _label(self, size: str, name: str = "") -> QLabel:
        label = QLabel()
        label.setWordWrap(True)
        label.setObjectName(name)
        self._labels.append((label, size))
        return label

    def _lay_out(self) -> None:
        top, heading = QHBoxLayout(), QHBoxLayout()
        self.clock.setWordWrap(False)
        self.left.setWordWrap(False)
        self.talk.setWordWrap(False)
        top.addWidget(self.clock)
        top.addStretch(1)
        top.addWidget(self.left)
        heading.addWidget(self.title, 1)
        heading.addWidget(self.talk)
        self.board = QWidget()
        column = QVBoxLayout(self.board)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.head)
        column.addLayout(heading)
        column.addWidget(self.where)
        column.addSpacing(12)
        column.addWidget(self.next_head)
        column.addWidget(self.next_title)
        column.addWidget(self.next_where)
        column.addWidget(self.moves)
        column.addWidget(self.approach, 8)
        column.addStretch(1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(36, 16, 36, 10)
        outer.addLayout(top)
        outer.addWidget(self.board, 1)
        outer.addWidget(self.side, 1)
        outer.addWidget(self.offer)
        self.side.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._set_sizes()

    def _set_sizes(self) -> None:
        """As large as there is room for: the bench takes its share in a gap."""
        grown = max(0.7, min(2.6, self.width() / 1280, self.height() / 680))
        sizes = BESIDE if not self.approach.isHidden() else ALONE
        for label, size in self._labels:
            weight = 600 if size in ("title", "next") else 400
            style = f"font-size: {round(sizes[size] * grown)}px; font-weight: {weight};"
            if label.styleSheet() != style:
                label.setStyleSheet(style)

    def focus_in(self) -> None:
        self.setFocus()

    def hints(self) -> tuple[str, ...]:
        return (*HINTS[:1], *SIMULATED, *HINTS[1:]) if self.presenter.tune.simulated else HINTS

    # -- what is shown
    def refresh(self) -> None:
        p = self.presenter
        m, night, state = p.moment, p.night, p.session.state
        self._awake.keep(p.under_way and p.shown)
        gap = m is not None and m.phase == "gap"
        self.approach.setVisible(gap and p.tune.run is not None)
        self._set_sizes()
        for label in (self.head, self.next_head, self.next_title, self.next_where):
            label.setVisible(not gap)
        if night is None or not night.slots:
            self._show_only("Nothing to play yet", "Put songs into the night first: Night, then B.")
        elif m is None or m.phase == "over":
            self._show_before()
        elif gap:
            self._show_gap()
        else:
            self._show_playing()
        given, better = p.plan, p.offer()
        offered = given is not None and better is not None and night is not None
        self.offer.setText(wording.offer(given, better, state, night) if offered else "")  # type: ignore[arg-type]
        self.offer.setVisible(bool(offered))
        self._show_bench()
        self.status_changed.emit()

    def _show_only(self, title: str, where: str) -> None:
        texts = {self.title: title, self.where: where}
        for label, _ in self._labels:
            if label is not self.offer:
                label.setText(texts.get(label, ""))

    def _show_before(self) -> None:
        p, night = self.presenter, self.presenter.night
        assert night is not None
        over = p.moment is not None
        title = "The night is over" if over else night.name
        again = "Page Down plays it again." if over else "Page Down begins the night."
        self._show_only(title, f"{len(night.slots)} songs. {again}")
        if p.plan is not None:
            self.next_head.setText("Before it begins")
            self.moves.setText("\n".join(wording.begins(p.session.state, p.plan, night)))

    def _show_times(self) -> None:
        p, night = self.presenter, self.presenter.night
        assert night is not None
        self.clock.setText(wording.clock(p.behind()))
        self.left.setText(wording.left(p.session.state, night))

    def _show_gap(self) -> None:
        p, m, night = self.presenter, self.presenter.moment, self.presenter.night
        assert m is not None and m.song is not None and night is not None
        found = wording.coming(p.session.state, night, m.song, p.tune.preferences.calling, stage.now_of(night).in_hand)
        self._show_times()
        gap = stage.gap_to(p.plan, m.song)
        self.title.setText(found.title)
        self.where.setText(found.guitar)
        self.talk.setText(wording.talk(p.seconds_left(), gap.cover_s) if gap is not None else "")
        self.moves.setText(" · ".join(found.moves) or "Nothing moves. Page Down plays it.")

    def _show_playing(self) -> None:
        p, m, night = self.presenter, self.presenter.moment, self.presenter.night
        assert m is not None and m.song is not None and night is not None
        state, calling = p.session.state, p.tune.preferences.calling
        self._show_times()
        now = wording.coming(state, night, m.song, calling, None)
        self.head.setText("Now")
        self.title.setText(now.title)
        self.where.setText(now.guitar)
        self.talk.setText("")
        song = p.coming()
        if song is None:
            for label in (self.next_head, self.next_title, self.next_where, self.moves):
                label.setText("")
            self.next_head.setText("Nothing after it")
            return
        after = wording.coming(state, night, song, calling, stage.now_of(night).in_hand)
        gap = stage.gap_to(p.plan, song)
        self.next_head.setText(f"Next, after {gap.cover_s:.0f} s of talk" if gap is not None and gap.cover_s else "Next")
        self.next_title.setText(after.title)
        self.next_where.setText(after.guitar)
        self.moves.setText("\n".join(after.moves[: wording.MOST_MOVES]) or "Nothing moves")

    def _show_bench(self) -> None:
        tune = self.presenter.tune
        if self.isVisible() and self.approach.isVisible() and tune.run is not None:
            run = tune.run
            self.approach.set_columns(tune.columns(), run.procedure.active, run.procedure.rules.of(run.procedure.active).tolerance)
            self.status_changed.emit()

    def show_side(self) -> None:
        """The page for whoever stands at the side, in place of the board; again, the board."""
        side = self.side.isHidden()
        self.side.setVisible(side)
        self.board.setVisible(not side)

    # -- keys
    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, p = Qt.Key(event.key()), self.presenter
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._turning_by = (1 if key == Qt.Key.Key_Right else -1) * (FINE if fine else COARSE)
            if not self._timer.isActive():
                p.tune.turn(self._turning_by)
                self._timer.start()
            return
        actions: dict[Qt.Key, Callable[[], object]] = {
            Qt.Key.Key_PageDown: p.next, Qt.Key.Key_PageUp: lambda: p.tune.step(1), Qt.Key.Key_F9: p.tune.hold,
            Qt.Key.Key_F10: p.tune.check_all, Qt.Key.Key_F11: p.tune.catch_strum, Qt.Key.Key_Space: p.tune.pluck,
            Qt.Key.Key_Return: p.tune.take, Qt.Key.Key_Enter: p.tune.take, Qt.Key.Key_G: p.guitar_out,
            Qt.Key.Key_J: p.guitar_back, Qt.Key.Key_C: p.cut, Qt.Key.Key_N: p.call_another, Qt.Key.Key_L: p.less_time,
            Qt.Key.Key_E: p.rest, Qt.Key.Key_T: p.take, Qt.Key.Key_K: p.keep, Qt.Key.Key_Z: p.undo,
            Qt.Key.Key_V: self.show_side, Qt.Key.Key_F: self.full_screen_wanted.emit, Qt.Key.Key_End: p.end_night,
            Qt.Key.Key_S: p.tune.strum,
        }  # fmt: skip
        if Qt.Key.Key_1 <= key <= Qt.Key.Key_9:
            p.break_string(key - Qt.Key.Key_0)
        elif key in actions:
            if not event.isAutoRepeat():
                actions[key]()
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            if not event.isAutoRepeat():
                self._timer.stop()
        else:
            super().keyReleaseEvent(event)
