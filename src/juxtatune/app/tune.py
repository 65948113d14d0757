"""Tuning one guitar for one song: follows what is heard, and writes the guitar's new state to the book."""

from __future__ import annotations

import json
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol

from juxtatune.app.bench import AIM_STEP, Bench
from juxtatune.app.calibration import Calibration
from juxtatune.app.calling import Calling
from juxtatune.app.moments import now_text
from juxtatune.app.tuning_names import show_tuning
from juxtatune.book.state import BookState
from juxtatune.book.writer import Ticket
from juxtatune.core.errors import UserError
from juxtatune.core.listening.assignment.beam import on_string
from juxtatune.core.listening.live.frame_pitch import PitchFrame
from juxtatune.core.listening.live.listener import BlockResult
from juxtatune.core.listening.strum.read import StrumReading
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.notes import Note
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.sweet import sweetened
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning import procedure
from juxtatune.core.retuning.change import Change, StringChange, change
from juxtatune.core.retuning.procedure import Procedure, Rules, Status
from juxtatune.core.strings.instrument import Instrument

NEAR, FASTEST = 60.0, 400.0  # cents; cents in a second
ATTACK_S = 0.45  # after an attack a string may be taken for the one in hand for so long
STALE_S = 0.2  # and for so long what is heard may still be the sound before it
RISE_DB = 6.0  # a rise of the level that is an attack
TRAIL = 400  # readings kept for each string
BLUR_S = 0.5  # a sure reading is so old at most
FRESH_S, SILENT_S = 0.5, 0.25  # after a pick a reading is news of where the string stood, not of a turned peg
HEARD_STEP = 25.0  # cents
THERE = (Status.STAYS, Status.LANDED, Status.CHECKED, Status.OFF)  # at the new pitch, or close to it


@dataclass(frozen=True)
class Point:
    """One reading of a trail: time in s, cents against the target, 1σ in cents."""

    t: float
    cents: float
    sigma: float


@dataclass(frozen=True)
class Job:
    """What is to be tuned: a guitar to a tuning for a song, with seconds of talk before it."""

    song: str
    title: str
    instrument: str
    target: Tuning
    cover_s: float
    in_play: tuple[int, ...] = ()  # strings that the song uses; all where none are named
    practice: str = ""  # which drill this is; nothing of it is kept
    begins_in: Tuning | None = None  # where the guitar of a drill stands


class Keeper(Protocol):
    """Where a run finds its guitar and keeps what happens: the session, or in practice what stands in for it."""

    state: BookState

    def edit(self, label: str, new: BookState) -> None: ...

    def log(self, kind: str, data: dict[str, Any]) -> Ticket | None: ...


