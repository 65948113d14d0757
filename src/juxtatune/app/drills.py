"""What can be practised: each drill asks, judges honestly and gives a score. Nothing of it touches guitars or their costs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.fretboard.refinger import Place
from juxtatune.core.logbook.staircase import Staircase, answered
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.sim.passage import sound_of
from juxtatune.core.sim.synthesis import pluck, render
from juxtatune.core.strings.string import usual_string

RATE = 48000
TONE_S, PAUSE_S = 0.9, 0.25
CHOICES = 4
NAMES_ASKED = 10
LOWEST, HIGHEST = 45, 69  # of the tones that are compared


@dataclass(frozen=True)
class Score:
    """What a drill ended with: a figure, its unit, and words for it."""

    drill: str
    value: float
    unit: str
    words: str


class CentsDrill:
    """Two tones: is the second higher or lower? An adaptive staircase finds the smallest difference that is told."""

    name = "cents"
    title = "Higher or lower?"
    what = "Two tones. Say whether the second is higher (↑) or lower (↓); then its cents are shown. Space plays them again."

    def __init__(self, seed: int, reference: Reference = ISO_16) -> None:
        self._rng, self._reference = np.random.default_rng(seed), reference
        self.staircase, self.said = Staircase(), ""
        self._next()

    def _next(self) -> None:
        self._pitch = float(self._rng.integers(LOWEST, HIGHEST))
        self.sign = 1 if self._rng.random() < 0.5 else -1

    def sound(self) -> NDArray[np.float64]:
        """Samples (k,) of the two tones at RATE."""
        hz = self._reference.hz(self._pitch)
        pair = []
        for cents in (0.0, self.sign * self.staircase.cents):
            count = round(TONE_S * RATE)
            voice = pluck(self._rng, hz, usual_string(hz).inharmonicity(hz), RATE)
            voice.glide_cents = 0.0
            tone = render(voice, np.full(count, cents), hz, RATE)
            tone[-480:] *= np.linspace(1, 0, 480)
            pair += [tone, np.zeros(round(PAUSE_S * RATE))]
        out = np.concatenate(pair)
        return 0.2 * out / max(1e-9, float(np.max(np.abs(out))))

    def answer(self, higher: bool) -> None:
        correct = higher is (self.sign > 0)
        cents, way = self.staircase.cents, "higher" if self.sign > 0 else "lower"
        self.said = f"{'Right' if correct else 'No'}: it was {cents:.1f} ¢ {way}."
        self.staircase = answered(self.staircase, correct)
        self._next()

    @property
    def done(self) -> bool:
        return self.staircase.done

    @property
    def left(self) -> str:
        return f"{len(self.staircase.turned)} of 8 turns, now at {self.staircase.cents:.1f} ¢"

    def score(self) -> Score:
        found = self.staircase.threshold or self.staircase.cents
        return Score(self.name, found, "¢", f"You tell {found:.1f} ¢ seven times in ten, after {self.staircase.asked} pairs.")


class NameDrill:
    """All open strings are strummed: which tuning is it?"""

    name = "names"
    title = "Which tuning is it?"
    what = "A guitar is strummed. Press the number of its tuning; Space strums it again."

    def __init__(self, seed: int, tunings: tuple[tuple[str, Tuning], ...] = (), reference: Reference = ISO_16) -> None:
        self._rng, self._reference = np.random.default_rng(seed), reference
        self._all = tunings or tuple((e.name, e.tuning) for e in CATALOGUE if len(e.tuning) == 6)
        self.asked = self.right = 0
        self.said = ""
        self._next()

    def _next(self) -> None:
        picked = self._rng.choice(len(self._all), size=min(CHOICES, len(self._all)), replace=False)
        self.choices = tuple(self._all[int(k)][0] for k in picked)
        self._answer = int(self._rng.integers(len(picked)))
        self._tuning = self._all[int(picked[self._answer])][1]

    def sound(self) -> NDArray[np.float64]:
        event = tuple(Place(s, 0) for s in self._tuning.strings)
        return sound_of(self._tuning, [event], TONE_S, reference=self._reference, seed=int(self._rng.integers(1 << 30)))

    def answer(self, choice: int) -> None:
        """`choice` counts from 0; another number answers nothing."""
        if not 0 <= choice < len(self.choices):
            return
        correct = choice == self._answer
        self.asked, self.right = self.asked + 1, self.right + correct
        self.said = f"{'Right' if correct else 'No'}: {self.choices[self._answer]}."
        self._next()

    @property
    def done(self) -> bool:
        return self.asked >= NAMES_ASKED

    @property
    def left(self) -> str:
        return f"{self.right} of {self.asked} right, {NAMES_ASKED} are asked"

    def score(self) -> Score:
        share = 100 * self.right / max(1, self.asked)
        return Score(self.name, share, "%", f"{self.right} of {self.asked} right.")


class EarDrill:
    """Two strings an octave or a unison apart, one off: turn its peg until they stop beating, without a display."""

    name = "ear"
    title = "Until it stops beating"
    what = "Two strings, one of them off. ←→ turn its peg (Shift finely), Space lets both ring, Enter when they agree."
    rounds = 3

    def __init__(self, seed: int, reference: Reference = ISO_16) -> None:
        self._rng, self._reference = np.random.default_rng(seed), reference
        self.left_over: list[float] = []  # cents, of the rounds that are over
        self.said = ""
        self._next()

    def _next(self) -> None:
        self._pitch = float(self._rng.integers(45, 57))
        self.octave = bool(self._rng.random() < 0.5)
        self.cents = float(self._rng.uniform(8, 35) * self._rng.choice([-1, 1]))

    def turn(self, cents: float) -> None:
        self.cents += cents

    def sound(self) -> NDArray[np.float64]:
        out = np.zeros(round(2.2 * RATE))
        for pitch, cents in ((self._pitch + 12 * self.octave, 0.0), (self._pitch, self.cents)):
            hz = self._reference.hz(pitch)
            voice = pluck(self._rng, hz, usual_string(hz).inharmonicity(hz), RATE)
            out += render(voice, np.full(len(out), cents), hz, RATE)
        out[-480:] *= np.linspace(1, 0, 480)
        return 0.2 * out / max(1e-9, float(np.max(np.abs(out))))

    def end_round(self) -> None:
        self.left_over.append(abs(self.cents))
        self.said = f"It was {abs(self.cents):.1f} ¢ {'high' if self.cents > 0 else 'low'}."
        self._next()

    @property
    def done(self) -> bool:
        return len(self.left_over) >= self.rounds

    @property
    def left(self) -> str:
        kind = "an octave" if self.octave else "a unison"
        return f"{kind}; {len(self.left_over)} of {self.rounds} done"

    def score(self) -> Score:
        mean = sum(self.left_over) / max(1, len(self.left_over))
        return Score(self.name, mean, "¢", f"{mean:.1f} ¢ off on average, without a display.")


Drill = CentsDrill | NameDrill | EarDrill
BY_SOUND: tuple[type[CentsDrill] | type[NameDrill] | type[EarDrill], ...] = (CentsDrill, NameDrill, EarDrill)
# drills on the bench: how they are called, what to do, and the unit of their score
ON_BENCH = {
    "clock": ("Against the clock", "One of tonight's retunes, from the first pick to the last string checked.", "s"),
    "floating": ("A floating bridge in one pass", "Half a step down on a floating bridge: set every string once, to what it must "
                 "read. The score is the worst string after that pass.", "¢"),
}  # fmt: skip
