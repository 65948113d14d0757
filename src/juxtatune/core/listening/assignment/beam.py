"""Assigns plucks to strings while a guitar is between two tunings, when pitch alone is ambiguous: a beam search.

From standard to B standard an E2 is the 6th string not yet turned or the 5th that has landed. All plucks are weighed
together: where strings lie on their way, that a string has one pitch until it is turned, that players go from string
to string, and the timbre: stiffness and damping are a string's own. A search over the plucks in order keeps the
likeliest assignments and weighs them against each other.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.assignment.timbre import (
    BY_STIFFNESS,
    Spread,
    Trait,
    Traits,
    compared,
    learn_spread,
    timbre_of,
    without_course,
)
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.tuning import SAME, Tuning


class BeamParameters(NamedTuple):
    """Beam search over string assignments; costs in natural logs of odds are chosen by hand, no source."""

    width: int = 128  # assignments followed at once
    old_pitch_sigma_st: float = 0.2  # how closely a string lies at its old pitch
    target_sigma_st: float = 0.3  # and on its target
    max_unturned_st: float = 0.6  # by which a string that was not turned never moves
    min_plain_pitch: float = 53.5  # pitch above which strings are plain and stiffer (common practice, no source)
    plain_ln_stiffness: float = 1.2  # in ln B f1²
    min_sure_probability: float = 0.8
    # costs, in natural logs of odds: chosen by hand, no source
    cost_again: float = 0.6
    cost_turned_on: float = 1.2
    cost_turned_back: float = 2.5
    cost_elsewhere: float = 2.5
    cost_leap: float = 0.5
    cost_same_way: float = -0.7


BEAM = BeamParameters()


@dataclass(frozen=True)
class _Pluck:
    pitch: float
    traits: Traits  # as heard
    options: tuple[int, ...]
    costs: tuple[float, ...]


@dataclass(frozen=True)
class _Guess:
    """A hypothesis of the beam: strings of the plucks so far, with each string's last pitch and timbre."""

    cost: float
    strings: tuple[int, ...]
    known: dict[int, tuple[float, tuple[Trait, ...]]]
    step: int


def assign_strings(readings: list[Reading], targets: Targets) -> list[Reading]:
    """The readings, each on its most probable string; ambiguous ones have lower confidence and name the alternatives."""
    tuning, source = targets.tuning, targets.source
    if tuning is None or source is None:
        return readings
    rows = [k for k, r in enumerate(readings) if r.pitch is not None and r.string is not None]
    plucks = [_pluck(readings[k], targets, tuning, source) for k in rows]
    if not any(len(p.options) > 1 for p in plucks):
        return readings
    heard = without_course([p.pitch for p in plucks], [p.traits for p in plucks])
    plucks = [replace(p, traits=t) for p, t in zip(plucks, heard, strict=True)]
    likeliest = min(_search(plucks, BY_STIFFNESS, tuning, source), key=lambda g: g.cost)
    guesses = _search(plucks, learn_spread(heard, likeliest.strings), tuning, source)
    odds = np.exp(min(g.cost for g in guesses) - np.array([g.cost for g in guesses]))
    out = list(readings)
    for j, k in enumerate(rows):
        if len(plucks[j].options) > 1:
            chances = {
                s: float(odds[[g.strings[j] == s for g in guesses]].sum() / odds.sum())
                for s in plucks[j].options
            }
            out[k] = _placed(readings[k], chances, targets, tuning)
    return out


def _pluck(r: Reading, targets: Targets, tuning: Tuning, source: Tuning) -> _Pluck:
    assert r.pitch is not None and r.f1 is not None
    options = tuple(s for s in tuning.strings if targets.span(s)[0] <= r.pitch <= targets.span(s)[1])
    costs = tuple(_place_cost(r.pitch, source.pitch(s), tuning.pitch(s)) for s in options)
    return _Pluck(r.pitch, timbre_of(r), options, costs)


def _place_cost(pitch: float, start: float, target: float) -> float:
    """Negative log prior of a string at a pitch: at either end of its way between the tunings, on it, or a little beyond."""
    way = abs(target - start)
    at_start = np.exp(-0.5 * ((pitch - start) / BEAM.old_pitch_sigma_st) ** 2) / BEAM.old_pitch_sigma_st
    at_target = np.exp(-0.5 * ((pitch - target) / BEAM.target_sigma_st) ** 2) / BEAM.target_sigma_st
    if way < SAME:
        return -float(np.log(0.9 * at_target + 0.03))
    between = min(start, target) <= pitch <= max(start, target)
    return -float(np.log(0.3 * at_start + 0.4 * at_target + (0.5 / way if between else 0.1)))