class TuneRun:
    """One retune of one guitar. Main thread only."""

    def __init__(self, session: Keeper, instrument: str, target: Tuning, song: str = "",
                 rules: Rules | None = None, reference: Reference = ISO_16, attack: bool = False,
                 calling: Calling | None = None, in_play: Sequence[int] = (), sweet: float = 0.0) -> None:  # fmt: skip
        self.session, self.instrument, self.song = session, instrument, song
        self.calling = calling or Calling()
        guitar = session.state.instrument(instrument)
        # what the book calls them, and what strings must read: open chords may be sweetened
        self.began, self.goal = guitar.tuning, target
        self.source, self.target = sweetened(guitar.tuning, sweet), sweetened(target, sweet)
        self.reference, self.attack = reference, attack
        start = {s: 100 * (self.source.pitch(s) - self.target.pitch(s)) for s in target.strings}
        self.bench = Bench(guitar, self.target, start, _taught(guitar))
        self.aims: dict[int, float] = {}  # what strings must read when they are set, cents above their final targets
        self.calibration: Calibration | None = None
        self.passes = 1
        self._in_play, self._off = tuple(in_play), guitar.setup.off
        self.procedure: Procedure = self._first_pass(change(self.source, self.target), rules)
        self.trails: dict[int, deque[Point]] = {s: deque(maxlen=TRAIL) for s in target.strings}
        self.last: dict[int, Reading] = {}
        self.declined: str | None = None
        self.unread: dict[int, str] = {}  # strings of the last strum that could not be told apart, and why
        self.together: tuple[int, int] | None = None  # strings that ring at once
        self.held = False
        self.finished = False  # every string was checked, and the guitar's new tuning is an edit
        self._ticket: Ticket | None = None
        self._sounding: int | None = None  # the string that rings
        self._sure = (0.0, 0, 0.0, 0.0)  # the newest sure reading: s, string, cents, 1σ
        self._before: int | None = None  # the one that rang before the last attack
        self._attacked = -1.0  # when that was, s
        self._level = self._loud = -120.0
        self._picked = -1.0
        self._first: float | None = None  # when the first and the newest reading were, s
        self._newest = 0.0

    def _first_pass(self, moves: Change, rules: Rules | None) -> Procedure:
        if not self.bench.floating or not moves.strings:
            return procedure.begin(moves, rules, in_play=self._in_play, off=self._off)
        return self._pass(moves, rules, self.bench.order)

    def _pass(self, moves: Change, rules: Rules | None, strings: Sequence[int]) -> Procedure:
        """A pass over strings that a floating bridge moves: each is set to what it must read for all to end right."""
        self.aims = {s: self.bench.aim(s) for s in strings}
        start = {s: self.bench.cents[s] - self.aims[s] for s in strings}
        return procedure.begin(moves, rules, start, strings, self._in_play, self._off)

    def aim(self, string: int) -> float:
        return self.aims.get(string, 0.0)

    @property
    def saved(self) -> bool:
        """Whether the guitar's new tuning is on the disk."""
        return self._ticket is not None and self._ticket.saved

    @property
    def targets(self) -> Targets:
        """What to listen for: strings may lie anywhere between the old tuning and the new, unless they have landed.

        On a floating bridge that is between where the others have brought a string and what it must read when it is set.
        """
        there = [s in self._off or self.procedure.state(s).status in THERE for s in self.target.strings]
        if not self.aims:
            notes = zip(there, self.target.notes, self.source.notes, strict=True)
            return Targets(self.target, Tuning(tuple(new if t else old for t, new, old in notes)), self.reference)
        goal = Tuning(tuple(_near(n, self.aim(s)) for s, n in zip(self.target.strings, self.target.notes, strict=True)))
        now = (_near(n, self.bench.cents[s]) for s, n in zip(self.target.strings, self.target.notes, strict=True))
        pairs = zip(there, goal.notes, now, strict=True)
        return Targets(goal, Tuning(tuple(new if t else old for t, new, old in pairs)), self.reference)

    def hear(self, heard: BlockResult) -> None:
        """Takes in what a block of sound brought."""
        if self.held:
            return
        self.together = heard.together
        self._note_attack(heard)
        g = heard.glimpse
        if g is not None and g.string is not None and g.cents is not None:
            string = self._in_hand(g.pitch, g.string, g.t)
            if string not in self._off:
                self._take(g, string)
        for reading in heard.settled:
            self._settled(reading)
        self._finish()

    def _take(self, g: PitchFrame, string: int) -> None:
        cents = (g.pitch - self.target.pitch(string)) * 100 + self._counted(string)
        self.unread.pop(string, None)
        self._note_time(g.t)
        fresh = self._is_fresh(g, string)
        self.trails[string].append(Point(g.t, cents, g.sigma_cents))
        attacked = self._takes_hand(string, g.t)
        if string != self._sounding:
            self._undo_blur(g.t)
        self._sounding = string
        if self.calibration is not None:
            self.procedure = procedure.hear(
                self.procedure, g.t, string, cents - self.aim(string), g.sigma_cents, g.level_db, attacked
            )
            return
        if g.sigma_cents <= self.procedure.rules.surest:
            self._shift(self.bench.heard(string, cents, fresh))
        self._renew_aims()
        self.procedure = procedure.hear(
            self.procedure, g.t, string, cents - self.aim(string), g.sigma_cents, g.level_db, attacked
        )
        self._note_sure(g, string)
        self._after_pass()

    def _note_sure(self, g: PitchFrame, string: int) -> None:
        """Keeps the newest reading that is about as sure as those just before it."""
        at, last, _, sigma = self._sure
        as_sure = string != last or g.t - at > BLUR_S or g.sigma_cents <= 3 * sigma
        cents = self.procedure.state(string).cents
        if as_sure and g.sigma_cents <= self.procedure.rules.surest and cents is not None:
            self._sure = (g.t, string, cents, g.sigma_cents)

    def _undo_blur(self, t: float) -> None:
        """As another string begins, a look may hold both: what was surely heard of the one before counts, where they agree."""
        at, string, cents, sigma = self._sure
        if string != self._sounding or t - at > BLUR_S:
            return
        blurred = self.procedure.state(string)
        if blurred.cents is not None and (blurred.sigma or 0.0) > max(2 * sigma, abs(blurred.cents - cents) / 2):
            self.procedure = procedure.reread(self.procedure, string, cents, sigma)

    def _note_time(self, t: float) -> None:
        self._first = t if self._first is None else self._first
        self._newest = t

    @property
    def seconds(self) -> float:
        """From the first reading to the newest."""
        return self._newest - self._first if self._first is not None else 0.0

    def _is_fresh(self, g: PitchFrame, string: int) -> bool:
        """Whether the string was picked just now; an onset alone may be a peg that is turned fast."""
        trail = self.trails[string]
        silent = not trail or g.t - trail[-1].t > SILENT_S
        if string != self._sounding or silent or g.level_db > self._loud + RISE_DB:
            self._picked = g.t
        self._loud = g.level_db
        return g.t - self._picked < FRESH_S

    def _shift(self, shifts: Mapping[int, float]) -> None:
        """Strings that another has moved: one that has landed goes where it was meant to go."""
        meant = {
            s for s in self.aims if not self.procedure.checking and self.procedure.state(s).status is Status.LANDED
        }
        for s in meant & shifts.keys():
            self.aims[s] += shifts[s]
        on = {s: by for s, by in shifts.items() if s not in meant and s not in self._off}
        if on:
            self.procedure = procedure.moved(self.procedure, on)

    def _renew_aims(self) -> None:
        """What strings must read follows what was learned; in the check all must read their final targets."""
        if self.procedure.checking:
            if self.aims:
                self._begin_check()
            return
        for s in self.aims:
            if self.procedure.state(s).status in (Status.TO_GO, Status.FROM_ABOVE):
                new = self.bench.aim(s)
                if abs(new - self.aims[s]) > AIM_STEP:
                    self.procedure = procedure.moved(self.procedure, {s: self.aims[s] - new})
                    self.aims[s] = new

    def _begin_check(self) -> None:
        """All strings are to be read; those that the pass left alone, and that it has moved out of tune since, are set first."""
        p = self.procedure
        out = [s for s in self.bench.order if s not in p.moving and abs(self.bench.cents[s]) > p.rules.of(s).recheck]
        if out:
            self.procedure = self._pass(p.change, p.rules, out)
            return
        self.procedure = procedure.moved(p, self.aims)
        self.aims = {}

    def _after_pass(self) -> None:
        """On a floating bridge strings that the check found off are a pass of their own."""
        p = self.procedure
        self._renew_aims()
        if not (p.checking and self.bench.floating) or p.done:
            return
        read = [s for s in p.strings if p.plays(s.string)]
        if any(s.status not in (Status.CHECKED, Status.OFF) for s in read):
            return
        out = [s for s in self.bench.order if abs(self.bench.aim(s) - self.bench.cents[s]) > p.rules.of(s).tolerance / 2]
        if out:
            self.passes += 1
            self.procedure = self._pass(p.change, p.rules, out)

    def _note_attack(self, heard: BlockResult) -> None:
        """Marks a new attack: an onset, or a leap of the level."""
        at = heard.onset if heard.onset is not None and heard.onset > self._attacked + 0.12 else None
        g = heard.glimpse
        if at is None and g is not None and g.level_db > self._level + RISE_DB and g.t > self._attacked + ATTACK_S:
            at = g.t
        if g is not None:
            self._level = g.level_db
        if at is not None:
            self._attacked, self._before = at, self._sounding

    def _just_attacked(self, t: float) -> bool:
        return self._sounding is None or 0 <= t - self._attacked < ATTACK_S

    def _takes_hand(self, string: int, t: float) -> bool:
        """Only a new attack moves the selection; just after it the sound before it may still be heard."""
        if not self._just_attacked(t):
            return False
        return string != self._before or t - self._attacked > STALE_S

    def hear_strum(self, t: float, readings: list[StrumReading]) -> None:
        """Takes in all strings of a strum at once, at time t (s)."""
        if self.held:
            return
        self.unread = {r.string: r.problem for r in readings if r.problem}
        self._note_time(t)
        if self.calibration is not None:
            problem = self._calibrated(readings)
            if problem:
                raise UserError(problem)
            return
        for r in readings:
            if r.cents is not None and r.sigma_cents is not None:
                cents = r.cents + self._counted(r.string)
                self.trails[r.string].append(Point(t, cents, r.sigma_cents))
                self.bench.heard(r.string, cents, True)
                self.procedure = procedure.hear_strum(self.procedure, r.string, cents - self.aim(r.string), r.sigma_cents)
        read = {str(r.string): round(r.cents, 3) for r in readings if r.cents is not None}
        self.session.log("strum", {"instrument": self.instrument, "cents": read})
        self._after_pass()
        self.procedure = procedure.step(self.procedure, 1)
        self._finish()

    def _in_hand(self, pitch: float, heard: int, t: float) -> int:
        """Keeps to the string in hand where its way to the target holds the pitch as well as another's.

        No peg is turned faster than `FASTEST`: a greater leap is another string.
        """
        just = self._just_attacked(t) or self._sounding is None
        active = self.procedure.active if just else self._sounding or self.procedure.active
        low, high = self.targets.span(active)
        if active != heard and active in self.procedure.moving and low <= pitch <= high:
            trail = self.trails[active]
            leap = abs((pitch - self.target.pitch(active)) * 100 - trail[-1].cents) if trail else 0.0
            if trail and leap < NEAR:
                return active
            if trail and leap > NEAR + FASTEST * (t - trail[-1].t):
                return heard
            here = min(abs(pitch - self.source.pitch(active)), abs(pitch - self.target.pitch(active)))
            there = min(abs(pitch - self.source.pitch(heard)), abs(pitch - self.target.pitch(heard)))
            if here <= there:
                return active
        return heard

    def excess(self, string: int) -> float | None:
        """By how many cents the attack of the string's last pluck lay above where it settled."""
        last = self.last.get(string)
        if last is None or last.attack_cents is None or last.cents is None:
            return None
        return last.attack_cents - last.cents

    def _counted(self, string: int) -> float:
        """Cents from the settled pitch to the moment that counts."""
        return (self.excess(string) or 0.0) if self.attack else 0.0

    def _followed(self, reading: Reading, heard: int) -> int:
        """The string whose trail passed the pitch while the pluck rang."""
        assert reading.pitch is not None
        for string, trail in self.trails.items():
            cents = (reading.pitch - self.target.pitch(string)) * 100
            if any(reading.start < p.t < reading.end + 0.2 and abs(p.cents - cents) < NEAR for p in trail):
                return string
        return heard

    def _settled(self, reading: Reading) -> None:
        if reading.string is None or reading.cents is None:
            self.declined = reading.problem
            return
        self.declined = None
        string = reading.string
        if reading.pitch is not None:
            string = self._followed(reading, string)
            reading = on_string(reading, string, self.targets)
        self.last[string] = reading
        self.session.log("pluck", {
            "instrument": self.instrument, "string": string, "target": str(reading.target),
            "cents": round(reading.cents or 0.0, 3), "sigma": round(reading.sigma_cents or 0.0, 3),
        })  # fmt: skip

    def _finish(self) -> None:
        if self.finished or self.calibration is not None or not self.procedure.done:
            return
        self.finished = True
        state = self.session.state
        guitar = state.instrument(self.instrument)
        label = f"{guitar.name} in {show_tuning(self.goal)}"
        sigmas = [s.sigma for s in self.procedure.strings if s.sigma is not None]
        certain = round(max(sigmas, default=self.procedure.rules.recheck), 2)
        new = state.tuned(self.instrument, self.goal, now_text(), certain)
        if self.bench.moves:
            tuned = new.instrument(self.instrument)
            new = new.with_instrument(replace(tuned, setup=replace(tuned.setup, taught=json.dumps(self.bench.taught()))))
        self.session.edit(label, new)
        moved = [{"string": c.string, "semitones": c.semitones} for c in self.procedure.change.strings]
        self._ticket = self.session.log(
            "retune",
            {"instrument": self.instrument, "from": str(self.began), "to": str(self.goal), "song": self.song, "moved": moved,
             "passes": self.passes, "checked": len(self.procedure.strings),
             "seconds": round(self.seconds, 1)},
        )  # fmt: skip

    def calibrate(self) -> None:
        """From now on strings are moved to learn what the bridge does; nothing is judged or saved but what was learned."""
        self.calibration = Calibration(self.bench.model(), self.target, tuple(s.string for s in self.procedure.strings))
        self._calibrate_step()

    def _calibrate_step(self) -> None:
        assert self.calibration is not None
        wanted = self.calibration.wanted
        self.aims = {} if wanted is None else {wanted[0]: wanted[1]}
        moves = change(self.target, self.target)
        start = {s: self.bench.cents[s] - to for s, to in self.aims.items()}
        self.procedure = procedure.begin(moves, self.procedure.rules, start, tuple(start), off=self._off)

    def _calibrated(self, readings: list[StrumReading]) -> str:
        """One strum of the calibration: what went wrong with it, in words, or nothing."""
        assert self.calibration is not None
        problem = self.calibration.strummed({r.string: r.cents for r in readings if r.string not in self._off})
        for r in readings:
            if r.cents is not None:
                self.bench.cents[r.string] = r.cents
        known = self.calibration.known
        if known is None:
            self._calibrate_step()
            return problem
        guitar = self.session.state.instrument(self.instrument)
        new = replace(guitar, setup=replace(guitar.setup, taught=json.dumps(known)))
        self.session.edit(f"The bridge of {guitar.name}", self.session.state.with_instrument(new))
        self.session.log("calibration", {"instrument": self.instrument, "strums": self.calibration.done_steps})
        return ""

    def called(self, string: int) -> str:
        return self.calling.string(string, self.target)

    def select(self, string: int) -> None:
        self.procedure = procedure.select(self.procedure, string)

    def step(self, by: int) -> None:
        self.procedure = procedure.step(self.procedure, by)

    def take(self) -> str:
        """Takes the string in hand as it is, which the log keeps; what was done, in words."""
        string = self.procedure.active
        state = self.procedure.state(string)
        cents = state.cents + self.aim(string) if state.cents is not None else None
        self.session.log("taken", {
            "instrument": self.instrument, "string": string, "cents": round(cents, 2) if cents is not None else None,
        })  # fmt: skip
        self.procedure = procedure.step(procedure.take(self.procedure, string), 1)
        self._renew_aims()
        self._finish()
        where = f", {away_words(cents)}" if cents is not None else ", unread"
        return f"The {self.called(string)} is taken as it is{where}; the log says so."

    def check_all(self) -> None:
        self.finished, self._ticket = False, None
        self.procedure = procedure.check_all(self.procedure)

    def summary(self) -> str:
        """Which strings move, which way and how far, in a sentence."""
        moves = self.procedure.change.strings
        name = self.session.state.instrument(self.instrument).name
        way = f"{name}, {show_tuning(self.began)} to {show_tuning(self.goal)}"
        if not moves:
            return f"{name} stays in {show_tuning(self.goal)}. Check every string."
        return f"{way}: {_moves(moves, self.called)}."


    def left(self) -> str:
        """Which strings still want something and why: `the 3rd is 7.0 ¢ above`."""
        p = self.procedure
        parts = []
        for s in p.strings:
            name = f"the {self.called(s.string)}"
            where = away_words(s.cents) if s.cents is not None else ""
            if procedure.reads_off(p, s.string):
                parts.append(f"{name} reads {where}: play it again")
            elif s.slipped and s.status is Status.TO_GO:
                parts.append(f"{name} had landed and is out again, {where}")
            elif s.status is Status.OFF:
                parts.append(f"{name} is {where}")
            elif s.status is Status.FROM_ABOVE:
                parts.append(f"{name} came from above")
            elif s.status is Status.TO_GO:
                inside = s.cents is not None and abs(s.cents) <= p.rules.of(s.string).tolerance
                why = f"is {where}" if where and not inside else "must be held there" if inside else "is to go"
                parts.append(f"{name} {why}")
            elif p.checking and s.status is not Status.CHECKED:
                parts.append(f"{name} is to be checked")
        return "; ".join(parts)


