"""A night on a page once it is over: planned and real, the worst gaps and why, what to change before the next one."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from juxtatune.app.logbook import guitar_of, song_of, when
from juxtatune.app.sheet_texts import STYLE
from juxtatune.book.log_query import LogRow
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError

CHANGED = ("cut", "called", "string_broken", "guitar_out", "guitar_back", "less_time", "rest")
KINDS = ("song", "retune", "unchecked", "taken", *CHANGED)
WORST = 5
LATE_S, SWAPS = 5.0, 3  # of dead air over the plan from which a gap is told of; swaps into one guitar worth a thought


def last_night(rows: Sequence[LogRow]) -> list[LogRow]:
    """The rows of the newest night, oldest first: from its first song on."""
    rows = sorted(rows, key=lambda r: r.number)
    songs = [r for r in rows if r.kind == "song"]
    if not songs:
        raise UserError("no night is in the log yet", allowed="a night that was played on Stage")
    begins = [r for r in songs if "gap_s" not in r.data]
    first = begins[-1] if begins else songs[0]
    return [r for r in rows if r.number >= first.number]


def page(rows: Sequence[LogRow], state: BookState) -> str:
    """One page of HTML. Raises UserError where no night is in the log."""
    night = last_night(rows)
    songs = [r for r in night if r.kind == "song"]
    gaps = [r for r in songs if "gap_s" in r.data]
    planned, real = (sum(float(r.data[k]) for r in gaps) for k in ("planned_dead_s", "dead_s"))
    name = str(songs[0].data.get("night") or "The night")
    table = "".join(
        f"<tr><td>{k}</td><td>{escape(song_of(r.data, state))}</td><td>{escape(guitar_of(r.data, state))}</td>"
        f"<td>{_seconds(r, 'planned_dead_s')}</td><td>{_seconds(r, 'dead_s')}</td></tr>"
        for k, r in enumerate(songs, 1)
    )
    worst = sorted(gaps, key=lambda r: float(r.data["planned_dead_s"]) - float(r.data["dead_s"]))[:WORST]
    blamed = [f"<li>{escape(_why(r, night, state))}</li>" for r in worst if _late(r) >= LATE_S]
    happened = [f"<li>{escape(_what(r, state))}</li>" for r in night if r.kind in CHANGED]
    advice = [f"<li>{escape(a)}</li>" for a in advise(night, state)]
    body = (
        f"<h1>{escape(name)}</h1><p>{when(songs[0].at)}. {len(songs)} songs, {real:.0f} s of dead air; "
        f"{planned:.0f} s were planned.</p>{_list('The gaps that took longest over the plan', blamed)}"
        f"{_list('What happened', happened)}{_list('What to change', advice)}<h2>Song by song</h2>"
        f"<table><tr><th></th><th>Song</th><th>Guitar</th><th>Planned dead air</th><th>Real</th></tr>{table}</table>"
    )
    head = f'<meta charset="utf-8"><title>{escape(name)}</title><style>{STYLE}</style>'
    return f'<!doctype html>\n<html lang="en"><head>{head}</head><body>{body}</body></html>\n'


def advise(night: Sequence[LogRow], state: BookState) -> list[str]:
    """What the night suggests: gaps that were late, guitars that kept it waiting, strings that broke."""
    out = []
    late: dict[str, float] = {}
    for r in night:
        if r.kind == "song" and "gap_s" in r.data:
            late[guitar_of(r.data, state)] = late.get(guitar_of(r.data, state), 0.0) + max(0.0, _late(r))
    for guitar, seconds in sorted(late.items(), key=lambda g: -g[1])[:1]:
        if seconds >= LATE_S:
            late_words = f"{guitar} kept the night waiting {seconds:.0f} s over the plan"
            out.append(f"{late_words}: take what its log teaches, then plan again.")
    unchecked = [r for r in night if r.kind == "unchecked"]
    if unchecked:
        out.append(f"{len(unchecked)} songs began without their check: more talk before them, or another order.")
    broken = {guitar_of(r.data, state) for r in night if r.kind == "string_broken"}
    out += [f"New strings for {guitar}." for guitar in sorted(broken)]
    return out or ["Nothing stands out: the night ran as planned."]


def _late(r: LogRow) -> float:
    return float(r.data["dead_s"]) - float(r.data["planned_dead_s"])


def _why(r: LogRow, night: Sequence[LogRow], state: BookState) -> str:
    """`Groyne: 32 s of dead air, 4 s planned; 6 strings and a swap to Rook, 2 passes`."""
    parts = [f"{n} strings" for n in [int(r.data.get("strings", 0))] if n]
    if r.data.get("swap_s"):
        parts.append(f"a swap to {guitar_of(r.data, state)}")
    tuned = next((t for t in night if t.kind == "retune" and t.data.get("song") == r.data.get("song")), None)
    if tuned is not None and tuned.data.get("passes", 1) > 1:
        parts.append(f"{tuned.data['passes']} passes")
    why = f"; {' and '.join(parts)}" if parts else "; nothing was to be retuned"
    return f"{song_of(r.data, state)}: {r.data['dead_s']:.0f} s of dead air, {r.data['planned_dead_s']:.0f} s planned{why}"


def _what(r: LogRow, state: BookState) -> str:
    who = guitar_of(r.data, state) or song_of(r.data, state)
    string = f" string {r.data['string']}" if "string" in r.data else ""
    return f"{when(r.at)[-5:]} {who}{string} {r.kind.replace('_', ' ')}".replace("string broken", "broke")


def _seconds(r: LogRow, key: str) -> str:
    return f"{r.data[key]:.0f} s" if key in r.data else ""


def _list(title: str, items: list[str]) -> str:
    return f"<h2>{title}</h2><ul>{''.join(items)}</ul>" if items else ""
