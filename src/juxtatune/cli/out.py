"""What commands share: answers on standard output, messages on standard error, exit codes."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from functools import wraps
from typing import Any, NoReturn

from juxtatune.core.errors import UserError, printable

OK, UNUSABLE, CLASH, NO_PLAN = 0, 2, 3, 4


def answer(value: Any) -> None:
    """Strict JSON on standard output."""
    text = json.dumps(value, ensure_ascii=False, allow_nan=False) + "\n"
    # bytes of a file name that are no UTF-8 stand as escapes
    sys.stdout.buffer.write(text.encode("utf-8", "backslashreplace"))
    sys.stdout.flush()


def say(text: str) -> None:
    print(printable(text, len(text) + 1), flush=True)


def warn(text: str) -> None:
    print(printable(f"juxtatune: {text}"), file=sys.stderr, flush=True)


def leave(code: int, message: str = "") -> NoReturn:
    if message:
        warn(message)
    raise SystemExit(code)


def num(value: float | None, digits: int = 6) -> float | None:
    """A plain float for JSON, or None."""
    return None if value is None else round(float(value), digits)


def command(function: Callable[..., None]) -> Callable[..., None]:
    """Turns UserError into one line on standard error and exit code 2."""

    @wraps(function)
    def run(*args: Any, **kwargs: Any) -> None:
        try:
            function(*args, **kwargs)
        except UserError as error:
            leave(UNUSABLE, error.message())
        except BrokenPipeError:
            leave(OK)
        except MemoryError:
            leave(UNUSABLE, "this needs more memory than there is")
        except Exception as error:  # a fault of ours: one line, and no traceback
            leave(UNUSABLE, f"something unforeseen went wrong ({type(error).__name__}: {error})")

    return run