def _taught(guitar: Instrument) -> dict[str, object] | None:
    """What was learned about a guitar's bridge; None where nothing was, or it cannot be read."""
    try:
        found = json.loads(guitar.setup.taught or "null")
    except (ValueError, RecursionError):
        return None
    return found if isinstance(found, dict) else None


def _near(note: Note, cents: float) -> Note:
    """A note moved by about so many cents, in steps that do not turn the listener's head at every reading."""
    return replace(note, shift=note.shift + HEARD_STEP * round(cents / HEARD_STEP))


def away_words(cents: float) -> str:
    """`7.0 ¢ above`, `2 half steps below`."""
    side = "above" if cents > 0 else "below"
    if abs(cents) < 75:
        return f"{abs(cents):.1f} ¢ {side}"
    steps = abs(cents) / 100
    text = f"{steps:.0f}" if abs(steps - round(steps)) <= 0.08 else f"{steps:.1f}"
    return f"{text} half step{'' if text == '1' else 's'} {side}"


def strum_words(readings: list[StrumReading], left: str, called: Callable[[int], str]) -> str:
    """What a strum brought, in a sentence, and what is left to do."""
    unread = [called(r.string) for r in readings if r.cents is None]
    if len(unread) == len(readings):
        return "No string could be told apart: strum again, all strings, and let them ring."
    rest = f" Left: {left}." if left else ""
    if not unread:
        return f"All strings read from one strum.{rest}"
    return f"{len(readings) - len(unread)} strings read from one strum. Play alone: the {', the '.join(unread)}.{rest}"


def _moves(moves: tuple[StringChange, ...], called: Callable[[int], str]) -> str:
    """The moves in words, the commonest one said once for all its strings."""
    steps = {c.string: half_steps(c.semitones) for c in moves}
    words = list(steps.values())
    common = max(words, key=words.count)
    if words.count(common) < 3:
        return ", ".join(f"{called(s)}: {word}" for s, word in steps.items())
    alike = [s for s, word in steps.items() if word == common]
    rest = [f"{called(s)}: {word}" for s, word in steps.items() if word != common]
    run = alike == list(range(alike[0], alike[-1] - 1, -1))
    together = f"{called(alike[0])} to {called(alike[-1])}" if run else ", ".join(map(called, alike))
    return ", ".join([*rest, f"{together}: {common}"])


def half_steps(semitones: float) -> str:
    """`2 half steps down`."""
    size = abs(semitones)
    if abs(size - round(size)) > 0.005:
        return f"{round(size * 100)} ¢ {'up' if semitones > 0 else 'down'}"
    count = "a half step" if round(size) == 1 else f"{round(size)} half steps"
    return f"{count} {'up' if semitones > 0 else 'down'}"

