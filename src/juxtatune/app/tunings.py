"""The tunings that a player can look at: tonight's, their own, the catalogue; what each asks of a guitar; distances."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from juxtatune.app import fields
from juxtatune.app.naming import fresh_id
from juxtatune.app.tuning_names import show_tuning
from juxtatune.book.state import BookState, NightRecord, OwnTuning
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.families import FAMILIES, family
from juxtatune.core.music.naming import half_steps_words, name_tuning, nearest_named
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning, same_pitches
from juxtatune.core.retuning.costs import retune_seconds
from juxtatune.core.strings.instrument import Instrument
from juxtatune.core.strings.setup import out_of_range

TONIGHT, YOURS, KNOWN = "tonight", "yours", "catalogue"
MOST_NAME = 60


@dataclass(frozen=True)
class Listed:
    """One tuning of the list, and where it comes from; `own` is the id of one of the player's."""

    name: str
    tuning: Tuning
    group: str
    own: str | None = None


def listed(state: BookState, night: NightRecord | None, text: str = "") -> list[Listed]:
    """Tonight's tunings, then the player's own, then the catalogue, each once; those whose name or notes hold a text,
    names that begin with it first."""
    rows: list[Listed] = []
    own = {o.id: o for o in state.tunings}
    for tuning in tonight(state, night):
        rows.append(Listed(show_tuning(tuning), tuning, TONIGHT, _own_id(own.values(), tuning)))
    rows += [Listed(o.name, o.tuning, YOURS, o.id) for o in own.values() if not _among(o.tuning, rows)]
    for tuning in (*(e.tuning for e in CATALOGUE), *(f.tuning for f in FAMILIES)):
        if not _among(tuning, rows):
            rows.append(Listed(show_tuning(tuning), tuning, KNOWN))
    wanted = text.casefold().split()
    found = [r for r in rows if all(w in _searched(r) for w in wanted)]
    return sorted(found, key=lambda r: not r.name.casefold().startswith(" ".join(wanted))) if wanted else found


def _searched(row: Listed) -> str:
    return f"{row.name} {row.tuning} {pretty(str(row.tuning))} {len(row.tuning)}-string {row.group}".casefold()


def _among(tuning: Tuning, rows: Sequence[Listed]) -> bool:
    return any(same_pitches(tuning, r.tuning) for r in rows)


def _own_id(own: object, tuning: Tuning) -> str | None:
    return next((o.id for o in own if same_pitches(o.tuning, tuning)), None)  # type: ignore[attr-defined]


def tonight(state: BookState, night: NightRecord | None, strings: int | None = None) -> list[Tuning]:
    """The tunings of the night's songs in the ways chosen, each once, in playing order."""
    found: list[Tuning] = []
    for slot in night.slots if night is not None else ():
        ways = state.song(slot.song).ways
        tuning = ways[slot.way or 0].tuning
        fits = strings is None or len(tuning) == strings
        if fits and not any(same_pitches(tuning, t) for t in found):
            found.append(tuning)
    return found


def distances(guitar: Instrument, tunings: Sequence[Tuning]) -> list[list[float]]:
    """Seconds of retuning every string from each tuning (row) to each (column) on a guitar."""
    return [
        [retune_seconds(guitar.costs, guitar.strings, [m for m in _moves(a, b) if abs(m) > 1e-6]) for b in tunings]
        for a in tunings
    ]


def _moves(a: Tuning, b: Tuning) -> list[float]:
    return [y - x for x, y in zip(a.pitches, b.pitches, strict=True)]


def moves_words(a: Tuning, b: Tuning) -> str:
    """`6 ↓2, 3 ↓1: 2 strings`."""
    parts = []
    for string, move in zip(b.strings, _moves(a, b), strict=True):
        if abs(move) > 1e-6:
            size = f"{abs(move):g}" if abs(move - round(move)) < 0.005 else f"{round(abs(move) * 100)} ¢"
            parts.append(f"{string} {'↓' if move < 0 else '↑'}{size}")
    count = "no string moves" if not parts else "1 string moves" if len(parts) == 1 else f"{len(parts)} strings move"
    return ", ".join([count, *parts]) if len(parts) <= 8 else count


def about(tuning: Tuning, guitar: Instrument | None) -> list[str]:
    """What a player wants to know of a tuning: notes, family, what it asks of a guitar that has as many strings."""
    found = name_tuning(tuning)
    first = [fields.show_notes(tuning), "intervals " + "-".join(f"{i:g}" for i in tuning.intervals)]
    if found.shape and found.moved:
        first.append(pretty(f"the shape of {found.shape}, {half_steps_words(found.moved)}"))
    near = [n for n, moved in nearest_named(tuning, 3) if n != found.name]
    if near:
        first.append(pretty("nearest " + ", ".join(near[:3])))
    lines = [" · ".join(first)]
    if guitar is not None and guitar.strings == len(tuning):
        lines += _on(guitar, tuning)
    return lines


def _on(guitar: Instrument, tuning: Tuning) -> list[str]:
    seconds = distances(guitar, [guitar.tuning, tuning])[0][1]
    home = [m for m in _moves(guitar.home, tuning) if abs(m) > 1e-6]
    lines = [f"{guitar.name} as it stands: {moves_words(guitar.tuning, tuning)}, {seconds:.0f} s",
             f"from home: {moves_words(guitar.home, tuning)}"] if home or seconds else [f"{guitar.name} stands in it"]  # fmt: skip
    far = out_of_range(guitar.setup, _moves(guitar.home, tuning))
    if far:
        names = ", ".join(str(guitar.strings - k) for k in far)
        lines.append(f"beyond what {guitar.name}'s strings go: {names}. Raised strings may break, slack ones rattle.")
    return lines


def relatives(tuning: Tuning) -> list[Tuning]:
    """The same shape moved as a whole, from lowest to highest, as far as it has names; a tuning of no family has none."""
    shape = name_tuning(tuning).shape
    if shape is None:
        return []
    found = family(shape)
    return [found.tuning.moved(n, tuning.flats) for n in range(found.low, found.high + 1)]


def keep_own(state: BookState, name: str, text: str, home: Tuning | None = None) -> BookState:
    """The book with a tuning of the player's own. Raises UserError where its name is empty, taken, or reads as another."""
    name = fields.words(name)
    if len(name) > MOST_NAME:
        raise UserError(f"a name of {len(name)} letters", allowed=f"{MOST_NAME} at most")
    tuning = fields.tuning(text, None, home)
    if any(o.name.casefold() == name.casefold() for o in state.tunings):
        raise UserError(f"{name!r} is one of your tunings already", allowed="another name")
    known = _read(name)
    if known is not None and not same_pitches(known, tuning):
        raise UserError(f"{name!r} means {known}", allowed="a name that means no other tuning")
    return state.with_tuning(OwnTuning(fresh_id(name, {o.id for o in state.tunings}), name, tuning))


def _read(text: str) -> Tuning | None:
    try:
        return parse_tuning(text)
    except UserError:
        return None


def forget_own(state: BookState, own_id: str) -> BookState:
    """The book without one of the player's tunings; songs and guitars keep its notes."""
    return replace(state, tunings=tuple(o for o in state.tunings if o.id != own_id))
