"""What one string does to the others while a guitar is tuned: where each stands, what it must read when it is set, ghosts."""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass, field

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning.led import known_of, with_known
from juxtatune.core.strings.coupling import NOISE_CENTS, BridgeModel, Moved, start_model
from juxtatune.core.strings.instrument import Instrument

STEADY = 0.7  # cents within which a string that rings is not being turned
FOLLOWS = 25.0  # cents from one reading to the next that a turned peg may make
LEARNED_FROM = 8.0  # cents that a string must have moved for its neighbours to teach something
LONGEST, KEPT = 8, 48  # sets between two readings, and moves, that are learned from
TOLD_SD = 4.0  # cents: how far a string may be from where the book says
AIM_STEP = 0.5  # cents by which what a string must read may differ before it is shown anew


@dataclass
class Bench:
    """Follows every string of one guitar, in cents against the final target. Main thread only.

    The model is the physics of the guitar's set-up, what earlier retunes taught (`known`), and what is heard in this one.
    """

    guitar: Instrument
    target: Tuning
    start: dict[int, float]
    known: dict[str, object] | None = None
    cents: dict[int, float] = field(init=False)
    moves: list[Moved] = field(default_factory=list)

    def __post_init__(self) -> None:
        g = self.guitar
        model = start_model(
            self.target, g.bridge, g.setup.scales(g.strings), g.setup.gauges or None, g.setup.springs, g.home
        )
        self.strings = tuple(s for s in self.target.strings if s not in g.setup.off)  # on the guitar
        model = model.only([self.target.index(s) for s in self.strings])
        if self.known is not None:
            with suppress(KeyError, TypeError, ValueError):  # a teaching that cannot be read is none
                model = with_known(model, self.known, self.strings)
        self._model, self._learned = model, (0, model)
        self.cents = dict(self.start)
        self._turning: int | None = None
        # of each string: how all stood when it was read, which were set since (place, from, to), and how sure that reading is
        begin = self._vector()
        self._read: dict[int, tuple[tuple[float, ...], list[tuple[int, float, float]], float]] = {
            s: (begin, [], TOLD_SD) for s in self.strings
        }
        self._count = 0  # of moves learned from
        self._from = 0.0  # where the string that is being turned stood before
        self._doubted: tuple[int, float] | None = None  # a reading elsewhere that the next one has to bear out
        self._picked: int | None = None  # whose reading is news, as long as it settles

    @property
    def floating(self) -> bool:
        return self.guitar.bridge == "floating"

    @property
    def order(self) -> list[int]:
        """The strings that a millimetre of the bridge moves least come first."""
        m = self._model
        by_give = {s: k / t for s, k, t in zip(self.strings, m.strings, m.tension, strict=True)}
        return sorted(self.strings, key=lambda s: by_give[s])

    def model(self) -> BridgeModel:
        """As everything heard so far makes it."""
        if self._count != self._learned[0]:
            self._learned = (self._count, self._model.learned(self.moves))
        return self._learned[1]

    def _vector(self) -> tuple[float, ...]:
        return tuple(self.cents[s] for s in self.strings)

    def aim(self, string: int) -> float:
        """What a string must read when it is set, so that it is right once all others are."""
        return self.model().interim(self._vector(), self.strings.index(string)) if self.floating else 0.0

    def ghosts(self, string: int) -> dict[int, float]:
        """Where the other strings will stand once this one is set to what it must read."""
        then = self.model().after_set(self._vector(), self.strings.index(string), self.aim(string))
        return {s: float(c) for s, c in zip(self.strings, then, strict=True) if s != string}

    def heard(self, string: int, cents: float, fresh: bool) -> dict[int, float]:
        """Takes a reading of one string; gives by how much the others have gone elsewhere.

        `fresh`: it has just been picked, so that a difference is news of where it stood, and no turning of its peg.
        """
        if self._picked is not None and not (fresh and string == self._picked):
            self._learn(self._picked)
        if fresh:
            self._set_down(string)
            self.cents[string], self._picked = cents, string
            return {}
        was = self.cents[string]
        if abs(cents - was) <= STEADY:
            self._doubted = None
            return {}
        doubted, self._doubted = self._doubted, (string, cents)
        if doubted is None or doubted[0] != string or abs(cents - doubted[1]) > FOLLOWS:
            return {}  # a single reading elsewhere may be the next string's attack
        if self._turning != string:
            self._set_down(string)
            self._turning, self._from = string, was
        then = self.model().after_set(self._vector(), self.strings.index(string), cents)
        shifts = {s: float(c) - self.cents[s] for s, c in zip(self.strings, then, strict=True) if s != string}
        for s, by in shifts.items():
            self.cents[s] += by
        self.cents[string] = cents
        return shifts

    def _set_down(self, other: int) -> None:
        """The string that was turned stays where it is, now that another is played."""
        turned, self._turning = self._turning, None if self._turning != other else self._turning
        if turned is None or turned == other:
            return
        at = self.cents[turned]
        for s, (_, sets, _) in self._read.items():
            if s != turned:
                sets.append((self.strings.index(turned), self._from, at))
        self._read[turned] = (self._vector(), [], NOISE_CENTS)

    def _learn(self, string: int) -> None:
        """What was picked has settled: since it was last read others were set, and that tells what they do to it."""
        self._picked = None
        then, sets, noise = self._read[string]
        if any(abs(to - start) > LEARNED_FROM for _, start, to in sets) and len(sets) <= LONGEST:
            at = self.strings.index(string)
            after = tuple(self.cents[string] if k == at else math.nan for k in range(len(self.strings)))
            self.moves = [*self.moves, Moved(tuple(sets), then, after, noise)][-KEPT:]
            self._count += 1
        self._read[string] = (self._vector(), [], NOISE_CENTS)

    def taught(self) -> dict[str, object]:
        """What this retune taught, for the next one on this guitar."""
        return known_of(self.model(), self.strings)
