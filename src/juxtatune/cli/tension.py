"""tension: what every string carries in a tuning."""

from __future__ import annotations

from pathlib import Path

from juxtatune.book.formats.guitar import read_guitar
from juxtatune.cli.out import answer, num, say
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.strings.tension import NEWTONS_A_POUND, tensions


def show_tension(path: Path, text: str | None, as_json: bool) -> None:
    guitar = read_guitar(path)
    try:
        tuning = parse_tuning(text, guitar.home) if text is not None else guitar.tuning
        found = tensions(tuning, guitar.home, guitar.scales_mm, guitar.gauges)
    except UserError as error:
        raise error.at("TUNING") from None
    rows = [
        {
            "string": r.string, "note": str(tuning.note(r.string)), "tension_n": num(r.newtons),
            "tension_lbf": num(r.newtons / NEWTONS_A_POUND) if r.newtons is not None else None,
            "against_home": num(r.ratio - 1), "ratio": num(r.ratio), "stress_mpa": num(r.stress_mpa),
            "strength_share": num(r.strength_share), "gauge_for_same_feel_mm": num(r.same_feel_mm),
        }
        for r in found.strings
    ]  # fmt: skip
    if as_json:
        answer({
            "strings": rows, "total_n": num(found.total_newtons),
            "total_lbf": num(found.total_newtons / NEWTONS_A_POUND) if found.total_newtons is not None else None,
            "against_home": num(found.total_ratio - 1) if found.total_newtons is not None else None,
            "warnings": list(found.warnings),
        })  # fmt: skip
        return
    for r in found.strings:
        newtons = "" if r.newtons is None else f"{r.newtons:6.1f} N  {r.newtons / NEWTONS_A_POUND:5.1f} lbf  "
        feel = "" if r.same_feel_mm is None else f", {r.same_feel_mm:.2f} mm for the old feel"
        say(pretty(f"string {r.string}  {tuning.note(r.string)!s:4}  {newtons}{100 * (r.ratio - 1):+.0f} % against home{feel}"))
    total = "" if found.total_newtons is None else f"{found.total_newtons:.0f} N, "
    say(pretty(f"in all {total}{100 * (found.total_ratio - 1):+.0f} % against home"))
    for warning in found.warnings:
        say(warning)
