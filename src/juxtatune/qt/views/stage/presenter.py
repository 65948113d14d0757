"""What Stage does: leads through the night step by step, keeps what happens, plans the rest again. No widgets."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, QTimer, Signal

from juxtatune.app import stage
from juxtatune.app.session import Session
from juxtatune.app.stage import Moment
from juxtatune.app.tune import Job
from juxtatune.book.state import BookState, NightRecord
from juxtatune.core.errors import UserError
from juxtatune.core.planning.model.plan import Plan
from juxtatune.qt.views.stage.needs import BenchOfStage, Nights

AGAIN_S = 20.0  # of planning the rest
WORTH_S = 1.0  # of cost from which a better order is offered
LESS_S = 600.0  # that the house takes away at once
NOT_YET = "The night is not under way: Page Down begins it."
STALE_S = 12 * 3600.0  # after so long a night that was not ended is not gone on with


class StagePresenter(QObject):
    """Drives the night's presenter (prices, plans) and the bench (Tune) as the night goes on."""

    changed = Signal()
    message = Signal(str)

    def __init__(self, session: Session, night: Nights, tune: BenchOfStage,
                 clock: Callable[[], float] = time.time) -> None:  # fmt: skip
        super().__init__()
        self.session, self.nights, self.tune, self._clock = session, night, tune, clock
        self.moment: Moment | None = None
        self.shown = False  # the view is in front: the bench listens
        self._kept: tuple[object, ...] = ()  # the order that was offered and not taken
        self._planned_for: object = None
        self._undone: list[tuple[str | None, Moment | None]] = []  # what the book calls a step, and the moment before it
        self._tick = QTimer(self)
        self._tick.setInterval(1000)
        self._tick.timeout.connect(self.changed)
        night.changed.connect(self._night_changed)

    # -- what is
    @property
    def night(self) -> NightRecord | None:
        return self.nights.night()

    @property
    def under_way(self) -> bool:
        return self.moment is not None and self.moment.phase != "over"

    @property
    def plan(self) -> Plan | None:
        """The night's own order, priced for the book as it stands."""
        return self.nights.given

    def offer(self) -> Plan | None:
        """A better order of what is left; None where there is none, or it was refused."""
        found, given = self.nights.planned, self.plan
        if not self.under_way or found is None or found.plan is None or given is None:
            return None
        better = given.totals.objective - found.plan.totals.objective >= WORTH_S
        return found.plan if better and tuple(found.plan.order) != self._kept else None

    def seconds_left(self) -> float:
        """Of the talk of this gap (below 0: dead air runs)."""
        m = self.moment
        gap = stage.gap_to(self.plan, m.song) if m is not None and m.phase == "gap" else None
        return gap.cover_s - (self._clock() - m.since) if gap is not None and m is not None else 0.0

    def behind(self) -> float:
        """Seconds behind the plan, below 0 ahead of it."""
        m = self.moment
        if m is None or m.song is None:
            return 0.0
        first = self.night is not None and not stage.now_of(self.night).played and m.phase == "gap"
        planned = self.session.state.song(m.song).length_s or stage.USUAL_SONG_S
        if m.phase == "gap":
            planned = self._clock() - m.since if first else max(0.0, m.gap_s)
        return stage.behind(m, planned, self._clock())

    def seconds_in(self) -> float:
        return self._clock() - self.moment.since if self.moment is not None else 0.0

    def job(self) -> Job | None:
        """What is to be tuned in the gap under way, or for the next song while one is played."""
        night, song = self.night, self.coming()
        if night is None or song is None:
            return None
        state = self.session.state
        try:
            way = stage.way_of(state, night, song)
        except UserError:
            return None
        gap = stage.gap_to(self.plan, song)
        return Job(song, state.song(song).title, way.instrument, stage.needed(state, way),
                   gap.cover_s if gap is not None else 0.0, way.strings_used)  # fmt: skip

    def coming(self) -> str | None:
        """The song that the gap leads to, or that follows the one under way."""
        m, night = self.moment, self.night
        if night is None or (m is not None and m.phase == "over"):
            return None
        if m is not None and m.phase == "gap":
            return m.song
        left = [s.song for s in stage.upcoming(night)]
        return left[0] if left else None

    # -- life
    def resume(self) -> bool:
        """Back to where a night was when the program ended; False where none was under way."""
        row = self.session.book.last_log("stage")
        m = stage.moment_of(row[1]) if row is not None else None
        if m is None or m.phase == "over" or not 0 <= self._clock() - m.since < STALE_S:
            return False
        night = next((n for n in self.session.state.nights if n.id == m.night), None)
        if night is None or night.rules.now is None or not any(s.song == m.song for s in night.slots):
            return False
        self.moment = m
        self.nights.open_night(night.id)
        self._tick.start()
        return True

    def show(self) -> None:
        self.shown = True
        self._bench()
        self.changed.emit()

    def hide(self) -> None:
        self.shown = False

    def close(self) -> None:
        self._tick.stop()

    def next(self) -> None:
        """From a song into the gap, from the gap into the song; at first the night begins."""
        night, m, plan, at = self.night, self.moment, self.plan, self._clock()
        if night is None or not night.slots or plan is None:
            self.message.emit("No night to play yet: put songs into it in Night first.")
            return
        state = self.session.state
        try:
            if m is None or m.phase == "over":
                self._step("Begin the night", *stage.begin(state, night, plan, at))
            elif m.phase == "gap":
                self._say_unchecked()
                self._log_song(night, m, plan, at)
                self._step("Song begun", *stage.start_song(state, night, plan, m, at))
            else:
                self._step("Song over", *stage.end_song(state, night, plan, m, at))
        except UserError as error:
            self.message.emit(error.message())

    def _say_unchecked(self) -> None:
        run = self.tune.run
        if run is not None and self.moment is not None and run.song == self.moment.song and not run.finished:
            self.session.log("unchecked", {"instrument": run.instrument, "song": run.song, "to": str(run.goal)})

    def _log_song(self, night: NightRecord, m: Moment, plan: Plan, at: float) -> None:
        """The song, and what the gap before it took and was planned to take."""
        gap, first = stage.gap_to(plan, m.song), not stage.now_of(night).played
        job = self.job()
        data: dict[str, object] = {"song": m.song, "night": night.name, "instrument": job.instrument if job is not None else None}
        if gap is not None and not first:
            took = at - m.since
            data |= {"gap_s": round(took, 1), "dead_s": round(max(0.0, took - gap.cover_s), 1),
                     "planned_dead_s": round(m.dead_s, 1), "strings": m.strings, "swap_s": gap.swap_s}  # fmt: skip
        self.session.log("song", data)

    def _step(self, label: str, state: BookState, moment: Moment) -> None:
        """One step of the night: book and moment are written together."""
        before = self.moment
        self.session.edit(label, state)
        self._undone.append((self.session.can_undo, before))
        self._note(moment)
        if moment.phase == "over":
            self.message.emit("That was the last song. The night is over.")

    def _note(self, moment: Moment | None) -> None:
        self.moment = moment
        if moment is not None:
            self.session.log("stage", moment.data())
            self._tick.start()
        self._bench()
        self.changed.emit()

    def end_night(self) -> None:
        """Ends the night where it is; the set can be played again."""
        night, m = self.night, self.moment
        if night is None or m is None or m.phase == "over":
            self.message.emit(NOT_YET)
            return
        self._step("End the night", stage.ended(self.session.state, night), _over(m, self._clock()))
        self._tick.stop()

    def undo(self) -> None:
        """Takes the last step or change back."""
        label = self.session.undo()
        if label is None:
            self.message.emit("Nothing to take back.")
            return
        if self._undone and self._undone[-1][0] == label:
            back = self._undone.pop()[1]
            self._note(back)
            if back is None:
                self.session.log("stage", {"phase": "over"})
        self.message.emit(f"Taken back: {label.lower()}.")

    def _bench(self) -> None:
        """In the gap the bench listens for the guitar that is needed."""
        job = self.job() if self.shown and self.moment is not None and self.moment.phase == "gap" else None
        if job is not None and self.tune.run is not None and self.tune.job == job:
            self.tune.listen()  # also once it is done: it is not begun anew
        elif job is not None:
            self.tune.begin(job)
        elif self.shown:
            self.tune.stop()

    # -- the night changes
    def cut(self) -> None:
        """The next song falls out."""
        song = self.coming()
        if song is None:
            self.message.emit(NOT_YET)
        else:
            self._change(f"Cut {self._title(song)}", lambda s, n: stage.cut(s, n, song), "cut", {"song": song})

    def call_another(self) -> None:
        """The song after the next one is called for now; again, the one after that."""
        night, song = self.night, self.coming()
        left = [s.song for s in stage.upcoming(night)] if night is not None else []
        if song is None or song not in left or left.index(song) + 1 >= len(left):
            self.message.emit("No other song is left to be called.")
            return
        wanted = left[left.index(song) + 1]
        self._change(f"{self._title(wanted)} comes next", lambda s, n: stage.call(s, n, wanted, song), "called", {"song": wanted})

    def break_string(self, string: int) -> None:
        """A string of the guitar in hand is gone."""
        job = self.at_hand()
        if job is None:
            self.message.emit(NOT_YET)
            return
        if not 1 <= string <= self.session.state.instrument(job).strings:
            self.message.emit("That guitar has no such string.")
            return
        name = self.session.state.instrument(job).name
        self._lose(f"{name} goes on without string {string}", lambda s, n: stage.break_string(s, n, job, string),
                   "string_broken", {"instrument": job, "string": string})  # fmt: skip

    def guitar_out(self) -> None:
        """The guitar in hand is out, or comes back."""
        job, night = self.at_hand(), self.night
        if job is None or night is None:
            self.message.emit(NOT_YET)
            return
        name = self.session.state.instrument(job).name
        if job in stage.now_of(night).broken:
            self._change(f"{name} is back", lambda _, n: stage.bring_back(n, job), "guitar_back", {"instrument": job})
        else:
            self._lose(f"{name} is out", lambda s, n: stage.take_out(s, n, job), "guitar_out", {"instrument": job})

    def guitar_back(self) -> None:
        """Every guitar that was out or lost a string is whole again."""
        night = self.night
        out = tuple(stage.now_of(night).broken) if night is not None else ()
        if not out:
            self.message.emit("No guitar is out.")
        for guitar in out:
            name = self.session.state.instrument(guitar).name
            self._change(f"{name} is back", partial(_back, guitar), "guitar_back", {"instrument": guitar})

    def less_time(self) -> None:
        def shorten(state: BookState, night: NightRecord) -> tuple[NightRecord, tuple[str, ...]]:
            return stage.shorten(state, night, self.coming(), LESS_S)

        self._lose("Ten minutes less", shorten, "less_time", {"seconds": LESS_S})

    def rest(self) -> None:
        """The singer needs a rest: two minutes more in this gap, or in the one after the song under way."""
        m, night = self.moment, self.night
        played = stage.now_of(night).played if night is not None else ()
        after = played[-1] if m is not None and played else None
        if after is None:
            self.message.emit("A rest comes after a song: none is played yet.")
        else:
            self._change("A rest of two minutes", lambda _, n: stage.rest(n, after), "rest", {"after": after})

    def _lose(self, label: str, work: Callable[[BookState, NightRecord], tuple[NightRecord, tuple[str, ...]]],
              kind: str, data: dict[str, object]) -> None:  # fmt: skip
        """A change by which songs fall out."""
        gone: list[str] = []

        def changed(state: BookState, night: NightRecord) -> NightRecord:
            new, songs = work(state, night)
            gone.extend(songs)
            return new

        if self._change(label, changed, kind, data) and gone:
            titles = ", ".join(self._title(s) for s in gone)
            self.message.emit(f"{label}. Cut: {titles}. Z takes it back.")

    def _change(self, label: str, work: Callable[[BookState, NightRecord], NightRecord],
                kind: str, data: dict[str, object]) -> bool:  # fmt: skip
        """A change of the rest, at once and undoable; the rest is planned again."""
        night, m = self.night, self.moment
        if night is None or m is None or m.phase == "over":
            self.message.emit(NOT_YET)
            return False
        try:
            new = work(self.session.state, stage.as_they_stand(self.session.state, night))
            state = self.session.state.with_night(new)
            left = [s.song for s in stage.upcoming(new)]
            song = left[0] if m.phase == "gap" else m.song
            self.session.edit(label, state)
        except UserError as error:
            self.message.emit(error.message())
            return False
        self._undone.append((self.session.can_undo, m))
        self.session.log(kind, data)
        self.message.emit(f"{label}. The rest is planned again; Z takes it back.")
        if song != m.song and m.phase == "gap":
            self._note(Moment(m.night, "gap", song, m.begun, m.since, m.due))
        self._again()
        self.changed.emit()
        return True

    def _again(self) -> None:
        """Plans the rest from the guitars' true states."""
        self._kept = ()
        self.nights.cancel()
        self._planned_for = self.night

    def _night_changed(self) -> None:
        if self._planned_for is not None and not self.nights.planning and self._planned_for is self.night:
            self._planned_for = None
            self.nights.plan(AGAIN_S)
        self._reconcile()
        m = self.moment
        if m is not None and m.phase == "gap" and m.gap_s < 0 and self._priced():
            self.moment = m.planned(stage.gap_to(self.plan, m.song))
        if self.moment is not None:
            self._bench()
        self.changed.emit()

    def _priced(self) -> bool:
        """Whether the plan is that of the order as it stands."""
        night, plan = self.night, self.plan
        return night is not None and plan is not None and [s.song for s in plan.order] == [s.song for s in night.slots]

    def _reconcile(self) -> None:
        """A step that was taken back elsewhere: the moment follows the book."""
        night, m = self.night, self.moment
        if night is None or m is None or m.phase == "over" or night.id != m.night:
            return
        if night.rules.now is None:
            self.moment = None
        elif m.phase == "playing" and m.song not in night.rules.now.played:
            self.moment = Moment(m.night, "gap", m.song, m.begun, m.since, m.due)

    def take(self) -> None:
        """The better order, with the song of the gap first in it."""
        m, found = self.moment, self.offer()
        if found is None or m is None:
            self.message.emit("No better order is offered.")
            return
        self.nights.cancel()
        self.nights.take()
        self._undone.append((self.session.can_undo, m))
        night = self.night
        left = [s.song for s in stage.upcoming(night)] if night is not None else []
        if m.phase == "gap" and left and left[0] != m.song:
            self._note(Moment(m.night, "gap", left[0], m.begun, m.since, m.due))
        self.message.emit("The better order is taken. Z takes it back.")

    def keep(self) -> None:
        """One's own order stays."""
        found = self.offer()
        if found is None:
            self.message.emit("No better order is offered: yours stays.")
        else:
            self._kept = tuple(found.order)
            self.message.emit("Your order stays.")
            self.changed.emit()

    def at_hand(self) -> str | None:
        """The guitar of the song under way, or of the song that the gap leads to."""
        m, night = self.moment, self.night
        if m is None or m.song is None or night is None:
            return None
        try:
            return stage.way_of(self.session.state, night, m.song).instrument
        except UserError:
            return stage.now_of(night).in_hand

    def _title(self, song: str) -> str:
        return self.session.state.song(song).title


def _back(guitar: str, _: BookState, night: NightRecord) -> NightRecord:
    return stage.bring_back(night, guitar)


def _over(m: Moment, at: float) -> Moment:
    return Moment(m.night, "over", None, m.begun, at, m.due)


