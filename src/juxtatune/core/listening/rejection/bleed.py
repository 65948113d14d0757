"""Rejects bleed: another player beside the microphone is quieter and plays other notes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.assignment.nearest import place_pitch
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.types import Reading, Targets

Mask = NDArray[np.bool_]


class BleedParameters(NamedTuple):
    """Other players beside the microphone."""

    far_db: float = 19.0  # this far below the loud plucks nothing is the player's
    lacking_db: float = 26.0  # but the one string that the loud ones lack
    odd_db: float = 12.0  # as far as this only what lies on a string near its target
    gap_db: float = 4.0  # an empty stretch of levels this wide may part two players
    other_db: float = 12.0  # a player is no softer than this
    band_tones: int = 3  # from so many tones off the strings
    band_ratio: float = 2.0  # and so many times as many as lie on strings
    few_plucks: int = 3
    alike_db: float = 8.0  # loud plucks lie so close together
    sure_score: float = 0.65
    convincing_score: float = 0.5
    min_convincing_share: float = 0.5  # of the soft ones
    near_target_st: float = 0.75  # from a target at which a string is usually found
    vague_cents: float = 2.0
    vaguer_ratio: float = 3.0  # times as unsure as is usual here or on this string: a real guitar's partials disagree
    much_vaguer_ratio: float = 8.0  # the same in a take of a few plucks, of which one may be a string that disagrees more
    no_pitch_cents: float = 15.0  # what is less sure than that says nothing
    faint_db: float = 10.0
    rings_on_s: float = 0.15  # longer than damping takes: so it was not damped for the next
    again_s: float = 0.1  # at most between the end of a reading and the next pluck of its string
    astray_cents: float = 150.0  # from a target: far off
    found_cents: float = 100.0  # and near enough to be it
    min_octave_probability: float = 0.4  # under a louder string


BLEED = BleedParameters()


def without_bleed(found: list[Candidate], targets: Targets) -> list[Candidate]:
    """Leaves out what comes from other instruments, by level and by fit to the tuning."""
    if len(found) < 2:
        return found
    level = 10 * np.log10(np.array([c.level for c in found]) + 1e-15)
    strings = [_string(c, targets) for c in found]
    on_string = np.array([s is not None for s in strings])
    sure = np.array([c.tone.rich and c.tone.score > BLEED.sure_score for c in found])
    level = level - _loud(level, sure & (on_string | (targets.tuning is None)), on_string)
    keep = (level > -BLEED.far_db) | ((level > -BLEED.lacking_db) & _lacking(level > -BLEED.far_db, strings, sure, targets))
    if targets.tuning is not None:
        keep &= (level > -BLEED.odd_db) | on_string
    if np.sum(level > -BLEED.alike_db) <= BLEED.few_plucks:
        # a short take says little of the player: what is softer must be heard well to be his
        strings = [s if c.tone.score > BLEED.convincing_score else None for c, s in zip(found, strings, strict=True)]
        if targets.tuning is None:
            keep &= (level > -BLEED.odd_db) | sure
        elif on_string.sum() <= BLEED.few_plucks and np.mean(on_string[level > -BLEED.alike_db]) >= BLEED.min_convincing_share:
            # not where the loud ones, his own, are far out of tune themselves
            keep &= (level > -BLEED.alike_db) | on_string
    keep &= ~_another_player(level, strings, sure, targets)
    if targets.tuning is not None:
        keep &= ~_far_quieter_player(level, strings)
    return [c for c, kept in zip(found, keep, strict=True) if kept]


def _loud(level: NDArray[np.floating], sure: Mask, on_string: Mask) -> float:
    """The level of the loud plucks (dB): a few have it, so that one bang does not count, nor do many soft notes.

    One that is `sure` to be a string does, unless most of what is too soft beside it lies on strings, as a player's does.
    """
    falling = np.sort(level)[::-1]
    few = min(BLEED.few_plucks, len(level)) - 1
    near = falling[: len(level) - few] - falling[few:] < BLEED.alike_db
    loud = float(falling[int(np.argmax(near))])
    one = float(np.max(level[sure], initial=loud))
    soft = level < one - BLEED.far_db
    return loud if np.mean(on_string[soft] if soft.any() else 0.0) > BLEED.min_convincing_share else one


def _string(c: Candidate, targets: Targets) -> int | None:
    """The string a candidate lies on, where a player would have it."""
    if targets.tuning is None:
        return None
    pitch = targets.reference.pitch(c.tone.f1)
    place = place_pitch(pitch, targets)
    if place.string is None:
        return None
    near = targets.source is not None or abs(pitch - targets.tuning.pitch(place.string)) < BLEED.near_target_st
    return place.string if near else None


def _another_player(
    level: NDArray[np.floating], strings: list[int | None], sure: Mask, targets: Targets
) -> Mask:
    """Flags the quiet side of a gap in the levels, unless it holds strings that the loud side lacks."""
    none = np.zeros(len(level), bool)
    rising = np.sort(level)
    gaps = np.diff(rising)
    allowed = (rising[:-1] < -BLEED.other_db) & (rising[1:] > -BLEED.far_db)
    if not np.any(allowed & (gaps > BLEED.gap_db)):
        return none
    k = int(np.argmax(np.where(allowed, gaps, 0.0)))
    quiet = level <= rising[k]
    members = [s for s, q in zip(strings, quiet, strict=True) if q]
    loud = {s for s, q in zip(strings, quiet, strict=True) if not q}
    if targets.tuning is None:
        return quiet if len(members) >= 3 else none
    if len(members) == 1 and members[0] is not None:
        return none  # a band beside the player is not heard once, and not on his string
    own = sum(s is not None and s not in loud for s in members)
    few = len(members) <= len(targets.tuning.pitches)
    if few and own >= 0.5 * len(members):
        return none
    return quiet & ~_lacking(~quiet, strings, sure, targets)


def _lacking(loud: Mask, strings: list[int | None], sure: Mask, targets: Targets) -> Mask:
    """Flags soft strings, heard well and once, that the loud ones lack."""
    if targets.tuning is None:
        return np.zeros(len(loud), bool)
    has = {s for s, is_loud in zip(strings, loud, strict=True) if is_loud}
    soft = [s for s, is_loud in zip(strings, loud, strict=True) if not is_loud]
    lacking = len(has - {None}) >= 0.5 * len(targets.tuning.pitches)
    once = [s is not None and s not in has and soft.count(s) == 1 for s in strings]
    return lacking & sure & np.array(once)


def _far_quieter_player(level: NDArray[np.floating], strings: list[int | None]) -> Mask:
    """Flags soft notes on a string that is also heard loud, where most soft notes lie on no string: a band plays the
    strings' notes now and then."""
    soft = level < -BLEED.other_db
    lies = np.array([s is not None for s in strings])
    loud = {s for s, low in zip(strings, soft, strict=True) if not low}
    band = np.sum(soft & ~lies)
    if band < BLEED.band_tones or band <= BLEED.band_ratio * np.sum(soft & lies):
        return np.zeros(len(level), bool)
    return soft & np.array([s in loud for s in strings])


