"""Names for tunings, also ones never seen: the intervals give the shape, a root string the letter.

Which shapes have names is common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.notes import Note, parse_note, pretty, spell
from juxtatune.core.music.tuning import SAME, Tuning, same_pitches


@dataclass(frozen=True)
class Shape:
    """A pattern of intervals; `root` is the string whose note gives the name its letter."""

    label: str
    intervals: tuple[int, ...]
    root: int
    pattern: str
    model: str


SHAPES = (
    Shape("standard shape", (5, 5, 5, 4, 5), 6, "{} standard", "E2"),
    Shape("dropped shape", (7, 5, 5, 4, 5), 6, "drop {}", "D2"),
    Shape("double-drop shape", (7, 5, 5, 4, 3), 6, "double drop {}", "D2"),
    Shape("open-D shape", (7, 5, 4, 3, 5), 6, "open {}", "D2"),
    Shape("open-G shape", (5, 7, 5, 4, 3), 5, "open {}", "G2"),
    Shape("open-C shape", (7, 5, 7, 5, 4), 6, "open {}", "C2"),
    Shape("open-C-minor shape", (7, 5, 7, 5, 3), 6, "open {} minor", "C2"),
    Shape("open-D-minor shape", (7, 5, 3, 4, 5), 6, "open {} minor", "D2"),
    Shape("D A D G A D shape", (7, 5, 5, 2, 5), 6, "D A D G A D on {}", "D2"),
    Shape("all-fourths shape", (5, 5, 5, 5, 5), 6, "all fourths from {}", "E2"),
    Shape("doubled-low shape", (0, 7, 5, 4, 5), 6, "doubled low {}", "G2"),
    Shape("seven-string standard shape", (5, 5, 5, 5, 4, 5), 7, "seven-string {} standard", "B1"),
    Shape("dropped seven-string shape", (7, 5, 5, 5, 4, 5), 7, "seven-string drop {}", "A1"),
    Shape("bass shape", (5, 5, 5), 4, "bass, {} standard", "E1"),
    Shape("dropped bass shape", (7, 5, 5), 4, "bass, drop {}", "D1"),
    Shape("five-string bass shape", (5, 5, 5, 5), 5, "five-string bass, {} standard", "B0"),
)

_TRIADS = {(0, 4, 7): "open {}", (0, 3, 7): "open {} minor", (0, 7): "open {} fifths"}
_COUNT = (
    "no",
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
)


@dataclass(frozen=True)
class TuningName:
    """A name, and the shape it follows with how far that shape was moved (semitones, up is positive)."""

    name: str
    shape: str | None
    moved: int
    shift_cents: float = 0.0

    def describe(self) -> str:
        """`open-D shape, up two semitones: open E`, as far as there is a shape."""
        if self.shape is None or self.moved == 0:
            return self.name
        steps = abs(self.moved)
        count = _COUNT[steps] if steps < len(_COUNT) else str(steps)
        way = "up" if self.moved > 0 else "down"
        return f"{self.shape}, {way} {count} semitone{'s' if steps != 1 else ''}: {self.name}"


@lru_cache(maxsize=4096)
def name_tuning(tuning: Tuning) -> TuningName:
    """Names any tuning: from the catalogue, by its shape, by its chord, else by its notes."""
    shift = _common_shift(tuning)
    plain = tuning.moved(-shift / 100) if shift else tuning
    found = _catalogue_name(plain)
    shaped = _shape_name(plain)
    if shaped is not None:
        label = found or shaped.name
        return _with_shift(TuningName(label, shaped.shape, shaped.moved), shift)
    label = found or _chord_name(plain) or pretty(" ".join(_letter_and_shift(n) for n in plain.notes))
    return _with_shift(TuningName(label, None, 0), shift)


def _letter_and_shift(note: Note) -> str:
    return note.letter_name() + (f"{note.shift:+.4g}" if note.shift else "")


def _with_shift(name: TuningName, shift: float) -> TuningName:
    if not shift:
        return name
    way = "up" if shift > 0 else "down"
    return TuningName(f"{name.name}, {abs(shift):g} ¢ {way}", name.shape, name.moved, shift)


def _common_shift(tuning: Tuning) -> float:
    shifts = {round((p - round(p)) * 100, 4) for p in tuning.pitches}
    return shifts.pop() if len(shifts) == 1 else 0.0


def _catalogue_name(tuning: Tuning) -> str | None:
    for entry in CATALOGUE:
        if same_pitches(entry.tuning, tuning):
            matching = [a for a in (entry.name, *entry.aliases) if _spelled_alike(a, tuning)]
            return matching[0] if matching else entry.name
    return None


def _spelled_alike(label: str, tuning: Tuning) -> bool:
    wants_flat, wants_sharp = "b " in label or label.endswith("b"), "#" in label
    return (
        (wants_flat and tuning.flats) or (wants_sharp and not tuning.flats) or not (wants_flat or wants_sharp)
    )


def _shape_name(tuning: Tuning) -> TuningName | None:
    for shape in SHAPES:
        if tuning.intervals == shape.intervals:
            root = tuning.note(shape.root)
            moved = round(root.pitch - parse_note(shape.model).pitch)
            letter = spell(root.pitch, tuning.flats, keep_shift=False).letter_name()
            return TuningName(shape.pattern.format(letter), shape.label, moved)
    return None


def _chord_name(tuning: Tuning) -> str | None:
    """`open A`, where every string belongs to one triad of that root."""
    if any(abs(p - round(p)) > SAME for p in tuning.pitches):
        return None
    classes = {round(p) % 12 for p in tuning.pitches}
    for root in [round(p) % 12 for p in tuning.pitches]:
        shape = tuple(sorted((c - root) % 12 for c in classes))
        if shape in _TRIADS:
            return _TRIADS[shape].format(spell(60 + root, tuning.flats).letter_name())
    return None
