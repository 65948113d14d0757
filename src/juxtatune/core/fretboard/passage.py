"""A written part, note by note, and what it asks of strings and hand: used strings, range, open strings, bends."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from juxtatune.core.fretboard.refinger import finger
from juxtatune.core.music.notes import Note, spell
from juxtatune.core.music.tuning import Tuning

# half steps above the open string that a natural harmonic sounds, by its fret
HARMONIC_STEPS = {12: 12, 7: 19, 19: 19, 5: 24, 24: 24, 9: 28, 4: 28, 16: 28, 3: 31}


@dataclass(frozen=True)
class PartNote:
    """One struck note. `pitch` sounds, capo included; string and fret (from the capo) are None where none is written."""

    event: int
    pitch: float
    string: int | None = None
    fret: int | None = None
    harmonic: bool = False
    bend: float = 0.0  # half steps
    section: int = -1  # index into the part's sections


@dataclass(frozen=True)
class WrittenPart:
    """A part as it was read. Dead notes, tied notes and targets of bends are not in `notes`."""

    title: str
    parts: tuple[str, ...]
    name: str
    tuning: Tuning
    capo: int
    notes: tuple[PartNote, ...]
    sections: tuple[str, ...] = ()
    computed: bool = False  # the fingering is ours


@dataclass(frozen=True)
class Needs:
    """What a part asks for; strings highest number first."""

    strings_used: tuple[int, ...]
    sections: tuple[tuple[str, tuple[int, ...]], ...]
    open_strings: tuple[int, ...]
    lowest: Note | None
    highest: Note | None
    max_fret: int
    harmonics: int
    bends: tuple[float, ...]
    passage: str


def sounding(tuning: Tuning, capo: int, string: int, fret: int, harmonic: bool) -> float:
    """What a string sounds at a fret counted from the capo."""
    above = HARMONIC_STEPS.get(fret, fret) if harmonic else fret
    return tuning.pitch(string) + capo + above


def fingered(part: WrittenPart, frets: int = 24) -> WrittenPart:
    """The part with a fingering: its own where every note has one, else the cheapest for the hand."""
    if all(n.string is not None for n in part.notes):
        return part
    events: dict[int, list[int]] = {}
    for k, note in enumerate(part.notes):
        events.setdefault(note.event, []).append(k)
    order = sorted(events)
    asked = [tuple((part.notes[k].pitch, False) for k in events[e]) for e in order]
    found = finger(part.tuning, asked, frets, part.capo)
    notes = list(part.notes)
    for event, places in zip(order, found.events, strict=True):
        for n, k in enumerate(events[event]):
            place = places[n] if places is not None else None
            notes[k] = replace(notes[k], string=place.string if place else None, fret=place.fret if place else None)
    return replace(part, notes=tuple(notes), computed=True)


def needs(part: WrittenPart) -> Needs:
    """What a fingered part asks for."""
    notes = part.notes
    plain = [n for n in notes if not n.harmonic and n.fret is not None]
    pitches = [n.pitch for n in notes]
    sections = tuple(
        (name, _strings(n for n in notes if n.section == k)) for k, name in enumerate(part.sections)
        if any(n.section == k for n in notes)
    )  # fmt: skip
    flats = part.tuning.flats
    return Needs(
        _strings(notes), sections, _strings(n for n in plain if n.fret == 0),
        spell(min(pitches), flats) if pitches else None, spell(max(pitches), flats) if pitches else None,
        max((n.fret or 0 for n in plain), default=0), sum(n.harmonic for n in notes),
        tuple(sorted({n.bend for n in notes if n.bend})), passage_text(part),
    )  # fmt: skip


def _strings(notes: Iterable[PartNote]) -> tuple[int, ...]:
    return tuple(sorted({n.string for n in notes if n.string is not None}, reverse=True))


def passage_text(part: WrittenPart) -> str:
    """`6:0 6:3 5:2+4:2`."""
    events: dict[int, list[str]] = {}
    for n in part.notes:
        if n.string is not None:
            events.setdefault(n.event, []).append(f"{n.string}:{n.fret}")
    return " ".join("+".join(dict.fromkeys(events[e])) for e in sorted(events))
