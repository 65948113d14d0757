"""What the Tune view shows and does: the run, the words, the peg panel's guitar. No widgets."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from juxtatune.app import fields
from juxtatune.app.moments import now_text
from juxtatune.app.practice import Aside
from juxtatune.app.preferences import TuningPreferences
from juxtatune.app.session import Session
from juxtatune.app.tune import Job, Keeper, TuneRun, strum_words
from juxtatune.core.errors import UserError
from juxtatune.core.listening.identify import Identified, identify_strum
from juxtatune.core.listening.live.listener import BlockResult
from juxtatune.core.listening.source import Samples, SoundSource
from juxtatune.core.listening.strum.read import StrumReading, read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.sim.guitar import SimulatedGuitar
from juxtatune.core.strings.instrument import Instrument
from juxtatune.qt.views.tune import wording
from juxtatune.qt.views.tune.ears import BeatCheck, BendCheck, Check, beat_check
from juxtatune.qt.views.tune.sources import Sources
from juxtatune.qt.views.tune.tone import ReferenceTone
from juxtatune.qt.widgets.approach_values import Column
from juxtatune.qt.worker import AudioWorker, LatestWorker

REPAINT_MS = 40
HEARD_WITHIN = 5.0  # cents: how certain a guitar's state is that was told from one strum


class TunePresenter(QObject):
    """Owns the audio worker and the run."""

    changed = Signal()
    message = Signal(str)
    level = Signal(float, str)
    source_changed = Signal(str)
    practised = Signal(str, float)  # a drill on the bench is over: which, and its score
    next_wanted = Signal()  # this guitar is done: on to the next gap of the night

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.preferences = TuningPreferences()
        self.job: Job | None = None
        self.run: TuneRun | None = None
        self.sources = Sources(self.message.emit)
        self.source_name = "simulated guitar"
        self.check: Check | None = None  # what is listened for beside single strings
        self._worker: AudioWorker | None = None
        self._now = 0.0
        self._left = 0.0
        self._repaint = QTimer(self)
        self._repaint.setInterval(REPAINT_MS)
        self._repaint.timeout.connect(self._paint_if_new)
        self._new = self._told_saved = self._identifying = self._practised = False
        self._answer: Identified | None = None  # what the guitar was heard to be in
        self._strums = LatestWorker("reading a strum")
        self._strums.failed.connect(lambda _, text: self.message.emit(text))
        self._strums.done.connect(self._strum_read)
        self._tone = ReferenceTone(lambda: self.run)
        self._tone.said.connect(self.message)
        self._tone.changed.connect(self.changed)
        self._talk = QTimer(self)
        self._talk.setInterval(1000)
        self._talk.timeout.connect(self._tick)

    # -- life
    def begin(self, job: Job, same_guitar: bool = False) -> None:
        """Starts on a retune, unless it is the one under way; the simulated guitar is a fresh one, or stands as it is."""
        if self.run is not None and self.job == job and not self.run.finished:
            self.listen()
            return
        self.stop()
        self.job = job
        self._left, self._told_saved, self._practised = job.cover_s, False, False
        if not same_guitar:
            self.sources.guitar = None
        self.run = self._run_of(job)
        self._talk.start()
        self.listen()
        self.changed.emit()

    def _run_of(self, job: Job) -> TuneRun:
        p = self.preferences
        keeper: Keeper = self.session
        if job.practice:
            aside = keeper = Aside(self.session)
            if job.begins_in is not None:
                aside.stand(job.instrument, job.begins_in)
        return TuneRun(
            keeper, job.instrument, job.target, job.song, p.rules, p.reference, p.attack, p.calling, job.in_play,
            p.sweet / 100,
        )  # fmt: skip

    def prefer(self, preferences: TuningPreferences) -> None:
        """Judges by other figures from now on: a retune under way begins anew, the guitar as it is."""
        if preferences == self.preferences:
            return
        judged = replace(preferences, calling=self.preferences.calling) != self.preferences
        self.preferences = preferences
        if self.run is not None:
            self.run.calling = preferences.calling
        if not judged:
            self.changed.emit()
            return
        if self.job is None or self.run is None or self.run.finished:
            return
        listening = self._worker is not None
        self.stop()
        self.run = self._run_of(self.job)
        if listening:
            self.listen()
        self.changed.emit()

    def stop(self) -> None:
        """Stops listening; the run stays where it is."""
        self.check = None
        self._repaint.stop()
        if self._worker is not None:
            self._worker.finish()
            self._worker = None

    def close(self) -> None:
        self._talk.stop()
        self.stop()
        self._strums.close()
        self._tone.close()

    def listen(self) -> None:
        """Opens the wanted source and listens to it."""
        if self.run is None or self._worker is not None:
            return
        try:
            guitar = self.run.session.state.instrument(self.run.instrument)
            source = self.sources.opened(guitar, self.run.source, self.run.reference)
        except UserError as error:
            self.message.emit(error.message())
            return
        self.source_name = source.name
        self._worker = AudioWorker(source, self.run.targets)
        self._worker.heard.connect(self._heard)
        self._worker.level.connect(self.level)
        self._worker.state.connect(self.message)
        self._worker.caught.connect(self._caught)
        self._worker.ear_heard.connect(self._ear_heard)
        self._worker.start()
        self._repaint.start()
        self.source_changed.emit(self.source_name)

    def take_print(self) -> None:
        """Learns the noise of the room, while no string sounds."""
        if self._worker is None:
            self.message.emit("Open Tune first: the noise of the room is taken while it listens.")
            return
        if self.guitar is not None:
            self.guitar.damp()
        self._worker.take_print()
        self.message.emit("Two seconds of silence, please: no string.")

    def catch_strum(self) -> None:
        """Listens for one strum and reads all strings from it."""
        if self._worker is None or self.run is None:
            self.message.emit("Open Tune first: a strum is read while it listens.")
            return
        if self.run.held:
            self.message.emit("Tuning is held: F9 goes on, then F11 hears a strum.")
            return
        if self.guitar is not None:
            self.guitar.damp()
        self._worker.catch_strum()
        self.message.emit("Strum all strings once and let them ring for three seconds.")

    def calibrate(self) -> None:
        """Begins the guided calibration of this guitar's bridge, or ends it; what is not learned to the end is not kept."""
        if self.run is None or self.job is None:
            return
        if self.run.calibration is not None:
            self._begin_anew("The calibration is ended; nothing of it was kept.")
            return
        guitar = self.run.session.state.instrument(self.run.instrument)
        job = replace(self.job, title=f"{guitar.name}: its bridge", target=guitar.tuning, in_play=())
        self.stop()
        self.job, self.run = job, self._run_of(job)
        self.run.calibrate()
        self.listen()
        self.message.emit("The guitar stands in its tuning. F11, then strum: that is where it begins. C ends it at any time.")
        self.changed.emit()

    def _end_calibration(self) -> None:
        self._begin_anew("The bridge is known now: what strings must read will be nearer. Bring them back to their notes.")

    def _begin_anew(self, words: str) -> None:
        """Back to tuning: the guitar to the tuning that the book says, from where its strings stand."""
        assert self.job is not None
        self.stop()
        job, self.job = self.job, None
        self.begin(replace(job, title=job.title.split(":")[0]), same_guitar=True)
        self.message.emit(words)

    def tone(self, whole: bool) -> None:
        """Plays the note of the string in hand, or the whole tuning."""
        if self.run is not None:
            on = [s.string for s in self.run.procedure.strings]
            self._tone.ask(self.run, on if whole else [self.run.procedure.active])

    # -- listening otherwise
    def check_bend(self) -> None:
        """How far does a bend go? Again ends it."""
        if self.run is not None:
            self._begin_check(None if isinstance(self.check, BendCheck) else BendCheck(self.run))

    def check_beats(self) -> None:
        """How does the string in hand beat against another? Again ends it."""
        if self.run is None:
            return
        check = None if isinstance(self.check, BeatCheck) else beat_check(self.run)
        if check is None and not isinstance(self.check, BeatCheck):
            name = self.run.called(self.run.procedure.active)
            self.message.emit(f"The {name} agrees with no other string in an octave, unison, fifth or fourth.")
            return
        self._begin_check(check)

    def _begin_check(self, check: Check | None) -> None:
        self.check = check
        if self._worker is not None and self.run is not None:
            if self.guitar is not None:
                self.guitar.damp()
            self._worker.listen_with(check.ear if check is not None else None)
            self._worker.retarget(check.targets if check is not None else self.run.targets)
        self.message.emit(check.what if check is not None else "Back to tuning.")
        self.changed.emit()

    def _ear_heard(self, found: object) -> None:
        if self.check is not None:
            self.check.hear(found)
            self._new = True

    def identify(self) -> None:
        """What is this guitar in? Listens for one strum with no tuning told; again takes the answer as the guitar's state."""
        if self._answer is not None:
            self._take_answer()
            return
        self.catch_strum()
        if self._worker is not None and self.run is not None and not self.run.held:
            self._identifying = True
            self.message.emit("What is it in? Strum all strings once and let them ring for three seconds.")

    def _identified(self, found: Identified) -> None:
        self._answer = found if found.tuning is not None else None
        if found.tuning is None or self.run is None:
            self.message.emit(f"It cannot be told what this guitar is in: {found.problem}.")
            return
        name = self.run.session.state.instrument(self.run.instrument).name
        words = fields.show_tuning(found.tuning)
        off = f", {abs(found.offset_cents or 0):.0f} ¢ {'above' if (found.offset_cents or 0) > 0 else 'below'}"
        count = self.run.session.state.instrument(self.run.instrument).strings
        fits = len(found.tuning) == count
        then = f"F12 again takes that as {name}'s state." if fits else f"{name} has {count} strings."
        if not fits:
            self._answer = None
        self.message.emit(f"This guitar is in {words}{off if abs(found.offset_cents or 0) >= 0.5 else ''}. {then}")

    def _take_answer(self) -> None:
        found, self._answer = self._answer, None
        if self.job is not None and self.job.practice:
            self.message.emit("In practice nothing is taken.")
            return
        if found is None or found.tuning is None or self.run is None or self.job is None:
            return
        name = self.run.session.state.instrument(self.run.instrument).name
        state = self.session.state.tuned(self.run.instrument, found.tuning, now_text(), HEARD_WITHIN)
        try:
            self.session.edit(f"{name} as it was heard", state)
        except UserError as error:
            self.message.emit(f"{error.message()}.")
            return
        self.session.log("identified", {"instrument": self.run.instrument, "tuning": str(found.tuning)})
        job, self.job = self.job, None
        self.begin(job)
        self.message.emit(f"{name} stands in {fields.show_tuning(found.tuning)}: the moves are counted from there.")

    def _caught(self, samples: Samples, rate: int) -> None:
        if self.run is None:
            return
        if self._identifying:
            self._identifying = False
            strings = self.run.session.state.instrument(self.run.instrument).strings
            self._strums.ask(None, lambda _: identify_strum(samples, rate, strings))
            return
        if self.guitar is not None:
            self.guitar.damp()
        targets = Targets(self.run.target, reference=self.run.reference)
        self._strums.ask(self.run, lambda _: read_strum(samples, rate, targets))

    def _strum_read(self, run: TuneRun | None, readings: list[StrumReading] | Identified) -> None:
        if isinstance(readings, Identified):
            self._identified(readings)
            return
        if run is None or run is not self.run:
            return
        try:
            run.hear_strum(self._now, readings)
        except UserError as error:
            self.message.emit(error.message())
        else:
            if run.calibration is None:
                self.message.emit(strum_words(readings, run.left(), run.called))
            elif run.calibration.known is not None:
                self._end_calibration()
            else:
                self.message.emit("Taken. Next: what stands above.")
        self._say_saved()
        self.changed.emit()

    def use_simulated(self) -> None:
        self._switch()

    def use_file(self, path: Path) -> None:
        self._switch(file=path)

    def use_device(self, name: str, channel: int | None = None) -> None:
        """Listens to a sound input: one channel of it, or the clearer one."""
        self._switch(name, channel=channel)

    def _switch(self, device: str | None = None, file: Path | None = None, channel: int | None = None) -> None:
        self.stop()
        self.sources.want(device, file, channel)
        self.listen()
        self.changed.emit()

    def source_for(self, guitar: Instrument) -> SoundSource:
        """What is listened to for a guitar outside a retune, as it stands. Raises UserError."""
        self.stop()
        return self.sources.outside(guitar, self.preferences.reference)

    @property
    def simulated(self) -> bool:
        return self.sources.simulated

    @property
    def guitar(self) -> SimulatedGuitar | None:
        return self.sources.guitar

    def _heard(self, heard: BlockResult) -> None:
        if self.run is None:
            return
        if self.check is not None:
            self._new = True
            return
        targets = self.run.targets
        try:
            self.run.hear(heard)
        except UserError as error:
            self.message.emit(error.message())
        if self._worker is not None and self.run.targets != targets:
            # a string has landed: it is no longer looked for on its way
            self._worker.retarget(self.run.targets)
        if heard.glimpse is not None:
            self._now = heard.glimpse.t
        self._new = True

    def _note_practice(self) -> None:
        """A drill on the bench: the first pass over a floating bridge, or the whole retune against the clock."""
        run, job = self.run, self.job
        if run is None or job is None or not job.practice or self._practised:
            return
        if job.practice == "clock" and run.finished:
            self._practised = True
            self.practised.emit(job.practice, run.seconds)
        elif job.practice == "floating" and run.procedure.checking:
            self._practised = True
            self.practised.emit(job.practice, self._worst(run))

    def _worst(self, run: TuneRun) -> float:
        """Cents of the worst string: the simulated guitar knows, of a real one it is what was heard."""
        strings = [s.string for s in run.procedure.strings]
        if self.guitar is not None and self.simulated:
            return max(abs(100 * (self.guitar.pitch(s) - run.target.pitch(s))) for s in strings)
        return max(abs(run.bench.cents[s]) for s in strings)

    def _say_saved(self) -> None:
        """Tells once that the guitar's new tuning is in the book, and not before it is."""
        if self.run is not None and self.run.saved and not self._told_saved:
            self._told_saved = True
            name = self.run.session.state.instrument(self.run.instrument).name
            self.message.emit(
                f"Every string checked: {name} is in {self.tuning_name()} now, and the book knows. "
                "Page Down goes on to the next song."
            )

    def _paint_if_new(self) -> None:
        self._note_practice()
        self._say_saved()
        if self._new:
            self._new = False
            self.changed.emit()

    def _tick(self) -> None:
        if self._left > 0:
            self._left -= 1
            self.changed.emit()

    # -- actions
    def step(self, by: int) -> None:
        """The next or last string; when every string is checked, on to the next gap of the night."""
        if self.run is None:
            return
        if by > 0 and self.run.procedure.done:
            self.next_wanted.emit()
            return
        self.run.step(by)
        self._other_string()

    def _other_string(self) -> None:
        """Beats are those of the string in hand."""
        if self.run is not None and isinstance(self.check, BeatCheck):
            self._begin_check(beat_check(self.run))
        self.changed.emit()

    def take(self) -> None:
        if self.run is not None and not self.run.held:
            self.message.emit(self.run.take())
            self.changed.emit()

    def select(self, string: int) -> None:
        if self.run is not None:
            self.run.select(string)
            self._other_string()

    def hold(self) -> None:
        if self.run is not None:
            self.run.held = not self.run.held
            self.changed.emit()

    def check_all(self) -> None:
        if self.run is not None:
            self._told_saved = False
            self.run.check_all()
            self.changed.emit()

    @property
    def _simulated(self) -> tuple[TuneRun, SimulatedGuitar] | None:
        """The run and the guitar that can be played here; None where another is listened to."""
        return (self.run, self.guitar) if self.run is not None and self.guitar is not None and self.simulated else None

    def pluck(self) -> None:
        if self._simulated is not None:
            run, guitar = self._simulated
            if self.check is not None:
                self.check.pluck(run, guitar)
            else:
                guitar.pluck(run.procedure.active)

    def damp(self) -> None:
        """Damps every string of the simulated guitar but the one in hand."""
        if self._simulated is not None:
            run, guitar = self._simulated
            guitar.damp(but=run.procedure.active)
            self.message.emit("All strings but the one in hand are damped.")

    def strum(self) -> None:
        if self._simulated is not None:
            run, guitar = self._simulated
            if self.check is not None:
                self.check.strum(run, guitar)
            else:
                guitar.strum()

    def turn(self, cents: float) -> None:
        """Turns the active string's peg on the simulated guitar; a bend that is checked is bent further, or let go."""
        if self._simulated is not None:
            run, guitar = self._simulated
            if self.check is not None:
                self.check.turn(run, guitar, cents)
            else:
                guitar.turn(run.procedure.active, cents)

    # -- what is shown
    def tuning_name(self) -> str:
        return wording.tuning_name(self.run) if self.run is not None else ""

    def heading(self) -> tuple[str, str, str]:
        """(title, what to do, talk left)."""
        if self.job is None or self.run is None:
            return "Nothing to tune yet", "Choose a song in Tonight, or open a gap in the Night view.", ""
        talk = f"{round(self._left)} s of talk left" if self._left > 0 else ""
        if self.check is not None:
            return self.check.title, self.check.what, talk
        if self.run.calibration is not None:
            return self.job.title, wording.calibration(self.run), ""
        return self.job.title, wording.summary(self.run), talk

    def caution(self) -> str:
        """What can go wrong with this retune, where it can."""
        return wording.caution(self.run) if self.run is not None and self.check is None else ""

    def columns(self) -> tuple[Column, ...]:
        if self.run is None:
            return ()
        run, check = self.run, self.check
        found = wording.columns(run, self._now)
        if check is None:
            return found
        return tuple(check.column(run, c) if c.string == run.procedure.active else c for c in found)

    def counts(self) -> str:
        return wording.counts(self.run) if self.run is not None else ""