def _search(plucks: list[_Pluck], spread: Spread, tuning: Tuning, source: Tuning) -> list[_Guess]:
    usual = _usual_traits(plucks, spread, tuning, source)
    guesses = [_Guess(0.0, (), {}, 0)]
    for p in plucks:
        grown = [_extended(g, p, k, usual, spread, tuning) for g in guesses for k in range(len(p.options))]
        guesses = sorted(grown, key=lambda g: g.cost)[:BEAM.width]
    return guesses


def _usual_traits(
    plucks: list[_Pluck], spread: Spread, tuning: Tuning, source: Tuning
) -> dict[int, tuple[Trait, ...]]:
    """Prior timbre of each string: plain strings are stiffer; the rest is learnt from the readings."""
    highest = {s: max(source.pitch(s), tuning.pitch(s)) for s in tuning.strings}
    kind = {s: BEAM.plain_ln_stiffness if p > BEAM.min_plain_pitch else 0.0 for s, p in highest.items()}
    usual: dict[int, list[Trait]] = {s: [] for s in tuning.strings}
    for k, differ in enumerate(spread.strings):
        more = kind if k == 0 else dict.fromkeys(kind, 0.0)
        heard = [
            t.mean - more[p.options[int(np.argmin(p.costs))]]
            for p in plucks
            if (t := p.traits[k]) is not None and p.options
        ]
        level = float(np.median(heard)) if heard else 0.0
        for s in tuning.strings:
            usual[s].append(Trait(level + more[s], differ**2))
    return {s: tuple(traits) for s, traits in usual.items()}


def _extended(
    g: _Guess, p: _Pluck, option: int, usual: dict[int, tuple[Trait, ...]], spread: Spread, tuning: Tuning
) -> _Guess:
    string = p.options[option]
    before = g.strings[-1] if g.strings else None
    step = string - before if before is not None else 0
    cost = g.cost + p.costs[option] + _way_cost(g, p, string, tuning.pitch(string))
    if before is not None and step != 0:
        cost += (BEAM.cost_leap if abs(step) != 1 else 0.0) + (BEAM.cost_same_way if step == g.step else 0.0)
    before_now = g.known[string][1] if string in g.known else usual[string]
    told = [compared(*each) for each in zip(before_now, p.traits, spread.plucks, strict=True)]
    cost += sum(more for more, _ in told)
    known = {**g.known, string: (p.pitch, tuple(t for _, t in told))}
    return _Guess(cost, (*g.strings, string), known, step if step != 0 else g.step)


def _way_cost(g: _Guess, p: _Pluck, string: int, target: float) -> float:
    """Transition cost of a string heard before, at this or another pitch."""
    if string not in g.known:
        return 0.0
    last = g.known[string][0]
    if abs(p.pitch - last) < BEAM.max_unturned_st:
        return BEAM.cost_again
    if g.strings[-1] != string:
        return BEAM.cost_elsewhere
    return BEAM.cost_turned_on if abs(p.pitch - target) < abs(last - target) else BEAM.cost_turned_back


def _placed(r: Reading, chances: dict[int, float], targets: Targets, tuning: Tuning) -> Reading:
    assert r.pitch is not None
    pitch, best = r.pitch, max(chances, key=lambda s: (chances[s], s))
    alike = tuple(
        s for s in chances
        if s != best and abs(tuning.pitch(s) - tuning.pitch(best)) <= SAME and abs(pitch - tuning.pitch(s)) < BEAM.target_sigma_st
    )  # fmt: skip
    chance = min(1.0, chances[best] + sum(chances[s] for s in alike))
    other = max((s for s in chances if s != best and s not in alike), key=lambda s: chances[s], default=None)
    problem = None
    if chance < BEAM.min_sure_probability and other is not None:
        problem = f"string {best} or string {other}: pick them one after the other"
    return replace(on_string(r, best, targets), confidence=r.heard * chance, also=alike, problem=problem)


def on_string(r: Reading, string: int, targets: Targets) -> Reading:
    """The reading measured against the target of a string."""
    assert r.pitch is not None and targets.tuning is not None
    target = targets.tuning.note(string)
    cents = (r.pitch - target.pitch) * 100
    attack = None if r.attack_cents is None or r.cents is None else r.attack_cents - r.cents + cents
    return replace(
        r, string=string, target=target, target_hz=targets.reference.hz(target.pitch), cents=cents,
        attack_cents=attack,
    )  # fmt: skip
