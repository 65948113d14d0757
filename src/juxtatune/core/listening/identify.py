"""Identifies the tuning from plucks of the open strings, one strum, or solo playing, with no tuning given.

Candidates are the families of tunings and all their shifts by half steps; what the strings have in common as cents is the
offset. A tuning of no family is taken for what was plucked, note by note.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import pairwise
from statistics import median
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.peaks import new_peaks
from juxtatune.core.listening.dsp.resample import to_working_rate
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.reference.offset import Offset, reference_offset
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.core.music.families import FAMILIES
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import Note, spell
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.tuning import FEWEST, MOST, Tuning, tuning_of_pitches

SHIFTS = range(-9, 6)  # half steps that families are moved by


class IdentificationParameters(NamedTuple):
    """Odds in nats, pitches in half steps."""

    min_confidence: float = 0.3
    same_string_st: float = 0.45  # half steps between plucks of one string
    lowest_note: int = 21  # notes an open string can have
    highest_note: int = 88
    cost_half_step: float = 0.35  # of distance from home
    cost_octave: float = 3.0  # a reading an octave off
    cost_missing: float = 4.0  # a string not heard
    cost_stranger: float = 5.0  # a note that is no open string
    cost_no_family: float = 4.5  # a tuning without a name
    min_belief: float = 0.6  # share of the belief that the first candidate needs
    # -- one strum
    strum_after_s: float = 0.35  # after the loudest moment
    strum_s: float = 1.6  # looked at
    partials: int = 8
    near_cents: float = 16.0
    tunings_read: int = 6  # tunings that are read string by string
    # -- a guitar alone that plays
    look_s: float = 60.0  # of a recording that is looked at
    open_share: float = 0.5  # of the notes that are open
    lowest_share: float = 0.4  # of those, on the lowest string
    frets: int = 12  # that are used
    odd_share: float = 0.03  # of the notes that are none of the guitar's: misread, or an octave low
    note_weight: float = 0.5  # notes of a riff depend on each other
    prior_weight: float = 1.2
    min_share: float = 0.06


IDENTIFICATION = IdentificationParameters()


F = NDArray[np.float64]


@dataclass(frozen=True)
class Candidate:
    tuning: Tuning
    name: str
    confidence: float


@dataclass(frozen=True)
class OpenString:
    """One string as it was read: cents beside the common offset, None where it was not told."""

    string: int
    note: Note
    hz: float | None
    cents: float | None


@dataclass(frozen=True)
class Identified:
    """`tuning` carries no shift; `offset_cents` is common to all strings. None, with a problem, where nothing decides."""

    tuning: Tuning | None
    offset_cents: float | None
    confidence: float
    strings: tuple[OpenString, ...] = ()
    lowest: tuple[Note, float] | None = None
    candidates: tuple[Candidate, ...] = ()
    problem: str | None = None


@cache
def families(strings: int | None) -> tuple[tuple[Tuning, float], ...]:
    """(tuning, log odds before anything is heard) of every family at every shift."""
    found: dict[tuple[float, ...], tuple[Tuning, float]] = {}
    for rank, family in enumerate(FAMILIES):
        if strings is not None and len(family.tuning) != strings:
            continue
        for shift in SHIFTS:
            tuning = family.tuning.moved(shift)
            prior = -0.08 * rank - IDENTIFICATION.cost_half_step * abs(shift) * (0.6 if family.pattern else 1.4)
            known = found.get(tuning.pitches)
            if known is None or known[1] < prior:
                found[tuning.pitches] = (tuning, prior)
    return tuple(found.values())


def common_offset(pitches: Sequence[float]) -> float:
    """Cents in (-50, 50] that pitches on the MIDI scale have in common: a circular mean, sharpened by the median."""
    angles = 2 * np.pi * np.asarray(pitches)
    mean = math.atan2(float(np.sin(angles).mean()), float(np.cos(angles).mean())) / (2 * math.pi)
    around = mean + median([(p - mean + 0.5) % 1.0 - 0.5 for p in pitches])
    cents = 100 * around
    return cents - 100 * math.ceil((cents - 50) / 100)


# -- plucks
def identify_plucks(samples: Samples, rate: float, strings: int | None = None) -> Identified:
    """From the open strings plucked one by one, in either direction, each once or more."""
    readings = [
        r for r in analyse(samples, rate, Targets())
        if r.pitch is not None and r.confidence >= IDENTIFICATION.min_confidence
        and IDENTIFICATION.lowest_note - 1 <= r.pitch <= IDENTIFICATION.highest_note + 1
    ]  # fmt: skip
    groups = _groups(readings)
    if len(groups) < FEWEST - 1:
        return Identified(None, None, 0.0, problem=f"{len(groups)} open strings are heard, too few to tell a tuning")
    offset = common_offset([g[0] for g in groups])
    heard = [round(g[0] - offset / 100) for g in groups]
    weights = [(t, prior + _fit(t, heard)) for t, prior in families(strings)]
    plain = _as_heard(heard, strings)
    if plain is not None:
        weights.append((plain, -IDENTIFICATION.cost_no_family))
    return _decided(weights, offset, lambda t: _strings_of(t, groups, offset))


def _groups(readings: list[Reading]) -> list[tuple[float, list[Reading]]]:
    """Plucks of one string in a row: (pitch, its readings)."""
    groups: list[tuple[float, list[Reading]]] = []
    for r in readings:
        assert r.pitch is not None
        if groups and abs(groups[-1][0] - r.pitch) < IDENTIFICATION.same_string_st:
            rows = [*groups[-1][1], r]
            groups[-1] = (median([x.pitch or 0.0 for x in rows]), rows)
        else:
            groups.append((r.pitch, [r]))
    return groups


def _fit(tuning: Tuning, heard: list[int]) -> float:
    """Log odds of what was heard, from a tuning: strings not heard, notes it has not, readings an octave off."""
    have = [round(p) for p in tuning.pitches]
    score, met = 0.0, set()
    for note in heard:
        if note in have:
            met.add(note)
        elif note - 12 in have:  # a 12th-fret harmonic, or an octave misread
            met.add(note - 12)
            score -= IDENTIFICATION.cost_octave
        elif note + 12 in have:
            met.add(note + 12)
            score -= IDENTIFICATION.cost_octave
        else:
            score -= IDENTIFICATION.cost_stranger
    return score - IDENTIFICATION.cost_missing * len(set(have) - met) - _disorder(have, heard)


def _disorder(have: list[int], heard: list[int]) -> float:
    """Strings are plucked in one direction: what stands against it tells a little."""
    places = [min((k for k, h in enumerate(have) if h in (n, n - 12, n + 12)), default=-1) for n in heard]
    known = [p for p in places if p >= 0]
    ups = sum(b > a for a, b in pairwise(known))
    downs = sum(b < a for a, b in pairwise(known))
    return 0.3 * min(ups, downs)


def _as_heard(heard: list[int], strings: int | None) -> Tuning | None:
    """The notes themselves as a tuning, low to high as they were plucked."""
    notes = list(dict.fromkeys(heard))
    if strings is not None and len(notes) != strings:
        return None
    if not FEWEST <= len(notes) <= MOST:
        return None
    return tuning_of_pitches(notes if notes[0] <= notes[-1] else notes[::-1])


def _strings_of(tuning: Tuning, groups: list[tuple[float, list[Reading]]], offset: float) -> tuple[OpenString, ...]:
    out = []
    for string in tuning.strings:
        note = tuning.note(string)
        own = [r for _, rows in groups for r in rows if _is_of(r, note.pitch, offset)]
        hz = median([r.f1 or 0.0 for r in own]) if own else None
        cents = median([100 * ((r.pitch or 0.0) - note.pitch) - offset for r in own]) if own else None
        out.append(OpenString(string, note, hz, cents))
    return tuple(out)


def _is_of(r: Reading, pitch: float, offset: float) -> bool:
    return r.pitch is not None and abs(r.pitch - offset / 100 - pitch) < 0.5


# -- deciding
def _decided(
    weights: list[tuple[Tuning, float]], offset: float, read: object, doubted: bool = True
) -> Identified:
    """Belief from log odds; the first candidate is the answer where it has most of the belief.

    `doubted` where the odds are of what is right, not only of one tuning against another.
    """
    weights = sorted(weights, key=lambda w: -w[1])[:40]
    top = weights[0][1]
    belief = [math.exp(min(0.0, w - top)) for _, w in weights]
    # what no candidate explains well is doubted as a whole
    doubt = 1 / (1 + math.exp(min(40.0, -(top + 11.0)))) if doubted else 1.0
    total = sum(belief)
    rows = [
        Candidate(t, name_tuning(t).name, round(doubt * b / total, 4)) for (t, _), b in zip(weights, belief, strict=True)
    ]
    best = rows[0]
    candidates = tuple(_distinct(rows)[:6])
    strings = read(best.tuning)  # type: ignore[operator]
    found = [s for s in strings if s.hz is not None]
    low = min(found, key=lambda s: s.hz or 0.0, default=None)
    lowest = (low.note, low.hz or 0.0) if low is not None else None
    if best.confidence < IDENTIFICATION.min_belief:
        return Identified(
            None, offset, best.confidence, (), lowest, candidates, "no tuning explains it far better than others"
        )
    return Identified(best.tuning, offset, best.confidence, strings, lowest, candidates)


def _distinct(rows: list[Candidate]) -> list[Candidate]:
    seen: set[str] = set()
    return [r for r in rows if r.name not in seen and not seen.add(r.name)]  # type: ignore[func-returns-value]




def identify_strum(samples: Samples, rate: float, strings: int | None = None) -> Identified:
    """From one open strum: the tunings that explain its peaks best are read string by string."""
    x, working = to_working_rate(samples, rate)
    start = int(np.argmax(np.abs(x))) + int(IDENTIFICATION.strum_after_s * working)
    look = x[start : start + int(IDENTIFICATION.strum_s * working)]
    if len(look) < 0.5 * working or np.max(np.abs(look), initial=0.0) < 1e-4:
        return Identified(None, None, 0.0, problem="no strum that rings for a second is heard")
    peaks = new_peaks(look, None, working)
    if len(peaks) < 6:
        return Identified(None, None, 0.0, problem="no strum is heard")
    hz, power = np.asarray(peaks.hz), np.asarray(peaks.powers)
    offset = _peak_offset(hz, power)
    rough = sorted(
        ((t, prior + _explains(t, hz, power, offset)) for t, prior in families(strings)), key=lambda w: -w[1]
    )[:IDENTIFICATION.tunings_read]
    read = [_strum_fit(t, prior, samples, rate, offset) for t, prior in rough]
    weights = [(t, w) for t, w, _, _ in read]
    best = max(read, key=lambda r: r[1])
    return _decided(weights, best[2], lambda t: next(rows for u, _, _, rows in read if u is t))


def _peak_offset(hz: F, power: F) -> float:
    """The common offset of the louder peaks below 700 Hz."""
    low = (hz > 55) & (hz < 700)
    order = np.argsort(-power[low])[:14]
    pitches = 69 + 12 * np.log2(hz[low][order] / 440.0)
    return common_offset([float(p) for p in pitches]) if len(pitches) else 0.0


def _explains(tuning: Tuning, hz: F, power: F, offset: float) -> float:
    """How well a tuning's partials explain the peaks, and whether its strings show their own."""
    level = np.sqrt(power / power.max())
    pitch = 69 + 12 * np.log2(hz / 440.0) - offset / 100
    explained = np.zeros(len(hz), bool)
    missing = 0.0
    for p in tuning.pitches:
        seen = 0.0
        for n in range(1, IDENTIFICATION.partials + 1):
            away = 100 * np.abs(pitch - p - 12 * math.log2(n))
            near = away < IDENTIFICATION.near_cents + 1.2 * n
            explained |= near
            if n <= 4 and near.any():
                seen += float(level[near].max() > 0.008)
        missing += max(0.0, 3 - seen) / 3
    left = float(level[~explained].sum() / level.sum())
    return -14.0 * left - 5.0 * missing


