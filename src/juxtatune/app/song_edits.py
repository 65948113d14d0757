"""Edits of songs beyond one field: many at once, sections as they are typed, duplicates found and merged."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from juxtatune.app import catalogue_edits, fields
from juxtatune.book.state import BookState, with_song_replaced
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.refinger import parse_passage
from juxtatune.core.repertoire.song import MATTERS, Details, Section, Song
from juxtatune.core.strings.instrument import Instrument

SMALL_WORDS = {"the", "a", "an"}


def sections(text: str, strings: int) -> tuple[Section, ...]:
    """`Verse: 6 5 4; Chorus all`: names with the strings that each uses. Raises UserError."""
    found = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        match = re.fullmatch(r"(.*):\s*(.+)", part) or re.fullmatch(r"(.*?)\s+(all|[\d\s,+-]+)", part, re.IGNORECASE)
        if match is None or not match[1].strip():
            raise UserError(f"{part[:40]!r} is no section", allowed="a name and its strings, as Verse 6 5 4; Chorus all")
        used = fields.used_strings(match[2], strings)
        found.append(Section(match[1].strip(), used or tuple(range(strings, 0, -1))))
    return tuple(found)


def show_sections(found: tuple[Section, ...]) -> str:
    return "; ".join(f"{s.name}: {' '.join(map(str, s.strings_used))}" for s in found)


def with_passage(song: Song, text: str) -> Details:
    """Details with a passage typed by hand, on the tuning of its music or of the song's first way. Raises UserError."""
    d = song.details
    if not text.strip():
        return replace(d, passage="", passage_tuning=None, passage_capo=0)
    tuning = d.passage_tuning or song.ways[0].tuning
    parse_passage(text, len(tuning))
    capo = d.passage_capo if d.passage_tuning is not None else song.ways[0].capo
    return replace(d, passage=" ".join(text.split()), passage_tuning=tuning, passage_capo=capo)


def find_guitar(state: BookState, text: str) -> Instrument:
    """A guitar by its name or id. Raises UserError that lists them."""
    wanted = text.strip().lower()
    for guitar in state.instruments:
        if wanted in (guitar.name.lower(), guitar.id):
            return guitar
    raise UserError(f"no guitar {text!r}", allowed=", ".join(i.name for i in state.instruments))


# -- many at once: each takes the book, the song and what was typed
def _guitar(state: BookState, song: Song, text: str) -> Song:
    way = replace(song.ways[0], instrument=find_guitar(state, text).id)
    return catalogue_edits.change_way(state, song.id, 0, way).song(song.id)


def _tuning(state: BookState, song: Song, text: str) -> Song:
    guitar = state.instrument(song.ways[0].instrument)
    way = replace(song.ways[0], tuning=fields.tuning(text, guitar.strings, guitar.home))
    return replace(song, ways=(way, *song.ways[1:]))


def _detail(name: str, read: Callable[[str], object]) -> Callable[[BookState, Song, str], Song]:
    def edit(_: BookState, song: Song, text: str) -> Song:
        details: Details = replace(song.details, **{name: read(text)})  # type: ignore[arg-type]
        return replace(song, details=details)

    return edit


def matters(text: str) -> str:
    if text.strip().lower() not in MATTERS:
        raise UserError(f"{text!r}", allowed=", ".join(MATTERS))
    return text.strip().lower()


def yes_no(text: str) -> bool:
    """Whether `yes` or `no` was typed."""
    plain = text.strip().lower()
    if plain not in ("yes", "no", "y", "n"):
        raise UserError(f"{text!r}", allowed="yes or no")
    return plain[0] == "y"


MANY: dict[str, tuple[str, Callable[[BookState, Song, str], Song]]] = {
    "guitar": ("Guitar", _guitar),
    "tuning": ("Tuning", _tuning),
    "length": ("Length", lambda _, s, t: replace(s, length_s=fields.length(t))),
    "energy": ("Energy", lambda _, s, t: replace(s, energy=fields.number(t, 0, 10))),
    "tempo": ("Tempo", _detail("tempo", lambda t: fields.number(t, 0, 400))),
    "matters": ("Tuning is", _detail("matters", matters)),
    "shakes": ("Arm work", _detail("shakes", yes_no)),
    "down": ("Singer down", _detail("down", lambda t: fields.whole(t, 0, 12))),
    "up": ("Singer up", _detail("up", lambda t: fields.whole(t, 0, 12))),
}


def edit_many(state: BookState, songs: Iterable[str], typed: dict[str, str]) -> BookState:
    """Every song with what was typed for all of them; empty fields leave what is there.

    Raises UserError naming the song and the field where one cannot take it; then nothing is changed.
    """
    for song_id in songs:
        song = state.song(song_id)
        for name, text in typed.items():
            if not text.strip():
                continue
            label, edit = MANY[name]
            try:
                song = edit(state, song, text)
            except UserError as error:
                raise UserError(error.what, f"{song.title}, {label}", error.allowed) from None
            state = state.with_song(song)
    return state


def remove_many(state: BookState, songs: Iterable[str]) -> BookState:
    for song in songs:
        state = catalogue_edits.remove_song(state, song)
    return state


# -- duplicates
@dataclass(frozen=True)
class Duplicate:
    """Two songs that seem to be one: the first stays, and why they are taken for one."""

    kept: Song
    other: Song
    why: str


def duplicates(songs: Iterable[Song]) -> list[Duplicate]:
    """Pairs with the same title but for small words, accents and one letter, or with the same music."""
    found: dict[tuple[str, str], Duplicate] = {}
    by_key: dict[str, Song] = {}
    by_music: dict[tuple[str, str], Song] = {}
    for song in songs:
        title = _key(song.title)
        for key in _near(title):
            first = by_key.setdefault(key, song)
            if first is not song and abs(len(_key(first.title)) - len(title)) <= 1:
                same = _key(first.title) == title
                found.setdefault((first.id, song.id), Duplicate(first, song, "the same title" if same else "nearly the same title"))
        if song.details.passage:
            music = (song.details.passage, str(song.details.passage_tuning))
            first = by_music.setdefault(music, song)
            if first is not song:
                found.setdefault((first.id, song.id), Duplicate(first, song, "the same music"))
    return list(found.values())


def _key(title: str) -> str:
    plain = unicodedata.normalize("NFKD", title.casefold())
    words = re.findall(r"[a-z0-9]+", plain) or [title.casefold()]
    return "".join(w for w in words if w not in SMALL_WORDS) or "".join(words)


def _near(key: str) -> list[str]:
    """The key, and, where it is long enough to be told, the key without each of its letters."""
    if len(key) < 6:
        return [key]
    return [key, *sorted({f"{key[:k]}·{key[k + 1:]}" for k in range(len(key))} | {key[:k] + key[k + 1 :] for k in range(len(key))})]


def merged(state: BookState, kept: str, other: str) -> BookState:
    """One song of two: ways that it lacks are added, empty details are filled, nights and orders play the one that stays."""
    a, b = state.song(kept), state.song(other)
    ways = (*a.ways, *(w for w in b.ways if w not in a.ways))
    plain = Details()
    filled = {
        name: getattr(b.details, name)
        for name in plain.__dataclass_fields__
        if getattr(a.details, name) == getattr(plain, name)
    }
    state = state.with_song(replace(a, ways=ways, details=replace(a.details, **filled)))
    for night in state.nights:
        played = {s.song for s in night.slots}
        if other in played and kept not in played:
            state = state.with_night(with_song_replaced(night, other, kept))
    return catalogue_edits.remove_song(state, other)
