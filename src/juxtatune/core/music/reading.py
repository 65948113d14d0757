"""Tunings as players write and say them: lists, letters without octaves, names, words in any order, shifts."""

from __future__ import annotations

import difflib
import re

from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import CATALOGUE, lookup, standard_for
from juxtatune.core.music.families import FAMILIES, Family, family
from juxtatune.core.music.notes import STEPS, Note, parse_note
from juxtatune.core.music.tuning import FEWEST, MOST, Tuning, parse_notes

NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")
ALLOWED = "notes as in 'E2 A2 D3 G3 B3 E4', letters as in 'DADGBE', or a name as in 'drop D', 'half step down', 'open G'"
GUITAR_5, BASS_5 = "A2 D3 G3 B3 E4", "B0 E1 A1 D2 G2"
MOST_CENTS, MOST_STEPS = 1200.0, 36
IGNORED = {"tuning", "tuned", "tune", "guitar", "to", "in", "the", "by"}

_LETTER = r"[A-G](?:##|bb|#|b)?"
_SIGNED = re.compile(r"(.*?)[,\s]*([+-]\s*\d+(?:\.\d+)?)\s*(?:¢|c|ct|cents?)?", re.IGNORECASE | re.DOTALL)
_SIDED = re.compile(
    r"(.*?)[,\s]*(\d+(?:\.\d+)?)\s*(?:¢|ct|c|cents?)\s*(up|down|sharp|flat|higher|lower|above|below)", re.IGNORECASE | re.DOTALL
)
_STEPS = re.compile(
    r"(.+?)[,\s]+(?:by\s+)?(an?|\d+|" + "|".join(NUMBERS) + r")\s+(half|whole|full)\s+steps?\s+(up|down)", re.IGNORECASE
)
_WITHOUT = re.compile(r"(.+?)[,\s]+without\s+(?:the|its)\s+6th(?:\s+string)?", re.IGNORECASE)


def parse_tuning(text: str, home: Tuning | None = None) -> Tuning:
    """A tuning in any of the ways that players write one; letters take the octaves nearest to `home`.

    Raises UserError with what was read and the nearest names that can be.
    """
    plain = _plain(text)
    found = _read(plain, home) if plain else None
    if found is None:
        raise _unreadable(text, plain)
    return found


def _plain(text: str) -> str:
    """One spelling of accidentals, minus signs, spaces and the words that have several."""
    t = text.replace("♯", "#").replace("♭", "b").replace("−", "-").replace("–", "-").replace("\u00a0", " ").strip().rstrip(".")
    t = re.sub(r"\b([A-Ga-g])[ -]?(flat|sharp)\b", lambda m: m[1] + ("b" if m[2].lower() == "flat" else "#"), t, flags=re.I)
    t = re.sub(r"\b(half|whole|full)-steps?\b", r"\1 step", t, flags=re.I)
    t = re.sub(r"\bdropped\b|\bdrop-(?=[A-G])", "drop ", t, flags=re.I)
    for digit, word in ((4, "four"), (5, "five"), (6, "six"), (7, "seven"), (8, "eight"), (12, "twelve")):
        t = re.sub(rf"\b(?:{digit}|{word})[ -]?strings?\b", f"{word}-string", t, flags=re.I)
    return re.sub(r"\s+", " ", t)


def _read(t: str, home: Tuning | None) -> Tuning | None:
    return (
        lookup(t) or _family(t) or _listed(t) or _letters(t, home) or _words(t)
        or _without(t, home) or _stepped(t, home) or _shifted(t, home)
    )  # fmt: skip


def _family(t: str) -> Tuning | None:
    key = t.lower()
    return next((f.tuning for f in FAMILIES if f.name.lower() == key), None)


