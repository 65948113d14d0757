"""JSON files read with care: sizes, encodings, doubled keys and numbers that are none."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, NoReturn

from juxtatune.core.errors import UserError


def text_of(path: Path, most_bytes: int, allowed: str) -> str:
    """The text of a file in UTF-8. Raises UserError naming the file, with `allowed` for what could stand there."""
    where = str(path)
    try:
        if path.stat().st_size > most_bytes:
            raise UserError("the file is too large", where, f"{allowed}, {most_bytes // 1_000_000} MB at most")
        return path.read_text(encoding="utf-8-sig")
    except FileNotFoundError:
        raise UserError("no such file", where, allowed) from None
    except UnicodeDecodeError:
        raise UserError("not a text file in UTF-8", where, allowed) from None
    except ValueError as error:  # a name that no file can have
        raise UserError(f"cannot be read: {error}", where) from None
    except OSError as error:
        raise UserError(f"cannot be read: {error.strerror or error}", where) from None


def parsed(text: str, allowed: str) -> Any:
    """What stands in a JSON text. Raises UserError naming the line."""
    try:
        return json.loads(text, parse_constant=_refuse, object_pairs_hook=_no_duplicates)
    except json.JSONDecodeError as error:
        raise UserError(f"not JSON: {error.msg}", f"line {error.lineno}", allowed) from None
    except ValueError:  # Python reads no integer of more than 4,300 digits
        raise UserError("a number has too many digits", allowed="numbers up to 1000000") from None
    except RecursionError:
        raise UserError("nested too deep", allowed=allowed) from None


def _refuse(token: str) -> NoReturn:
    raise UserError(f"{token} is not a number that can be used", allowed="finite numbers")


def _no_duplicates(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for key, value in pairs:
        if key in out:
            raise UserError(f"key {key!r} stands twice in one object", allowed="each key once")
        out[key] = value
    return out
