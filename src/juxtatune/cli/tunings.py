"""tunings and change: the catalogue, and one retune."""

from __future__ import annotations

from typing import Any

from juxtatune.cli.out import answer, num, say
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.retuning.change import StringChange, change


def show_tunings(as_json: bool) -> None:
    rows = [
        {
            "name": e.name,
            "aliases": list(e.aliases),
            "notes": e.tuning.names(),
            "intervals": list(e.tuning.intervals),
        }
        for e in CATALOGUE
    ]
    if as_json:
        answer(rows)
        return
    for row in rows:
        say(f"{row['name']:24}{pretty(' '.join(map(str, row['notes'])))}")


def show_change(source: str, target: str, as_json: bool) -> None:
    result = change(_tuning(source, "FROM"), _tuning(target, "TO"))
    if as_json:
        answer({
            "from": result.source.names(), "to": result.target.names(),
            "strings": [_row(s) for s in result.strings], "stay": list(result.stay),
        })  # fmt: skip
        return
    for s in result.strings:
        say(
            f"string {s.string}: {pretty(str(s.source))} to {pretty(str(s.target))}, {abs(s.semitones):g} half steps {s.direction}"
        )
    if not result.strings:
        say("nothing moves")


def _tuning(text: str, where: str) -> Any:
    try:
        return parse_tuning(text)
    except UserError as error:
        raise error.at(where) from None


def _row(s: StringChange) -> dict[str, Any]:
    r = s.reference
    heard = (
        None
        if r is None
        else {"string": r.string, "fret": r.fret, "interval": r.interval, "landed": r.landed}
    )
    return {
        "string": s.string, "from": str(s.source), "to": str(s.target), "semitones": num(s.semitones),
        "direction": s.direction, "reference": heard,
    }  # fmt: skip