def _listed(t: str) -> Tuning | None:
    """Notes with octaves."""
    parts = [p for p in re.split(r"[\s,]+", t) if p]
    if len(parts) < FEWEST or not all(re.match(r"[A-Ga-g][#bx]{0,2}-?\d", p) for p in parts):
        return None
    try:
        return parse_notes(t)
    except UserError:
        return None


# -- letters
def _letters(t: str, home: Tuning | None) -> Tuning | None:
    """Letters without octaves, low to high."""
    parts = [p for p in re.split(r"[\s,]+", t) if p]
    if len(parts) > 1 and all(re.fullmatch(r"[A-Ga-g](##|bb|#|b)?", p) for p in parts):
        found = [p[0].upper() + p[1:] for p in parts]
    elif re.fullmatch(rf"(?:{_LETTER})+", t):
        found = re.findall(_LETTER, t)
    else:
        return None
    if not FEWEST <= len(found) <= MOST:
        return None
    known = _catalogued(found)
    if known is not None:
        return known
    if home is not None and len(home) == len(found):
        return _near(found, home)
    if len(found) == 5:
        guitar, bass = (_near(found, parse_notes(h)) for h in (GUITAR_5, BASS_5))
        return guitar if _moved(guitar, GUITAR_5) <= _moved(bass, BASS_5) else bass
    return _near(found, standard_for(len(found)))


def _class(letter: str) -> int:
    return (STEPS[letter[0]] + letter.count("#") - letter[1:].count("b")) % 12


def _catalogued(letters: list[str]) -> Tuning | None:
    """The catalogue's tuning of these letters, spelled as they are."""
    classes = [_class(x) for x in letters]
    for entry in CATALOGUE:
        pitches = entry.tuning.pitches
        if [round(p) % 12 for p in pitches] == classes:
            return Tuning(tuple(_at(x, p) for x, p in zip(letters, pitches, strict=True)))
    return None


def _at(letter: str, pitch: float) -> Note:
    """A letter in the octave nearest to a pitch; a tritone away, the lower."""
    note = Note(letter[0], letter.count("#") - letter[1:].count("b"), 0)
    octave = min(range(-1, 10), key=lambda o: (abs(note.pitch + 12 * o - pitch), o))
    return Note(note.letter, note.alter, octave)


def _near(letters: list[str], home: Tuning) -> Tuning:
    return Tuning(tuple(_at(x, p) for x, p in zip(letters, home.pitches, strict=True)))


def _moved(tuning: Tuning, home: str) -> float:
    return sum(abs(a - b) for a, b in zip(tuning.pitches, parse_notes(home).pitches, strict=True))


# -- words
def _words(t: str) -> Tuning | None:
    words = [w for w in re.split(r"[\s,]+", t.lower()) if w and w not in IGNORED]
    if any(w in ("step", "steps") for w in words):
        return _whole_guitar(words)
    strings = next((w for w in words if w.endswith("-string")), None)
    kinds = [w for w in words if w in ("standard", "drop", "double", "open", "minor")]
    notes = [w for w in words if re.fullmatch(r"[a-g][#b]?", w)]
    if len(kinds) + len(notes) + (strings is not None) != len(words) or len(notes) > 1 or len(set(kinds)) != len(kinds):
        return None
    prefix = f"{strings} " if strings not in (None, "six-string") else ""
    names = {
        (): "standard", ("standard",): "standard", ("drop",): "drop", ("double", "drop"): "double drop", ("open",): "open",
        ("minor", "open"): "open minor",
    }  # fmt: skip
    kind = names.get(tuple(sorted(kinds)))
    if kind is None or (kind == "standard" and not kinds and not notes and strings is None):
        return None
    if not notes:
        return (_family(f"{prefix}standard") or lookup(f"{prefix}standard")) if kind == "standard" else None
    return _rooted(prefix, kind, notes[0])


