"""Tune listens otherwise for a while: how far a bend goes, or how two strings beat. Nothing lands meanwhile."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.app.tune import TuneRun
from juxtatune.core.listening.live.bend import called
from juxtatune.core.listening.live.ear import EAR, Beat, BeatEar, BendEar, Ear, HeardBend
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.notes import pretty, spell
from juxtatune.core.retuning.beats import MEETING, meeting_hz
from juxtatune.core.retuning.references import HeardAgainst, reference_of
from juxtatune.core.sim.guitar import SimulatedGuitar
from juxtatune.qt.widgets.approach_values import Column, figure

STILL = 0.1  # beats a second that are none to the ear
HARMONIC_FRET = {1: 0, 2: 12, 3: 7, 4: 5}  # where a finger touches for a partial
BEND_FASTER = 4.0  # how much faster a finger bends than a peg turns


class BendCheck:
    """Press a string and bend it: how far it went, and what that is called."""

    title = "How far does a bend go?"
    what = "Pick a note and bend it: cents from where it began, and the name. Two strings at once: a unison bend. B ends it."

    def __init__(self, run: TuneRun) -> None:
        self.ear: Ear = BendEar()
        self.targets = Targets(reference=run.reference)  # any note, whatever the strings are in
        self._heard: HeardBend | None = None

    def hear(self, found: object) -> None:
        if isinstance(found, HeardBend):
            self._heard = found

    def column(self, run: TuneRun, plain: Column) -> Column:
        plain = replace(plain, trail=(), ghost=None, held=0.0, form="moving", head="")
        heard = self._heard
        if heard is None or heard.bend.start is None:
            return replace(plain, figure="·", unit="", action="pick a note and bend it", detail="", cents=None)
        b, start = heard.bend, heard.bend.start
        began = pretty(str(spell(start, keep_shift=False)))
        if heard.unison is not None:
            return _unison(plain, heard, heard.unison, began)
        at = b.held if b.held is not None else b.cents
        text, unit = (f"{at:+.0f}".replace("-", "−"), "¢") if abs(at) >= 0.5 else ("0", "¢")
        action = called(at) if b.held is not None else "hold it there" if b.moving else "bend it"
        swing = f", swinging {b.spread:.0f} ¢" if b.held is not None and b.spread > 10 else ""
        most = f" · furthest {b.most:+.0f} ¢".replace("-", "−") if b.moving else ""
        return replace(plain, figure=text, unit=unit, action=action, detail=f"from {began}{swing}{most}", cents=at, sigma=b.sigma)

    def pluck(self, run: TuneRun, guitar: SimulatedGuitar) -> None:
        guitar.pluck(run.procedure.active)

    def strum(self, run: TuneRun, guitar: SimulatedGuitar) -> None:
        """A unison bend waits to be bent: the string in hand and its higher neighbour."""
        guitar.pluck_unison(max(2, run.procedure.active))

    def turn(self, run: TuneRun, guitar: SimulatedGuitar, cents: float) -> None:
        guitar.bend(run.procedure.active, BEND_FASTER * cents)


def _unison(plain: Column, heard: HeardBend, away: float, began: str) -> Column:
    text, unit = figure(away)
    action = "in unison" if abs(away) <= EAR.unison_cents else "too far: let down" if away > 0 else "not there yet: further"
    beats = f" · {heard.beats:.1f} beats a second" if heard.beats >= STILL else ""
    return replace(plain, figure=text, unit=unit, action=action, detail=f"two strings{beats} · from {began}", cents=away, sigma=1.0)


class BeatCheck:
    """Two strings ring: how fast they beat, and which way to turn."""

    def __init__(self, run: TuneRun, reference: HeardAgainst) -> None:
        self.string, self._reference = run.procedure.active, reference
        self._hz = meeting_hz(reference.interval, _stands(run, reference))
        self.ear: Ear = BeatEar(self._hz)
        self.targets = run.targets
        self._beat: Beat | None = None
        fret = f", fret {reference.fret}," if reference.fret else ""
        self.title = f"The {run.called(self.string)} against the {run.called(reference.string)}"
        self.what = (
            f"Let the {run.called(self.string)} and the {run.called(reference.string)}{fret} ring together ({reference.interval}): "
            f"beats slow down as they meet.{self._harmonics(run)} H ends it."
        )

    def hear(self, found: object) -> None:
        if isinstance(found, Beat):
            self._beat = found

    def column(self, run: TuneRun, plain: Column) -> Column:
        plain = replace(plain, trail=(), ghost=None, held=0.0, form="moving")
        b = self._beat
        if b is None:
            return replace(plain, figure="·", unit="", action="let both ring", detail="", cents=None)
        cents = _cents(b.rate, self._hz)
        if abs(b.rate) < STILL:
            return replace(plain, figure="0", unit="beats", action="they agree", detail=self._off(), cents=0.0, form="landed")
        way = "too high: loosen" if b.rate > 0 else "too low: tighten"
        if not b.signed:
            way, cents = "nearly: turn until they stop", 0.0
        detail = f"{abs(_cents(b.rate, self._hz)):.1f} ¢ away" + (f" · {self._off()}" if self._off() else "")
        return replace(plain, figure=f"{abs(b.rate):.1f}", unit="beats a second", action=way, detail=detail, cents=cents)

    def _harmonics(self, run: TuneRun) -> str:
        """The harmonics that meet in a fifth or a fourth, and what they leave."""
        partials, off = MEETING[self._reference.interval], self._reference.beat_free_cents
        if off is None:
            return ""
        one, other = (f"fret {HARMONIC_FRET[n]} of the {run.called(s)}"
                      for n, s in zip(partials, (self.string, self._reference.string), strict=True))  # fmt: skip
        return f" Harmonics: {one} with {other}, {off:+.1f} ¢ off when they agree.".replace("-", "−")

    def _off(self) -> str:
        """What a beatless fifth or fourth leaves."""
        off = self._reference.beat_free_cents
        return f"beatless is {off:+.1f} ¢ off".replace("-", "−") if off is not None else ""

    def pluck(self, run: TuneRun, guitar: SimulatedGuitar) -> None:
        guitar.pluck(self.string)
        guitar.pluck(self._reference.string, fret=self._reference.fret)

    def strum(self, run: TuneRun, guitar: SimulatedGuitar) -> None:
        self.pluck(run, guitar)

    def turn(self, run: TuneRun, guitar: SimulatedGuitar, cents: float) -> None:
        guitar.turn(self.string, cents)


Check = BendCheck | BeatCheck


def beat_check(run: TuneRun) -> BeatCheck | None:
    """Of the string in hand against the best other one; None where no interval agrees."""
    string = run.procedure.active
    own = next((c.reference for c in run.procedure.change.strings if c.string == string), None)
    on = frozenset(s.string for s in run.procedure.strings) - {string}
    found = own or reference_of(run.target, run.target, string, on, frozenset())
    return BeatCheck(run, found) if found is not None else None


def _stands(run: TuneRun, r: HeardAgainst) -> float:
    """Hz at which the reference stands, as it was last read."""
    if r.yet_to_move:
        return run.reference.hz(run.source.pitch(r.string) + r.fret)
    trail = run.trails[r.string]
    off = trail[-1].cents / 100 if trail else 0.0
    return run.reference.hz(run.target.pitch(r.string) + off + r.fret)


def _cents(rate: float, hz: float) -> float:
    """Of so many beats a second between partials near `hz`, to first order."""
    return 1731.234 * rate / hz
