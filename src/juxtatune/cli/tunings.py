"""tunings and change: the catalogue, and one retune."""

from __future__ import annotations

from typing import Any

from juxtatune.cli.out import answer, num, say
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import CATALOGUE
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.retuning.change import StringChange, change
from juxtatune.core.retuning.references import HeardAgainst


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
            "strings": [_row(s) for s in result.strings], "stay": list(result.stay), "order": list(result.order),
        })  # fmt: skip
        return
    by_string = {s.string: s for s in result.strings}
    for string in result.order:
        s = by_string[string]
        steps = f"{abs(s.semitones):g} half step{'' if abs(s.semitones) == 1 else 's'} {s.direction}"
        below = ", past it, then come up from below" if s.semitones < 0 else ", come up from below"
        say(pretty(f"string {s.string}: {s.source} to {s.target}, {steps}{below}{_by_ear(s.reference)}"))
    if not result.strings:
        say("nothing moves")


def _by_ear(r: HeardAgainst | None) -> str:
    if r is None:
        return ""
    fret = f" at fret {r.fret}" if r.fret else ""
    state = ", which has landed" if r.landed else ", not yet moved" if r.yet_to_move else ""
    off = f" (beatless it is {r.beat_free_cents:+.3f} ¢ off)" if r.beat_free_cents is not None else ""
    return f"; by ear: {r.interval} string {r.string}{fret}{state}{off}"


def _tuning(text: str, where: str) -> Any:
    try:
        return parse_tuning(text)
    except UserError as error:
        raise error.at(where) from None


def _row(s: StringChange) -> dict[str, Any]:
    return {
        "string": s.string, "from": str(s.source), "to": str(s.target), "semitones": num(s.semitones),
        "direction": s.direction, "reference": _reference(s.reference),
    }  # fmt: skip


def _reference(r: HeardAgainst | None) -> dict[str, Any] | None:
    if r is None:
        return None
    row: dict[str, Any] = {"string": r.string, "fret": r.fret, "interval": r.interval, "landed": r.landed}
    if r.yet_to_move:
        row["yet_to_move"] = True
    if r.beat_free_cents is not None:
        row["beat_free_cents"] = r.beat_free_cents
    return row
