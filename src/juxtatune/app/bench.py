"""What one string does to the others while a guitar is tuned: where each stands, what it must read when it is set, ghosts."""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass, field

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning.led import known_of, with_known
from juxtatune.core.strings.coupling import BridgeModel, Moved, start_model
from juxtatune.core.strings.instrument import Instrument

STEADY = 0.7  # cents within which a string that rings is not being turned
LEARNED_FROM = 8.0  # cents that a string must have moved for its neighbours to teach something
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
        self._read: set[int] = set()  # heard since another string moved
        self._turning: int | None = None
        self._before: tuple[float, ...] = ()
        self._read_before: set[int] = set()

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
        if len(self.moves) != self._learned[0]:
            self._learned = (len(self.moves), self._model.learned(self.moves))
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
        was = self.cents[string]
        if fresh:
            self._note(string, cents)
            return {}
        if abs(cents - was) <= STEADY:
            return {}
        if self._turning != string:
            self._close()
            self._turning, self._before, self._read_before = string, self._vector(), set(self._read)
        then = self.model().after_set(self._vector(), self.strings.index(string), cents)
        shifts = {s: float(c) - self.cents[s] for s, c in zip(self.strings, then, strict=True) if s != string}
        for s, by in shifts.items():
            self.cents[s] += by
        self.cents[string] = cents
        self._read = {string}
        return shifts

    def _note(self, string: int, cents: float) -> None:
        """A string that is picked after another was turned tells what that did to it."""
        if self._turning is not None and self._turning != string and string in self._read_before:
            turned = self.strings.index(self._turning)
            if abs(self.cents[self._turning] - self._before[turned]) > LEARNED_FROM:
                after = [math.nan] * len(self._before)
                after[turned], after[self.strings.index(string)] = self.cents[self._turning], cents
                self.moves.append(Moved(turned, self._before, tuple(after)))
                self._read_before.discard(string)
        self.cents[string] = cents
        self._read.add(string)

    def _close(self) -> None:
        self._turning = None

    def taught(self) -> dict[str, object]:
        """What this retune taught, for the next one on this guitar."""
        return known_of(self.model(), self.strings)
