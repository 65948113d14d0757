"""learn: what a log teaches of handling guitars."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from juxtatune.book.formats.log_in import read_log
from juxtatune.cli.out import answer, num, say, warn
from juxtatune.core.logbook.learned import InstrumentLearned, learn


def show_learned(path: Path, as_json: bool) -> None:
    log, warnings = read_log(path)
    for text in warnings:
        warn(text)
    found = learn(log)
    if as_json:
        answer({"instruments": {name: _row(i) for name, i in found.items()}})
        return
    if not found:
        say("the log names no guitar")
    for name, i in found.items():
        say(f"{name}:")
        for t in i.typical[::2]:
            say(f"  {t.source} to {t.target}: {t.seconds:.1f} s ± {1.645 * t.sd:.1f}")
        for key, c in i.costs.items():
            say(f"  {key}: {c.value:.2f} ± {1.645 * c.sd:.2f} from {c.events} events")
        for d in i.drift:
            say(f"  string {d.string} after it went {d.direction}: {d.cents:+.1f} ¢ a song")


def _row(i: InstrumentLearned) -> dict[str, Any]:
    row: dict[str, Any] = {
        key: {"value": num(c.value), "sd": num(c.sd), "events": c.events} for key, c in i.costs.items()
    }
    row["typical"] = [{"to": t.target, "from": t.source, "seconds": num(t.seconds), "sd": num(t.sd)} for t in i.typical]
    row["drift"] = [
        {"string": d.string, "direction": d.direction, "cents": num(d.cents), "sd": num(d.sd)} for d in i.drift
    ]
    return row
