"""A retune led by dialogue: what to set, read or strum next, on any bridge. Pure: actions out, answers in.

Every string is set once to an interim target, which allows for what the strings after it will do to it; a strum after each
tells how the bridge gives, and the targets that follow are renewed. Then what is out is trimmed, until every string was read
inside the tolerance with nothing moved since.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.coupling import BridgeModel, Moved

MOST_ACTIONS, MOST_CALIBRATION = 60, 200
HIGHEST = 245.0  # cents above both start and final note that no string is set to
TRIM_SHARE = 0.6  # of the tolerance from where a string is set again in a trim
STAYS_SHARE = 0.75  # of the tolerance, within which a string is not set in the first pass
AGAIN = 2  # times that a string which cannot be set is asked for
PUSH = 200.0  # cents that a string is loosened by in a calibration

Action = dict[str, Any]
Answer = Mapping[str, Any]
Dialogue = Generator[Action, Answer, Action]


@dataclass
class _Led:
    """The state of one dialogue; strings are numbers, values cents against the target."""

    model: BridgeModel
    target: Tuning
    start: dict[int, float]
    strings: tuple[int, ...]  # on the guitar, highest number first
    tolerance: float
    most: int
    cents: dict[int, float] = field(default_factory=dict)
    fresh: set[int] = field(default_factory=set)  # read since anything moved
    moves: list[Moved] = field(default_factory=list)
    skipped: list[int] = field(default_factory=list)
    refused: dict[int, int] = field(default_factory=dict)
    in_pass: set[int] = field(default_factory=set)
    passes: int = 0
    sets: int = 0
    reads: int = 0
    strums: int = 0
    actions: int = 0
    _learned: tuple[int, BridgeModel] = field(init=False)

    def __post_init__(self) -> None:
        self._learned = (0, self.model)

    # -- actions
    def set(self, string: int, to: float) -> Dialogue:
        """Sets one string; what it came to stand at is a reading, and the others are known only by the model."""
        roof = max(self.start[string], 0.0) + HIGHEST
        to = min(to, roof)
        answer = yield self._action({"do": "set", "string": string, "from_below": True, "cents": round(to, 3)})
        if answer.get("skip"):
            self._refuse(string)
            return {}
        if string in self.in_pass:
            self.in_pass = set()
        if not self.in_pass:
            self.passes += 1
        self.in_pass.add(string)
        self.sets += 1
        before = self._vector()
        self.cents[string] = float(answer["cents"])
        then = self.model.after_set(before, self._index(string), self.cents[string])
        known = {string: self.cents[string]}
        for k, s in enumerate(self.strings):
            if s != string:
                self.cents[s] = float(then[k])
        self.fresh = {string}
        return {"before": before, "known": known}

    def look(self) -> Dialogue:
        """One strum; strings it does not tell are read alone where they must be."""
        answer = yield self._action({"do": "strum"})
        if answer.get("skip"):
            return {}
        self.strums += 1
        read = {}
        for key, value in answer["cents"].items():
            if value is not None and int(key) in self.strings:
                read[int(key)] = float(value)
        self.cents |= read
        self.fresh |= read.keys()
        return {"read": read}

    def read(self, string: int) -> Dialogue:
        answer = yield self._action({"do": "read", "string": string})
        if answer.get("skip"):
            self._refuse(string)
            return {}
        self.reads += 1
        self.cents[string] = float(answer["cents"])
        self.fresh.add(string)
        return {}

    def _action(self, action: Action) -> Action:
        self.actions += 1
        return action

    def _refuse(self, string: int) -> None:
        self.refused[string] = self.refused.get(string, 0) + 1
        if self.refused[string] >= AGAIN and string not in self.skipped:
            self.skipped.append(string)

    # -- what is known
    def _index(self, string: int) -> int:
        return self.strings.index(string)

    def _vector(self) -> tuple[float, ...]:
        return tuple(self.cents[s] for s in self.strings)

    @property
    def wanted(self) -> list[int]:
        return [s for s in self.strings if s not in self.skipped]

    @property
    def out_of_actions(self) -> bool:
        return self.actions >= self.most

    def learn(self, string: int, before: Sequence[float], read: Mapping[int, float]) -> None:
        after = tuple(read.get(s, math.nan) if s != string else math.nan for s in self.strings)
        k = self._index(string)
        self.moves.append(Moved(((k, before[k], self.cents[string]),), tuple(before), after))

    def interim(self, string: int) -> float:
        return self.fitted().interim(self._vector(), self._index(string))

    def fitted(self) -> BridgeModel:
        """The model as all readings so far make it; fitted once for each move."""
        if len(self.moves) != self._learned[0]:
            self._learned = (len(self.moves), self.model.learned(self.moves))
        return self._learned[1]


def retune(
    model: BridgeModel, target: Tuning, start: Mapping[int, float], strings: Sequence[int], tolerance: float,
    most: int = MOST_ACTIONS,
) -> Generator[Action, Answer, Action]:  # fmt: skip
    """Leads a retune; the generator yields actions, is sent answers, and returns its `done`."""
    led = _Led(model, target, dict(start), tuple(strings), tolerance, most, cents=dict(start))
    yield from _first_pass(led)
    yield from _trims(led)
    return _done(led)


def _first_pass(led: _Led) -> Dialogue:
    yield from led.look()
    if all(s in led.fresh and abs(led.cents[s]) <= led.tolerance for s in led.wanted):
        return {}
    for string in _sequence(led):
        if led.out_of_actions:
            break
        if abs(led.interim(string) - led.cents[string]) < STAYS_SHARE * led.tolerance:
            continue  # it will be right when the others are
        yield from _set_and_look(led, string)
        if led.refused.get(string) and string not in led.skipped:
            yield from _set_and_look(led, string)
    return {}


def _sequence(led: _Led) -> list[int]:
    """The strings that a millimetre of the bridge moves most come last.

    A string is set as far off as the rest will move it, so those should have little left to come.
    """
    by_give = {s: k / t for s, k, t in zip(led.strings, led.model.strings, led.model.tension, strict=True)}
    return sorted(led.strings, key=lambda s: by_give[s])


def _set_and_look(led: _Led, string: int) -> Dialogue:
    made = yield from led.set(string, led.interim(string))
    if made:
        found = yield from led.look()
        led.learn(string, made["before"], found.get("read", {}))
    return made


def _trims(led: _Led) -> Dialogue:
    """Sets what is out again, until all are read inside the tolerance."""
    while led.wanted and not led.out_of_actions:
        for string in [s for s in led.wanted if s not in led.fresh]:
            if led.out_of_actions:
                return {}
            yield from led.read(string)
        out = [s for s in led.wanted if s in led.cents and abs(led.cents[s]) > led.tolerance]
        if not out:
            if all(s in led.fresh for s in led.wanted):
                return {}
            continue
        yield from _trim(led)
    return {}


def _trim(led: _Led) -> Dialogue:
    """One pass over the strings that are not where they must be for all to end right, the furthest first."""
    left = set(led.wanted)
    while left and not led.out_of_actions:
        string = max(left, key=lambda s: abs(led.interim(s) - led.cents[s]))
        if abs(led.interim(string) - led.cents[string]) < led.tolerance * TRIM_SHARE:
            break
        left.discard(string)
        yield from _set_and_look(led, string)
    return {}


def _done(led: _Led) -> Action:
    found = led.fitted()
    done: Action = {
        "do": "done", "passes": led.passes, "sets": led.sets, "reads": led.reads, "strums": led.strums,
        "known": known_of(found, led.strings),
    }  # fmt: skip
    if led.skipped:
        done["skipped"] = led.skipped
    return done


def calibrate(
    model: BridgeModel, target: Tuning, strings: Sequence[int], tolerance: float
) -> Generator[Action, Answer, Action]:
    """Loosens one string after the other, reading all, then brings them back in the same way.

    All strings down together move the bridge far: that tells its own stiffness, which is hidden behind that of the strings
    while one alone is moved.
    """
    led = _at_home(model, target, strings, tolerance)
    yield from _swing(led)
    yield from _trims(led)
    return _done(led)


def swing(model: BridgeModel, target: Tuning, strings: Sequence[int]) -> Generator[Action, Answer, Action]:
    """The moves of a calibration alone: who leads it brings the guitar back to its notes."""
    led = _at_home(model, target, strings, 0.0)
    yield from _swing(led)
    return _done(led)


def _at_home(model: BridgeModel, target: Tuning, strings: Sequence[int], tolerance: float) -> _Led:
    home = dict.fromkeys(strings, 0.0)
    return _Led(model, target, home, tuple(strings), tolerance, MOST_CALIBRATION, cents=dict(home))


def _swing(led: _Led) -> Dialogue:
    yield from led.look()
    for back in (False, True):
        for string in led.strings:
            made = yield from led.set(string, led.interim(string) if back else led.cents[string] - PUSH)
            if made:
                found = yield from led.look()
                led.learn(string, made["before"], found.get("read", {}))
    return {}


# -- what one retune teaches the next
def known_of(model: BridgeModel, strings: Sequence[int]) -> dict[str, Any]:
    """A model as JSON, by string number. Tensions are kept as those of the unit weights: they hold for any tuning."""
    n = len(strings)
    return {
        "strings": {str(s): round(k, 3) for s, k in zip(strings, model.strings, strict=True)},
        "string_sd": {str(s): round(sd, 5) for s, sd in zip(strings, model.sigma[:n], strict=True)},
        "bridge": round(model.bridge, 3), "bridge_sd": round(model.sigma[n], 5),
        "weight": {str(s): t / model.start[k] for k, (s, t) in enumerate(zip(strings, model.tension, strict=True))},
        "weight_sd": {str(s): round(sd, 5) for s, sd in zip(strings, model.sigma[n + 1 : -1], strict=True)},
        "curve": round(model.curve, 4), "curve_sd": round(model.sigma[-1], 4),
    }  # fmt: skip


DRIFTS = 0.03  # 1σ of the log by which a stiffness is another the next time


def with_known(model: BridgeModel, known: Mapping[str, Any], strings: Sequence[int]) -> BridgeModel:
    """The model with what an earlier run taught. Raises ValueError for what is no such thing."""
    def table(key: str, own: Sequence[float]) -> list[float]:
        found = dict(known[key])
        return [float(found.get(str(s), o)) for s, o in zip(strings, own, strict=True)]

    n = len(strings)
    k, sd = table("strings", model.strings), table("string_sd", model.sigma[:n])
    weight, weight_sd = table("weight", [1.0] * n), table("weight_sd", model.sigma[n + 1 : -1])
    bridge, bridge_sd = float(known["bridge"]), float(known["bridge_sd"])
    if not all(math.isfinite(v) and v > 0 for v in (*k, *sd, *weight, *weight_sd, bridge, bridge_sd)):
        raise ValueError("a stiffness is no number above 0")
    curve, curve_sd = float(known.get("curve", 0.0)), float(known.get("curve_sd", model.sigma[-1]))
    if not (math.isfinite(curve) and math.isfinite(curve_sd) and curve_sd > 0):
        raise ValueError("the curve of the bridge is no number")
    sigma = (*(math.hypot(DRIFTS, v) for v in (*sd, bridge_sd, *weight_sd)), math.hypot(1.0, curve_sd))
    tension = tuple(t * w for t, w in zip(model.tension, weight, strict=True))
    return BridgeModel(tension, tuple(k), bridge, sigma, model.level, curve, model.start)