def _strum_fit(
    tuning: Tuning, prior: float, samples: Samples, rate: float, offset: float
) -> tuple[Tuning, float, float, tuple[OpenString, ...]]:
    """A tuning read from the strum: (tuning, log odds, offset, strings)."""
    targets = Targets(tuning, reference=Reference(440.0, offset))
    rows = read_strum(samples, rate, targets)
    known = [(r.string, r.cents) for r in rows if r.cents is not None]
    cents = [c for _, c in known]
    middle = median(cents) if cents else 0.0
    stray = sum(min(1.0, abs(c - middle) / 25) for c in cents)
    common = offset + middle
    folded = common - 100 * math.ceil((common - 50) / 100)
    moved = round((common - folded) / 100)
    hz = {s: targets.target_hz(s) * 2 ** (c / 1200) for s, c in known}
    beside = {s: c - middle for s, c in known}
    strings = tuple(
        OpenString(r.string, tuning.note(r.string), hz.get(r.string), beside.get(r.string)) for r in rows
    )
    odds = prior - 2.2 * (len(rows) - len(known)) - 2.5 * stray - 3.0 * abs(moved)
    return tuning, odds, folded, strings




def identify_playing(samples: Samples, rate: float, strings: int | None = None) -> Identified:
    """From notes and chords: the lowest notes, what is heard often, and what no fret could sound."""
    found = reference_offset(samples, rate)
    if not isinstance(found, Offset):
        return Identified(None, None, 0.0, problem=found.reason)
    offset = found.cents
    seen = _notes_heard(_loudest(samples, rate), rate, offset)
    if len(seen) < 2:
        return Identified(None, offset, 0.0, problem="too few notes are heard to tell a tuning")
    lowest = min(n for n, times in seen.items() if times >= IDENTIFICATION.min_share * sum(seen.values()))
    weights = [(t, IDENTIFICATION.prior_weight * prior - _unusual(t) + _playable(t, seen)) for t, prior in families(strings or 6)]
    low_note = spell(float(lowest))
    low_hz = 440.0 * 2 ** ((lowest + offset / 100 - 69) / 12)
    decided = _decided(weights, offset, lambda t: (), doubted=False)
    return Identified(
        decided.tuning, offset, decided.confidence, (), (low_note, low_hz), decided.candidates, decided.problem
    )


