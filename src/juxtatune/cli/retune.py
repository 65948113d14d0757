"""retune: a retune led by dialogue, one JSON object a line out, one answer a line in."""

from __future__ import annotations

import json
import math
import sys
from pathlib import Path
from typing import Any

from juxtatune.book.formats.guitar import GuitarFile, read_guitar
from juxtatune.cli.out import UNUSABLE, answer, leave, warn
from juxtatune.core.errors import UserError
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.retuning.led import calibrate, retune, with_known
from juxtatune.core.strings.coupling import BridgeModel, start_model

MOST_CENTS = 2400.0


def lead(path: Path, text: str, tolerance: float, known: Path | None, calibrating: bool) -> None:
    guitar = read_guitar(path)
    try:
        target = parse_tuning(text, guitar.home)
    except UserError as error:
        raise error.at("TUNING") from None
    if len(target) != len(guitar.tuning):
        raise UserError(f"{len(target)} notes", "TUNING", f"{len(guitar.tuning)} notes")
    if not (math.isfinite(tolerance) and 0.2 <= tolerance <= 50):
        raise UserError(f"{tolerance}", "--tolerance", "0.2 to 50 cents")
    strings = tuple(s for s in target.strings if s not in guitar.off)
    if not strings:
        raise UserError("every string is off", "off", "at least one string on the guitar")
    model = _model(guitar, target, strings)
    if known is not None:
        model = _with_known(model, known, strings)
    if calibrating:
        dialogue = calibrate(model, target, strings, min(tolerance, 2.5))
    else:
        start = {s: 100 * (guitar.tuning.pitch(s) - target.pitch(s)) for s in strings}
        dialogue = retune(model, target, start, strings, tolerance)
    _talk(dialogue, strings)


def _model(guitar: GuitarFile, target: Tuning, strings: tuple[int, ...]) -> BridgeModel:
    """The start model of the strings that are on the guitar."""
    full = start_model(target, guitar.bridge, guitar.scales_mm, guitar.gauges, guitar.springs, guitar.home)
    return full.only([target.index(s) for s in strings])


def _with_known(model: BridgeModel, path: Path, strings: tuple[int, ...]) -> BridgeModel:
    try:
        found = json.loads(path.read_text(encoding="utf-8"))
        return with_known(model, found.get("known", found), strings)
    except FileNotFoundError:
        raise UserError("no such file", str(path), "the `known` of an earlier run") from None
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise UserError(f"it cannot be used: {error}", str(path), "the `known` of an earlier run") from None


def _talk(dialogue: Any, strings: tuple[int, ...]) -> None:
    try:
        action = next(dialogue)
        while True:
            answer(action)
            action = dialogue.send(_answer(action, strings))
    except StopIteration as end:
        done = end.value
    answer(done)
    if done.get("skipped"):
        warn(f"given up: strings {', '.join(map(str, done['skipped']))}")


def _answer(action: dict[str, Any], strings: tuple[int, ...]) -> dict[str, Any]:
    """One checked answer to an action; anything else ends the run with exit 2."""
    line = sys.stdin.readline()
    if not line:
        leave(UNUSABLE, f"the input ended while {action['do']} was to be answered")
    try:
        found = json.loads(line[:100_000], parse_constant=_refuse)
    except (ValueError, RecursionError):
        raise UserError(f"{line.strip()[:60]!r} is no JSON", "answer", '{"string": 6, "cents": 0.3}') from None
    if not isinstance(found, dict):
        raise UserError(f"{line.strip()[:60]!r} is no object", "answer", '{"string": 6, "cents": 0.3}')
    if found.get("skip") is True:
        return {"skip": True}
    if action["do"] == "strum":
        cents = found.get("cents")
        if not isinstance(cents, dict):
            raise UserError("cents of a strum are no object", "answer", '{"cents": {"6": 0.3}}')
        read = {}
        for key, value in cents.items():
            if not key.isdecimal() or int(key[:4]) not in range(1, 13):
                raise UserError(f"string {key[:20]!r}", "answer", "string numbers")
            if int(key) in strings:
                read[key] = None if value is None else _cents(value)
        return {"cents": read}
    if "string" in found and found["string"] != action["string"]:
        raise UserError(f"string {str(found['string'])[:20]}", "answer", f"string {action['string']}")
    return {"string": action["string"], "cents": _cents(found.get("cents"))}


def _cents(value: Any) -> float:
    good = isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= MOST_CENTS
    if not good or not math.isfinite(value):
        raise UserError(f"cents {str(value)[:30]!r}", "answer", f"a number from -{MOST_CENTS:g} to {MOST_CENTS:g}")
    return float(value)


def _refuse(token: str) -> Any:
    raise ValueError(token)
