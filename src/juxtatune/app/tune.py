"""Tuning one guitar for one song: follows what is heard, and writes the guitar's new state to the book."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from juxtatune.app.session import Session
from juxtatune.core.listening.listener import Heard
from juxtatune.core.listening.pluck import Reading, Targets
from juxtatune.core.listening.strum import StrumReading
from juxtatune.core.listening.whose import on_string
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning import procedure
from juxtatune.core.retuning.change import StringChange, change
from juxtatune.core.retuning.procedure import Procedure, Rules, Status

NEAR, FASTEST = 60.0, 400.0  # cents; cents in a second
TRAIL = 400  # readings kept for each string
THERE = (Status.STAYS, Status.LANDED, Status.CHECKED, Status.OFF)  # at the new pitch, or close to it


@dataclass(frozen=True)
class Point:
    """One reading of a trail: time in s, cents against the target, 1σ in cents."""

    t: float
    cents: float
    sigma: float


class TuneRun:
    """One retune of one guitar. Main thread only."""

    def __init__(self, session: Session, instrument: str, target: Tuning, song: str = "",
                 rules: Rules | None = None, reference: Reference = ISO_16, attack: bool = False) -> None:  # fmt: skip
        self.session, self.instrument, self.song = session, instrument, song
        self.source = session.state.instrument(instrument).tuning
        self.target, self.reference, self.attack = target, reference, attack
        self.procedure: Procedure = procedure.begin(change(self.source, target), rules)
        self.trails: dict[int, deque[Point]] = {s: deque(maxlen=TRAIL) for s in target.strings}
        self.last: dict[int, Reading] = {}
        self.declined: str | None = None
        self.unread: dict[int, str] = {}  # strings of the last strum that could not be told apart, and why
        self.together: tuple[int, int] | None = None  # strings that ring at once
        self.held = False
        self.saved = False

    @property
    def targets(self) -> Targets:
        """What to listen for: strings may lie anywhere between the old tuning and the new, unless they have landed."""
        there = [self.procedure.state(s).status in THERE for s in self.target.strings]
        notes = zip(there, self.target.notes, self.source.notes, strict=True)
        return Targets(self.target, Tuning(tuple(new if t else old for t, new, old in notes)), self.reference)

    def hear(self, heard: Heard) -> None:
        """Takes in what a block of sound brought."""
        if self.held:
            return
        self.together = heard.together
        g = heard.glimpse
        if g is not None and g.string is not None and g.cents is not None:
            string = self._in_hand(g.pitch, g.string, g.t)
            cents = (g.pitch - self.target.pitch(string)) * 100 + self._counted(string)
            self.unread.pop(string, None)
            self.trails[string].append(Point(g.t, cents, g.sigma_cents))
            self.procedure = procedure.hear(self.procedure, g.t, string, cents, g.sigma_cents, g.level_db)
        for reading in heard.settled:
            self._settled(reading)
        self._finish()

    def hear_strum(self, t: float, readings: list[StrumReading]) -> None:
        """Takes in all strings of a strum at once, at time t (s)."""
        if self.held:
            return
        self.unread = {r.string: r.problem for r in readings if r.problem}
        for r in readings:
            if r.cents is not None and r.sigma_cents is not None:
                cents = r.cents + self._counted(r.string)
                self.trails[r.string].append(Point(t, cents, r.sigma_cents))
                self.procedure = procedure.hear_strum(self.procedure, r.string, cents, r.sigma_cents)
        read = {str(r.string): round(r.cents, 3) for r in readings if r.cents is not None}
        self.session.log("strum", {"instrument": self.instrument, "cents": read})
        self.procedure = procedure.step(self.procedure, 1)
        self._finish()

    def _in_hand(self, pitch: float, heard: int, t: float) -> int:
        """Keeps to the string in hand where its way to the target holds the pitch as well as another's.

        No peg is turned faster than `FASTEST`: a greater leap is another string.
        """
        active = self.procedure.active
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
        if self.saved or not self.procedure.done:
            return
        self.saved = True
        state = self.session.state
        guitar = state.instrument(self.instrument)
        label = f"{guitar.name} in {name_tuning(self.target).name}"
        self.session.edit(label, state.tuned(self.instrument, self.target))
        moved = [{"string": c.string, "semitones": c.semitones} for c in self.procedure.change.strings]
        self.session.log(
            "retune",
            {"instrument": self.instrument, "to": str(self.target), "song": self.song, "moved": moved},
        )

    def select(self, string: int) -> None:
        self.procedure = procedure.select(self.procedure, string)

    def step(self, by: int) -> None:
        self.procedure = procedure.step(self.procedure, by)

    def check_all(self) -> None:
        self.saved = False
        self.procedure = procedure.check_all(self.procedure)

    def summary(self) -> str:
        """Which strings move, which way and how far, in a sentence."""
        moves = self.procedure.change.strings
        name = self.session.state.instrument(self.instrument).name
        way = f"{name}, {name_tuning(self.source).name} to {name_tuning(self.target).name}"
        if not moves:
            return f"{name} stays in {name_tuning(self.target).name}. Check every string."
        return f"{way}: {_moves(moves)}."


def strum_words(readings: list[StrumReading]) -> str:
    """What a strum brought, in a sentence."""
    left = [ordinal(r.string) for r in readings if r.cents is None]
    if len(left) == len(readings):
        return "No string could be told apart: strum again, all strings, and let them ring."
    if not left:
        return "All strings read from one strum."
    return f"{len(readings) - len(left)} strings read from one strum. Play alone: the {', the '.join(left)}."


def _moves(moves: tuple[StringChange, ...]) -> str:
    """The moves in words, the commonest one said once for all its strings."""
    steps = {c.string: half_steps(c.semitones) for c in moves}
    words = list(steps.values())
    common = max(words, key=words.count)
    if words.count(common) < 3:
        return ", ".join(f"{ordinal(s)} {word}" for s, word in steps.items())
    alike = [s for s, word in steps.items() if word == common]
    rest = [f"{ordinal(s)} {word}" for s, word in steps.items() if word != common]
    run = alike == list(range(alike[0], alike[-1] - 1, -1))
    together = f"{ordinal(alike[0])} to {ordinal(alike[-1])}" if run else ", ".join(map(ordinal, alike))
    return ", ".join([*rest, f"{together} {common}"])


def half_steps(semitones: float) -> str:
    """`2 half steps down`."""
    size = abs(semitones)
    if abs(size - round(size)) > 0.005:
        return f"{round(size * 100)} ¢ {'up' if semitones > 0 else 'down'}"
    count = "a half step" if round(size) == 1 else f"{round(size)} half steps"
    return f"{count} {'up' if semitones > 0 else 'down'}"


def ordinal(string: int) -> str:
    return {1: "1st", 2: "2nd", 3: "3rd"}.get(string, f"{string}th")