def without_strays(heard: list[Reading], targets: Targets) -> list[Reading]:
    """Leaves out what begins under a louder string and cannot be read, is no string's, or is one that is heard better.

    A string that is on its way from another tuning may lie anywhere, so nothing is left out there.
    """
    if targets.tuning is None or targets.source is not None:
        return heard
    placed = [r for r in heard if r.string is not None and r.cents is not None and abs(r.cents) < BLEED.found_cents]
    starts, ends = np.array([q.start for q in placed]), np.array([q.end for q in placed])

    def stray(r: Reading) -> bool:
        beside = (starts < r.start + BLEED.again_s) & (ends > r.start - BLEED.again_s)
        about = [placed[k] for k in np.flatnonzero(beside)]
        if _astray(r, placed) and any(_rings_over(q, r) for q in about):
            return True
        return _faint(r, placed) or _no_strings(r, placed)

    return [r for r in heard if not stray(r)]


def _faint(r: Reading, placed: list[Reading]) -> bool:
    """Whether, in a short take, a string that is nowhere heard well is far softer and less certain than the player's."""
    others = [q for q in placed if q is not r and q.level_db > r.level_db + BLEED.faint_db]
    if not others or len(placed) > BLEED.few_plucks or r.sigma_all_partials is None:
        return False
    vague = max(BLEED.vague_cents, BLEED.much_vaguer_ratio * _usual(others))
    well = any(q.string == r.string and (q.sigma_all_partials or 0.0) <= vague for q in placed)
    return r.sigma_all_partials > vague and not well


def _no_strings(r: Reading, placed: list[Reading]) -> bool:
    """Whether what lies on no string is far vaguer than the player's strings are."""
    if r.string is not None or r.sigma_all_partials is None or len(placed) < BLEED.few_plucks:
        return False
    return r.sigma_all_partials > max(BLEED.vague_cents, BLEED.much_vaguer_ratio * _usual(placed))


def _astray(r: Reading, placed: list[Reading]) -> bool:
    if r.f1 is None or r.cents is None or r.sigma_all_partials is None or r.string is None:
        return True
    others = [q for q in placed if q is not r and q.string == r.string]
    if not others or abs(r.cents) > BLEED.astray_cents or r.heard < BLEED.min_octave_probability:
        return bool(others)
    vague = max(BLEED.vague_cents, BLEED.vaguer_ratio * _usual(placed), BLEED.vaguer_ratio * _usual(others))
    again = any(abs(q.end - r.start) < BLEED.again_s for q in others)  # its string rang until it was picked again
    return r.sigma_all_partials > (max(vague, BLEED.no_pitch_cents) if again else vague)


def _usual(readings: list[Reading]) -> float:
    """How vague readings are as a rule, in cents."""
    return float(np.median([r.sigma_all_partials or 0.0 for r in readings]))


def _rings_over(louder: Reading, r: Reading) -> bool:
    return (
        louder.start < r.start - 0.05 and louder.end > r.start + BLEED.rings_on_s and louder.level_db > r.level_db
    )
