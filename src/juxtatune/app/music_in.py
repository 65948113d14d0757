"""Written music into a song of the book: what it would change, said before it does."""

from __future__ import annotations

from dataclasses import dataclass, replace

from juxtatune.app import catalogue_edits
from juxtatune.app.fields import show_tuning
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.passage import Needs, WrittenPart, needs
from juxtatune.core.music.notes import pretty
from juxtatune.core.repertoire.song import Details, Section, Song, Way


@dataclass(frozen=True)
class Preview:
    """The book as it would be, the song's id, and lines that say what changes."""

    state: BookState
    song: str
    lines: tuple[str, ...]
    parts: tuple[str, ...] = ()  # of the file
    part: str = ""  # the one that is read


def preview(state: BookState, part: WrittenPart, song_id: str | None) -> Preview:
    """Puts a part's music into a song, or makes a new song of it. Raises UserError where no guitar can play it."""
    fitting = [i for i in state.instruments if i.strings == len(part.tuning)]
    if not fitting:
        raise UserError(f"no guitar with {len(part.tuning)} strings", part.title, "a part for a guitar in the book")
    n = needs(part)
    if song_id is None:
        state = catalogue_edits.add_song(state, part.title[:120], part.tuning)
        song = state.songs[-1]
    else:
        song = state.song(song_id)
    new = _with_music(song, part, n, fitting[0].id)
    return Preview(state.with_song(new), new.id, _lines(part, n, song_id is None), part.parts, part.name)


def _with_music(song: Song, part: WrittenPart, n: Needs, guitar: str) -> Song:
    """The first way takes tuning, capo and strings of the music; the rest of the song stays."""
    first = song.ways[0]
    used = () if len(n.strings_used) == len(part.tuning) else n.strings_used
    instrument = first.instrument if len(first.tuning) == len(part.tuning) else guitar
    way = Way(instrument, part.tuning, part.capo, used, first.compromise_s)
    details: Details = replace(
        song.details, passage=n.passage, passage_tuning=part.tuning, passage_capo=part.capo,
        sections=tuple(Section(name, strings) for name, strings in n.sections),
    )  # fmt: skip
    return replace(song, ways=(way, *song.ways[1:]), details=details)


def music_words(n: Needs, notes: int) -> str:
    """`312 notes on strings 6 5 4, D2 to A4, frets to 12`."""
    strings = " ".join(map(str, n.strings_used))
    bends = f", bends up to {max(n.bends):g} half steps" if n.bends else ""
    harmonics = f", {n.harmonics} harmonics" if n.harmonics else ""
    return pretty(f"{notes} notes on strings {strings}, {n.lowest} to {n.highest}, frets to {n.max_fret}{bends}{harmonics}")


def _lines(part: WrittenPart, n: Needs, new: bool) -> tuple[str, ...]:
    capo = f", capo {part.capo}" if part.capo else ""
    lines = [
        f"{'A new song' if new else 'This song'} from {part.title}, {part.name}: {show_tuning(part.tuning)}{capo}",
        music_words(n, len(part.notes)),
        *(f"{name}: strings {' '.join(map(str, used))}" for name, used in n.sections[:8]),
    ]
    if n.open_strings:
        lines.append(f"open strings that ring: {' '.join(map(str, n.open_strings))}")
    if part.computed:
        lines.append("no fingering is written: the easiest one for the hand is taken")
    return tuple(lines)
