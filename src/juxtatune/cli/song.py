"""song: what a song needs, from written music."""

from __future__ import annotations

from pathlib import Path

from juxtatune.book.formats.written import read_written
from juxtatune.cli.out import answer, say
from juxtatune.core.fretboard.passage import needs
from juxtatune.core.music.naming import name_tuning
from juxtatune.core.music.notes import pretty


def show_song(path: Path, part: str | None, as_json: bool) -> None:
    found = read_written(path, part)
    n = needs(found)
    row = {
        "title": found.title, "parts": list(found.parts), "part": found.name, "tuning": found.tuning.names(),
        "tuning_name": name_tuning(found.tuning).name, "capo": found.capo, "notes": len(found.notes),
        "strings_used": list(n.strings_used),
        "sections": [{"name": name, "strings_used": list(strings)} for name, strings in n.sections],
        "open_strings": list(n.open_strings), "lowest": str(n.lowest) if n.lowest else None,
        "highest": str(n.highest) if n.highest else None, "max_fret": n.max_fret, "harmonics": n.harmonics,
        "bends_semitones": list(n.bends), "passage": n.passage,
    }  # fmt: skip
    if found.computed:
        row["fingering"] = "computed"
    if as_json:
        answer(row)
        return
    say(pretty(f"{found.title}, {found.name}: {row['tuning_name']}" + (f", capo {found.capo}" if found.capo else "")))
    strings = " ".join(map(str, n.strings_used))
    say(pretty(f"{len(found.notes)} notes on strings {strings}, {n.lowest} to {n.highest}, frets to {n.max_fret}"))
    for name, used in n.sections:
        say(f"{name}: strings {' '.join(map(str, used))}")
    if found.computed:
        say("no fingering is written: this is the easiest one for the hand")
