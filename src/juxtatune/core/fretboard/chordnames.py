"""Names of chords from their notes. Chord symbols are common practice, no source; checked against music21."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from juxtatune.core.music.notes import spell_semitone

INTERVALS = (
    "unison", "minor second", "major second", "minor third", "major third", "perfect fourth", "tritone", "perfect fifth",
    "minor sixth", "major sixth", "minor seventh", "major seventh",
)  # fmt: skip
SLASH, NO_FIFTH = 2.5, 1.0  # what a reading costs whose root is not the bass, or that misses its fifth
FIFTH_TELLS = 3.0  # the same of sixth and suspended chords, which without it are other chords first


@dataclass(frozen=True)
class Quality:
    """A chord symbol: half steps above the root that it must have, and may have; how far-fetched it is."""

    symbol: str
    must: frozenset[int]
    may: frozenset[int]
    cost: float


def _q(symbol: str, must: str, may: str = "", cost: float = 0.0) -> Quality:
    return Quality(symbol, frozenset(map(int, must.split())), frozenset(map(int, may.split())), cost)


QUALITIES = (
    _q("", "0 4 7"), _q("m", "0 3 7"), _q("5", "0 7"), _q("dim", "0 3 6", "", 0.5), _q("aug", "0 4 8", "", 0.5),
    _q("7", "0 4 10", "7", 0.5), _q("m7", "0 3 10", "7", 0.5), _q("maj7", "0 4 11", "7", 0.5), _q("mMaj7", "0 3 11", "7", 1.0),
    _q("m7b5", "0 3 6 10", "", 0.5), _q("dim7", "0 3 6 9", "", 0.5), _q("sus4", "0 5 7", "", 1.0), _q("sus2", "0 2 7", "", 1.2),
    _q("7sus4", "0 5 10", "7", 1.2), _q("6", "0 4 9", "7", 1.4), _q("m6", "0 3 9", "7", 1.6),
    _q("add9", "0 2 4", "7", 1.0), _q("madd9", "0 2 3", "7", 1.0), _q("9", "0 2 4 10", "7", 1.0), _q("m9", "0 2 3 10", "7", 1.0),
    _q("maj9", "0 2 4 11", "7", 1.0), _q("7#9", "0 3 4 10", "7", 1.2), _q("7b9", "0 1 4 10", "7", 1.2),
    _q("11", "0 4 5 10", "2 7", 2.0), _q("11", "0 2 5 7 10", "", 2.0), _q("13", "0 4 9 10", "2 5 7", 1.8),
)  # fmt: skip


@dataclass(frozen=True)
class ChordName:
    """`name` is None where no symbol fits: two notes then have an `interval`. `others` are further readings, best first."""

    name: str | None
    others: tuple[str, ...] = ()
    interval: str | None = None


def name_chord(pitches: Sequence[int], flats: bool = False) -> ChordName:
    """Names the chord of some pitches on the MIDI scale (any order, doublings allowed)."""
    bass = min(pitches) % 12
    classes = frozenset(p % 12 for p in pitches)
    if len(classes) == 1:
        return ChordName(_letter(bass, flats))
    if len(classes) == 2:
        return _dyad(bass, next(c for c in classes if c != bass), flats)
    readings = sorted(_readings(classes, bass), key=lambda r: r[0])
    names = list(dict.fromkeys(_symbol(root, quality, bass, flats) for _, root, quality in readings))
    return ChordName(names[0] if names else None, tuple(names[1:5]))


def _letter(pitch_class: int, flats: bool) -> str:
    return spell_semitone(pitch_class + 60, flats).letter_name()


def _dyad(bass: int, other: int, flats: bool) -> ChordName:
    """A fifth, a fourth named by its upper note, or an interval without a name as a chord."""
    above = (other - bass) % 12
    if above == 7:
        return ChordName(f"{_letter(bass, flats)}5")
    if above == 5:
        return ChordName(f"{_letter(other, flats)}5/{_letter(bass, flats)}")
    return ChordName(None, (), INTERVALS[above])


def _readings(classes: frozenset[int], bass: int) -> list[tuple[float, int, Quality]]:
    found = []
    for root in sorted(classes):
        above = frozenset((c - root) % 12 for c in classes)
        for quality in QUALITIES:
            if quality.must <= above <= quality.must | quality.may:
                fifth = 7 in quality.may and 7 not in above
                missing = (FIFTH_TELLS if quality.symbol in ("6", "m6", "7sus4") else NO_FIFTH) * fifth
                cost = quality.cost + missing + SLASH * (root != bass)
                found.append((cost, root, quality))
    return found


def _symbol(root: int, quality: Quality, bass: int, flats: bool) -> str:
    slash = "" if root == bass else f"/{_letter(bass, flats)}"
    return f"{_letter(root, flats)}{quality.symbol}{slash}"