def _loudest(samples: Samples, rate: float) -> Samples:
    """The loudest minute of a longer recording."""
    size = int(IDENTIFICATION.look_s * rate)
    if len(samples) <= size:
        return samples
    step = max(1, int(rate))
    power = np.array([float(np.mean(samples[k : k + step] ** 2)) for k in range(0, len(samples), step)])
    sums = np.convolve(power, np.ones(int(IDENTIFICATION.look_s)), "valid")
    start = int(np.argmax(sums)) * step
    return samples[start : start + size]


def _notes_heard(samples: Samples, rate: float, offset: float) -> dict[int, float]:
    """How often each note is heard, by plucks that are read surely."""
    seen: dict[int, float] = {}
    for r in analyse(samples, rate, Targets()):
        if r.pitch is not None and r.confidence >= 0.6 and IDENTIFICATION.lowest_note <= r.pitch <= IDENTIFICATION.highest_note:
            note = round(r.pitch - offset / 100)
            if abs(r.pitch - offset / 100 - note) < 0.3:
                seen[note] = seen.get(note, 0.0) + r.confidence
    return seen


USUAL = ("standard", "drop D", "open D", "open G", "DADGAD", "seven-string standard", "seven-string drop A", "bass")


def _unusual(tuning: Tuning) -> float:
    """Log odds against a tuning that few songs are in."""
    shape = name_tuning(tuning).shape
    return 0.9 * USUAL.index(shape) ** 0.7 if shape in USUAL else 4.0




def _playable(tuning: Tuning, seen: dict[int, float]) -> float:
    """Log odds of the notes: open strings often, the lowest most; frets alike; nothing below the lowest string."""
    have = [round(p) for p in tuning.pitches]
    low = min(have)
    score = 0.0
    for note, times in seen.items():
        p = IDENTIFICATION.odd_share / 60
        if note in have:
            others = (1 - IDENTIFICATION.lowest_share) / max(len(have) - 1, 1)
            p += IDENTIFICATION.open_share * (IDENTIFICATION.lowest_share if note == low else others)
        on = sum(0 < note - h <= IDENTIFICATION.frets for h in have)
        p += (1 - IDENTIFICATION.open_share - IDENTIFICATION.odd_share) * on / (len(have) * IDENTIFICATION.frets)
        score += IDENTIFICATION.note_weight * times * math.log(p)
    return score
