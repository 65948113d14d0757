"""Songs of a table into the book: which column is what, and what would change, said before it does."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace

from juxtatune.app import catalogue_edits, fields
from juxtatune.app.song_edits import find_guitar, matters, yes_no
from juxtatune.book.formats.songs_csv import SongTable
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.repertoire.song import Song, Way

# of each thing that a column can hold: the words that its heading may have
COLUMNS: dict[str, tuple[str, ...]] = {
    "title": ("title", "song", "name", "track"), "length": ("length", "duration", "time"), "energy": ("energy",),
    "guitar": ("guitar", "instrument"), "tuning": ("tuning", "tuned"), "capo": ("capo",),
    "strings": ("strings", "strings used"), "compromise": ("compromise",), "key": ("key",),
    "tempo": ("tempo", "bpm"), "cue": ("cue", "patch"), "notes": ("notes", "note", "comment", "remarks"),
    "matters": ("tuning is", "matters"), "shakes": ("arm work", "shakes", "check after"),
    "down": ("singer down",), "up": ("singer up",),
}  # fmt: skip
MOST_TEXT = 2_000
Mapping = tuple[str | None, ...]  # of each column of a table: what it holds


@dataclass(frozen=True)
class SongsPreview:
    """The book as it would be; a line for every song that is new or changes; what could not be taken, line by line."""

    state: BookState
    new: tuple[str, ...]
    changed: tuple[str, ...]
    same: int
    refused: tuple[str, ...]


def guessed(table: SongTable) -> Mapping:
    """Columns by their headings, each thing once."""
    taken: set[str] = set()
    out: list[str | None] = []
    for heading in table.headings:
        plain = " ".join(re.findall(r"[a-z]+", heading.casefold()))
        found = next((name for name, words in COLUMNS.items() if plain in words and name not in taken), None)
        if found is not None:
            taken.add(found)
        out.append(found)
    return tuple(out)


def preview(state: BookState, table: SongTable, mapping: Mapping) -> SongsPreview:
    """Songs are known by their titles; a row that cannot be read is left out whole and told with its line.

    Raises UserError where no column holds titles or there is no guitar.
    """
    if "title" not in mapping:
        raise UserError("no column holds the titles", table.name, "a column that is the title")
    if not state.instruments:
        raise UserError("no guitar to play them on", allowed="add a guitar first")
    new, changed, refused, same = [], [], [], 0
    for line, cells in table.rows:
        row = {name: cell for name, cell in zip(mapping, cells, strict=False) if name is not None and cell}
        try:
            after, song, was = _with_row(state, row)
        except UserError as error:
            refused.append(f"line {line}: {error.message()}")
            continue
        words = f"{song.title}, {fields.show_tuning(song.ways[0].tuning)}"
        if was is None:
            new.append(words)
        elif was != song:
            changed.append(words)
        else:
            same += 1
        state = after
    return SongsPreview(state, tuple(new), tuple(changed), same, tuple(refused))


def _with_row(state: BookState, row: dict[str, str]) -> tuple[BookState, Song, Song | None]:
    title = fields.words(row.get("title", ""))
    was = next((s for s in state.songs if s.title.casefold() == title.casefold()), None)
    if was is None:
        alone = "tuning" in row and "guitar" not in row
        state = catalogue_edits.add_song(state, title, fields.tuning(row["tuning"], None) if alone else None)
    song = was or state.songs[-1]
    state = state.with_song(_edited(state, song, row))
    return state, state.song(song.id), was


def _edited(state: BookState, song: Song, row: dict[str, str]) -> Song:
    way = _way(state, song.ways[0], row)
    details = song.details
    readers: dict[str, Callable[[str], object]] = {
        "key": lambda t: t[:MOST_TEXT], "cue": lambda t: t[:MOST_TEXT], "notes": lambda t: t[:MOST_TEXT],
        "tempo": lambda t: fields.number(t, 0, 400), "matters": matters, "shakes": yes_no,
        "down": lambda t: fields.whole(t, 0, 12), "up": lambda t: fields.whole(t, 0, 12),
    }  # fmt: skip
    for name, read in readers.items():
        if name in row:
            details = replace(details, **{name: read(row[name])})  # type: ignore[arg-type]
    return replace(
        song, ways=(way, *song.ways[1:]), details=details,
        length_s=fields.length(row["length"]) if "length" in row else song.length_s,
        energy=fields.number(row["energy"], 0, 10) if "energy" in row else song.energy,
    )  # fmt: skip


def _way(state: BookState, way: Way, row: dict[str, str]) -> Way:
    """The first way with what the row says of it. Raises UserError."""
    guitar = find_guitar(state, row["guitar"]) if "guitar" in row else state.instrument(way.instrument)
    stays = guitar.id == way.instrument
    tuning = fields.tuning(row["tuning"], guitar.strings, guitar.home) if "tuning" in row else way.tuning if stays else guitar.home
    used = fields.used_strings(row["strings"], guitar.strings) if "strings" in row else way.strings_used
    return Way(
        guitar.id, tuning, fields.whole(row["capo"], 0, 12) if "capo" in row else way.capo,
        used if all(s <= guitar.strings for s in used) else (),
        fields.number(row["compromise"].rstrip("s "), 0, 600) if "compromise" in row else way.compromise_s, way.refingered,
    )  # fmt: skip


def table_of(state: BookState) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """Every song of the book as headings and rows that read back."""
    headings = tuple(words[0].capitalize() for words in COLUMNS.values())
    return headings, [_row(state, s) for s in state.songs]


def _row(state: BookState, s: Song) -> tuple[str, ...]:
    way, d = s.ways[0], s.details
    return (
        s.title, fields.show_length(s.length_s), f"{s.energy:g}", state.instrument(way.instrument).name,
        fields.show_tuning(way.tuning), str(way.capo), fields.show_used(way.strings_used), f"{way.compromise_s:g}", d.key,
        f"{d.tempo:g}" if d.tempo else "", d.cue, d.notes, d.matters, "yes" if d.shakes else "no", str(d.down), str(d.up),
    )  # fmt: skip
