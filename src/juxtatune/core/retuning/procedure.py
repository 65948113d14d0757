"""One retune as it is done by hand: what each string has come to, and what to do next.

A string has landed when it came from below and stayed inside the tolerance long enough; one that fell in
from above is not yet safe, since slack left in the gear slips later (common practice, no source). Then
every string is checked once more, because moving one moves the others.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import Enum

from juxtatune.core.retuning.change import Change


class Status(Enum):
    STAYS = "stays"
    TO_GO = "to go"
    FROM_ABOVE = "from above"
    LANDED = "landed"
    CHECKED = "checked"
    OFF = "check again"


DOUBTED = 0.3  # share of what a string is said to have been moved by that may be wrong
LOOSENED = 1.0  # cents from reading to reading by which a landed string that stands too high is being turned down


@dataclass(frozen=True)
class Rules:
    """Cents and seconds of the landing rule. Start values; every one is a preference."""

    tolerance: float = 2.0
    hold_s: float = 0.7
    upward: float = 5.0
    turn_around: float = 100.0
    recheck: float = 3.0
    surest: float = 1.5  # readings less certain than this (1σ, cents) do not land a string
    surest_strum: float = 1.75  # the same of a strum, which allows for how a real guitar's pitch is defined
    settle_s: float = 0.25  # after a pick the pitch is still gliding
    doubt_s: float = 0.2  # a string is off again only when it reads so for this long
    own: tuple[tuple[int, float], ...] = ()  # (string, tolerance in cents) of strings that are judged by their own

    def of(self, string: int) -> Rules:
        """The rules for one string: with a tolerance of its own, the check is wider by as much."""
        tolerance = dict(self.own).get(string)
        if tolerance is None:
            return self
        return replace(self, tolerance=tolerance, recheck=self.recheck * tolerance / self.tolerance)


@dataclass(frozen=True)
class StringState:
    """`cents` against the target, None before it was heard; `rose` is True when the last motion was upward."""

    string: int
    status: Status
    start_cents: float
    cents: float | None = None
    sigma: float | None = None
    rose: bool = False
    inside_since: float | None = None
    above_since: float | None = None
    lowest: float | None = None
    held: float = 0.0  # share of the hold time reached
    off_since: float | None = None
    off_s: float = 0.0  # for how long it has surely read off its target
    slipped: bool = False  # had landed, and was heard out again
    moved_since: float = 0.0  # cents that other strings have moved it by, at most, since it was heard


@dataclass(frozen=True)
class Procedure:
    """The whole retune. `checking` is the last round, in which all strings are read again.

    `setting` are the strings that this pass sets, where the bridge moves more than those that change. Only those `in_play`
    have to be checked, all where none are named.
    """

    change: Change
    rules: Rules
    strings: tuple[StringState, ...]
    active: int
    checking: bool = False
    picked_at: float = -10.0
    level: float = -120.0
    setting: tuple[int, ...] = ()
    in_play: tuple[int, ...] = ()

    def state(self, string: int) -> StringState:
        return next(s for s in self.strings if s.string == string)

    @property
    def moving(self) -> tuple[int, ...]:
        return self.setting or tuple(c.string for c in self.change.strings)

    @property
    def done(self) -> bool:
        """True once every string in play was checked at its new pitch."""
        return all(s.status is Status.CHECKED for s in self.strings if self.plays(s.string))

    def plays(self, string: int) -> bool:
        return not self.in_play or string in self.in_play


def begin(
    change: Change, rules: Rules | None = None, start: Mapping[int, float] | None = None, setting: Sequence[int] = (),
    in_play: Sequence[int] = (), off: Sequence[int] = (),
) -> Procedure:  # fmt: skip
    """A retune about to start; the first string to move is active.

    On a bridge that moves all strings `setting` are those to be set, in order, and `start` the cents at which each stands
    against what it must read when it is set. Strings that are `off` the guitar are never asked for.
    """
    on = tuple(s for s in change.target.strings if s not in off)
    offsets = dict(start) if start is not None else {c.string: -100 * c.semitones for c in change.strings}
    strings = tuple(
        StringState(
            s,
            Status.TO_GO if s in offsets else Status.STAYS,
            offsets.get(s, 0.0),
            rose=offsets.get(s, 0.0) < 0,
        )
        for s in on
    )
    setting = tuple(s for s in setting or change.order if s in on)
    played = tuple(s for s in in_play if s in on)
    first = setting[0] if setting else next((s for s in on if s in played), on[0])
    return Procedure(
        change, rules or Rules(), strings, first, checking=not setting, setting=setting, in_play=played
    )


def moved(p: Procedure, by: Mapping[int, float]) -> Procedure:
    """The retune after strings went elsewhere against their targets without being heard, by so many cents.

    A string that was checked and may have been moved out of its tolerance is to be checked again.
    """
    return replace(p, strings=tuple(_shifted(s, by.get(s.string, 0.0), p) for s in p.strings))


def reread(p: Procedure, string: int, cents: float, sigma: float) -> Procedure:
    """The retune with another reading of one string, whose status stays."""
    changed = (replace(s, cents=cents, sigma=sigma) if s.string == string else s for s in p.strings)
    return replace(p, strings=tuple(changed))


def _shifted(s: StringState, by: float, p: Procedure) -> StringState:
    if not by:
        return s
    cents = s.cents + by if s.cents is not None else None
    lowest = s.lowest + by if s.lowest is not None else None
    status, away = s.status, s.moved_since + abs(by)
    if status is Status.CHECKED and abs(cents or 0.0) + DOUBTED * away > p.rules.of(s.string).recheck:
        status = Status.LANDED if s.string in p.moving else Status.STAYS
    return replace(
        s, cents=cents, lowest=lowest, start_cents=s.start_cents + by, status=status, moved_since=away, inside_since=None,
        held=0.0 if status is not s.status else s.held,
    )  # fmt: skip


def hear(
    p: Procedure, t: float, string: int, cents: float, sigma: float, level_db: float, attacked: bool = True
) -> Procedure:
    """The retune after a reading of one string at time t (s); only a string just attacked becomes the active one."""
    picked = t if level_db > p.level + 6.0 else p.picked_at
    p = replace(p, active=string if attacked else p.active, level=level_db, picked_at=picked)
    rules = p.rules.of(string)
    gliding = t - picked < rules.settle_s
    before = p.state(string)
    state = _follow(before, rules, t, cents, sigma, gliding)
    if not gliding:
        if before.status is Status.LANDED and rules.recheck < (before.cents or 0.0) > cents + LOOSENED:
            state = replace(state, status=Status.TO_GO, rose=False, slipped=True)
        state = _judge(state, p)
    strings = tuple(state if s.string == string else s for s in p.strings)
    return _advance(replace(p, strings=strings))


def _follow(s: StringState, rules: Rules, t: float, cents: float, sigma: float, gliding: bool) -> StringState:
    """Where the string is and which way it last moved."""
    inside = abs(cents) <= rules.tolerance and sigma <= rules.surest
    lowest = cents if s.lowest is None else min(s.lowest, cents)
    rose, above = s.rose, s.above_since
    since: float | None
    if cents <= -rules.upward and not gliding:
        rose, above = True, None
    if cents > rules.tolerance and not gliding:
        above = t if above is None else above
        if t - above >= 0.3:
            rose, lowest = False, cents
    elif cents <= rules.tolerance:
        above = None
    if inside and not gliding:
        since = t if s.inside_since is None else s.inside_since
    else:
        since = None if not gliding else s.inside_since
    held = 0.0 if since is None else min(1.0, (t - since) / rules.hold_s)
    off = abs(cents) > rules.recheck and sigma <= rules.surest and not gliding
    off_since = (t if s.off_since is None else s.off_since) if off else None
    return replace(
        s,
        cents=cents,
        moved_since=0.0,
        sigma=sigma,
        rose=rose,
        above_since=above,
        lowest=lowest,
        inside_since=since,
        held=held,
        off_since=off_since,
        off_s=0.0 if off_since is None else t - off_since,
    )


def _judge(s: StringState, p: Procedure) -> StringState:
    rules = p.rules.of(s.string)
    long_enough = s.held >= 1.0
    off = abs(s.cents or 0.0)
    if p.checking:
        if off <= rules.recheck and (s.sigma or 9.0) <= rules.surest:
            steady = s.held > 0.4 or off > rules.tolerance
            return replace(s, status=Status.CHECKED) if steady else s
        return replace(s, status=Status.OFF) if s.off_s >= rules.doubt_s else s
    if s.string not in p.moving:
        return replace(s, status=Status.STAYS)
    if long_enough:
        return replace(s, status=Status.LANDED if s.rose else Status.FROM_ABOVE, slipped=False)
    if s.status is Status.LANDED and s.off_s >= rules.doubt_s:
        return replace(s, status=Status.TO_GO, slipped=True)
    if s.status is Status.FROM_ABOVE and off > rules.tolerance:
        return replace(s, status=Status.TO_GO)
    return s


def hear_strum(p: Procedure, string: int, cents: float, sigma: float) -> Procedure:
    """The retune after one string of a strum was read: in the check it is checked or off, before that only known."""
    state = replace(p.state(string), cents=cents, sigma=sigma)
    if p.checking and sigma <= p.rules.surest_strum:
        state = replace(state, status=Status.CHECKED if abs(cents) <= p.rules.of(string).recheck else Status.OFF)
    return replace(p, strings=tuple(state if s.string == string else s for s in p.strings))


def _advance(p: Procedure) -> Procedure:
    """Into the check of all strings once every moving one has landed."""
    if p.checking or any(p.state(s).status is not Status.LANDED for s in p.moving):
        return p
    return check_all(p)


def check_all(p: Procedure) -> Procedure:
    """Starts the check of all strings (again)."""
    strings = tuple(
        replace(
            s, status=Status.LANDED if s.string in p.moving else Status.STAYS, inside_since=None, held=0.0
        )
        for s in p.strings
    )
    return replace(p, strings=strings, checking=True)


def take(p: Procedure, string: int) -> Procedure:
    """The player takes a string as it is: it has landed, or is checked in the check, wherever it was read."""
    status = Status.CHECKED if p.checking else Status.LANDED if string in p.moving else p.state(string).status
    strings = tuple(replace(s, status=status, slipped=False) if s.string == string else s for s in p.strings)
    return _advance(replace(p, strings=strings))


def select(p: Procedure, string: int) -> Procedure:
    return replace(p, active=string)


def step(p: Procedure, by: int) -> Procedure:
    """The next (+1) or last (−1) string that still wants something; of all strings when none does."""
    order = [s.string for s in p.strings]
    wanting = [s.string for s in p.strings if _wants(s, p)] or order
    wanting = [s for s in wanting if p.plays(s)] or wanting
    start = order.index(p.active)
    for k in range(1, len(order) + 1):
        candidate = order[(start + by * k) % len(order)]
        if candidate in wanting:
            return replace(p, active=candidate)
    return p


def _wants(s: StringState, p: Procedure) -> bool:
    if p.checking:
        return s.status is not Status.CHECKED
    return s.string in p.moving and s.status is not Status.LANDED


def reads_off(p: Procedure, string: int) -> bool:
    """Whether a string that landed or was checked was last heard out of its tolerance, though not yet surely."""
    s = p.state(string)
    return s.status in (Status.LANDED, Status.CHECKED) and abs(s.cents or 0.0) > p.rules.of(string).recheck


def advice(p: Procedure, string: int) -> str:
    """What to do with a string, in a few words."""
    s, rules = p.state(string), p.rules.of(string)
    if reads_off(p, string):
        return "reads off: play it again"
    if s.status is Status.CHECKED:
        return "checked"
    if s.status is Status.LANDED and not p.checking:
        return "landed"
    if s.status is Status.FROM_ABOVE:
        return "loosen well below, then come up"
    cents = s.cents if s.cents is not None else s.start_cents
    if p.checking and (s.cents is None or s.status in (Status.LANDED, Status.STAYS)):
        return "play it to check"
    if s.status is Status.STAYS and string not in p.moving:
        return "stays"
    if cents > rules.tolerance:
        return "loosen past it, then come up" if not p.checking else "loosen past it, come up"
    if cents < -60:
        return "tighten slowly"
    if cents < -15:
        return "up, slowly"
    if cents < -rules.tolerance:
        return "up a hair, from below"
    return "hold it there" if s.rose else "loosen well below, then come up"