def _rooted(prefix: str, kind: str, note: str) -> Tuning | None:
    """A family with its root on a note."""
    wanted, flats = _class(note[0].upper() + note[1:]), note.endswith("b") and len(note) == 2
    homes = {
        "standard": ("standard",), "drop": ("drop D", "drop A", "drop E"), "double drop": ("double drop D",),
        "open": ("open C", "open D", "open G"), "open minor": ("open C minor", "open D minor", "open G minor"),
    }[kind]  # fmt: skip
    for home in homes:
        found: Family | None = next((f for f in FAMILIES if f.name == prefix + home), None)
        moved = found.moved_to(wanted, flats) if found is not None else None
        if moved is not None:
            return moved
    return None


def _whole_guitar(words: list[str]) -> Tuning | None:
    """`a half step down`, `down 3 half steps`, `full step up`: standard, moved as a whole."""
    rest = [w for w in words if w not in ("step", "steps", "standard")]
    unit = [w for w in rest if w in ("half", "whole", "full")]
    way = [w for w in rest if w in ("up", "down")]
    count = [w for w in rest if w not in ("half", "whole", "full", "up", "down")]
    if len(unit) != 1 or len(way) != 1 or len(count) > 1:
        return None
    number = _count(count[0]) if count else 1
    if number is None:
        return None
    return _by_steps(family("standard").tuning, number * (1 if unit[0] == "half" else 2), way[0])


def _count(word: str) -> int | None:
    if word in ("a", "an"):
        return 1
    if word in NUMBERS:
        return NUMBERS.index(word)
    return int(word) if word.isdigit() and len(word) < 4 else None


def _by_steps(tuning: Tuning, half_steps: int, way: str) -> Tuning | None:
    if half_steps > MOST_STEPS:
        return None
    if way.lower() == "down" and half_steps in (1, 2) and tuning == family("standard").tuning:
        return lookup(("half step down", "whole step down")[half_steps - 1])  # with its own spelling
    return tuning.moved(half_steps if way.lower() == "up" else -half_steps)


# -- what stands behind a tuning
def _without(t: str, home: Tuning | None) -> Tuning | None:
    match = _WITHOUT.fullmatch(t)
    base = _read(match[1], None) if match else None
    return Tuning(base.notes[1:]) if base is not None and len(base) == 6 else None


def _stepped(t: str, home: Tuning | None) -> Tuning | None:
    match = _STEPS.fullmatch(t)
    number = _count(match[2].lower()) if match else None
    base = _read(match[1].strip(" ,"), home) if match and number is not None else None
    if match is None or base is None or number is None:
        return None
    return _by_steps(base, number * (1 if match[3].lower() == "half" else 2), match[4])


def _shifted(t: str, home: Tuning | None) -> Tuning | None:
    """Cents behind any tuning; alone they shift standard."""
    match = _SIDED.fullmatch(t)
    if match:
        cents = float(match[2]) * (1 if match[3].lower() in ("up", "sharp", "higher", "above") else -1)
    elif match := _SIGNED.fullmatch(t):
        cents = float(match[2].replace(" ", ""))
    else:
        return None
    rest = match[1].strip(" ,")
    base = _read(rest, home) if rest else family("standard").tuning
    return base.moved(cents / 100) if base is not None and abs(cents) <= MOST_CENTS else None


def _unreadable(text: str, plain: str) -> UserError:
    names = [*(f.name for f in FAMILIES), *(n for e in CATALOGUE for n in (e.name, *e.aliases))]
    by_key = {n.lower(): n for n in names}
    near = [by_key[k] for k in difflib.get_close_matches(plain.lower()[:60], list(by_key), 3, 0.5)]
    try:
        note = parse_note(plain)
    except UserError:
        what = f"{text.strip()[:80]!r} is not a tuning that can be read"
    else:
        what = f"{text.strip()!r} is one note, {note}, and a tuning has {FEWEST} to {MOST}"
    nearest = f"; nearest: {', '.join(repr(n) for n in near)}" if near else ""
    return UserError(what, allowed=ALLOWED + nearest)
