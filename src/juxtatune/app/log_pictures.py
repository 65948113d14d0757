"""What the log's pictures show: points over labels or numbers, an answer in words, and the table behind each."""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from juxtatune.app.logbook import guitar_of, tuning_of, when
from juxtatune.book.log_query import LogRow
from juxtatune.book.state import BookState


@dataclass(frozen=True)
class Picture:
    """What a picture shows: points of named series over labels or numbers, and the table behind it."""

    title: str
    across: str
    up: str
    series: tuple[tuple[str, tuple[float, ...], tuple[float, ...]], ...]  # name, x, y
    labels: tuple[str, ...] = ()  # of x 0, 1, 2 … where it counts things
    columns: tuple[str, ...] = ()
    table: tuple[tuple[str, ...], ...] = ()
    answer: str = ""


def dearest(rows: Sequence[LogRow], state: BookState) -> Picture:
    """Which retunes cost most: median seconds by guitar and tuning."""
    by: dict[tuple[str, str], list[float]] = {}
    for r in rows:
        if r.kind == "retune" and r.data.get("seconds"):
            by.setdefault((guitar_of(r.data, state), tuning_of(r.data.get("to"))), []).append(float(r.data["seconds"]))
    found = sorted(((sum(s), statistics.median(s), len(s), g, t) for (g, t), s in by.items()), reverse=True)[:12]
    labels = tuple(f"{g} to {t}" for _, _, _, g, t in found)
    table = tuple((g, t, str(n), f"{m:.0f} s", f"{total / 60:.1f} min") for total, m, n, g, t in found)
    answer = f"{labels[0]} took {found[0][0] / 60:.0f} min in all, {found[0][1]:.0f} s each time." if found else ""
    return Picture("Which retunes cost most", "", "minutes in all",
                   (("", tuple(map(float, range(len(found)))), tuple(f[0] / 60 for f in found)),), labels,
                   ("guitar", "to", "times", "each, median", "in all"), table, answer)  # fmt: skip


def holding(rows: Sequence[LogRow], state: BookState) -> Picture:
    """Is this guitar holding: the spread of its checks over time, by guitar."""
    by: dict[str, list[tuple[int, float]]] = {}
    for r in sorted(rows, key=lambda row: row.number):
        cents = [abs(float(c)) for c in r.data.get("cents", {}).values()] if r.kind == "strum" else []
        if cents:
            name = guitar_of(r.data, state)
            by.setdefault(name, []).append((len(by.get(name, [])), statistics.mean(cents)))
    series = tuple((g, tuple(float(x) for x, _ in p), tuple(y for _, y in p)) for g, p in by.items())
    table = tuple((g, str(len(y)), f"{statistics.mean(y):.1f} ¢", f"{statistics.mean(y[-5:]):.1f} ¢") for g, _, y in series)
    worst = max(series, key=lambda s: statistics.mean(s[2][-5:]), default=None)
    answer = f"{worst[0]} is off most of late: {statistics.mean(worst[2][-5:]):.1f} ¢ a string." if worst else ""
    return Picture("Is this guitar holding", "checks, oldest first", "cents off, mean of its strings", series, (),
                   ("guitar", "checks", "all", "last five"), table, answer)  # fmt: skip


def dying(rows: Sequence[LogRow], state: BookState) -> Picture:
    """Which strings are dying: how far each is off at its checks, by retunes since it was new."""
    age: dict[tuple[str, str], int] = {}
    played: dict[str, float] = {}  # hours, since its strings were new
    length = {s.id: s.length_s for s in state.songs}
    off: dict[tuple[str, str], list[tuple[float, float]]] = {}
    for r in sorted(rows, key=lambda row: row.number):
        guitar = guitar_of(r.data, state)
        if r.kind == "new_strings":
            age = {k: v for k, v in age.items() if k[0] != guitar}
            off = {k: v for k, v in off.items() if k[0] != guitar}
            played[guitar] = 0.0
        elif r.kind == "song":
            played[guitar] = played.get(guitar, 0.0) + length.get(str(r.data.get("song")), 0.0) / 3600
        elif r.kind == "retune":
            for m in r.data.get("moved", ()):
                key = (guitar, str(m["string"]))
                age[key] = age.get(key, 0) + 1
        elif r.kind == "strum":
            for string, cents in r.data.get("cents", {}).items():
                key = (guitar, str(string))
                off.setdefault(key, []).append((float(age.get(key, 0)), abs(float(cents))))
    recent = sorted(((statistics.mean(c for _, c in p[-5:]), k, p) for k, p in off.items()), reverse=True)[:6]
    series = tuple((f"{g}, {s}", tuple(x for x, _ in p), tuple(y for _, y in p)) for _, (g, s), p in recent)
    table = tuple((g, s, str(age.get((g, s), 0)), f"{played.get(g, 0.0):.1f}", f"{mean:.1f} ¢") for mean, (g, s), _ in recent)
    answer = ""
    if recent:
        mean, (guitar, string), _ = recent[0]
        answer = f"String {string} of {guitar} strays most: {mean:.1f} ¢ at its last checks."
    return Picture("Which strings are dying", "retunes since it was new", "cents off at a check", series, (),
                   ("guitar", "string", "retunes", "hours", "last checks"), table, answer)  # fmt: skip


def faster(rows: Sequence[LogRow], state: BookState) -> Picture:
    """Are we getting faster: seconds for each string moved, retune by retune."""
    points = []
    for r in sorted(rows, key=lambda row: row.number):
        if r.kind == "retune" and r.data.get("seconds") and r.data.get("moved"):
            points.append((r.at, float(r.data["seconds"]) / len(r.data["moved"])))
    each = tuple(p for _, p in points)
    running = tuple(statistics.median(each[max(0, k - 9) : k + 1]) for k in range(len(each)))
    x = tuple(map(float, range(len(each))))
    answer = ""
    if len(each) >= 20:
        first, last = statistics.median(each[:10]), statistics.median(each[-10:])
        way = "faster" if last < first else "slower"
        answer = f"{abs(last - first) / first:.0%} {way}: {first:.0f} s a string at first, {last:.0f} s now."
    table = tuple((when(at), f"{s:.1f} s") for at, s in reversed(points[-200:]))
    return Picture("Are we getting faster", "retunes, oldest first", "seconds a string",
                   (("each", x, each), ("median of ten", x, running)), (), ("when", "a string"), table, answer)  # fmt: skip


def dead_air(rows: Sequence[LogRow], state: BookState) -> Picture:
    """Planned against real dead air, night by night."""
    by: dict[tuple[str, str], list[tuple[float, float]]] = {}
    for r in sorted(rows, key=lambda row: row.number):
        if r.kind == "song" and "dead_s" in r.data:
            key = (r.at[:10], str(r.data.get("night", "")))
            by.setdefault(key, []).append((float(r.data["planned_dead_s"]), float(r.data["dead_s"])))
    nights = [(day, sum(p for p, _ in v), sum(d for _, d in v), len(v)) for (day, _), v in by.items()]
    x = tuple(map(float, range(len(nights))))
    series = (("planned", x, tuple(n[1] for n in nights)), ("real", x, tuple(n[2] for n in nights)))
    table = tuple((day, str(n), f"{p:.0f} s", f"{d:.0f} s") for day, p, d, n in reversed(nights))
    answer = f"The last night: {nights[-1][2]:.0f} s of dead air, {nights[-1][1]:.0f} s planned." if nights else ""
    return Picture("Planned and real dead air", "nights", "seconds of dead air", series, tuple(n[0] for n in nights),
                   ("night", "songs", "planned", "real"), table, answer)  # fmt: skip


PICTURES = {"Which retunes cost most": dearest, "Is this guitar holding": holding, "Which strings are dying": dying,
            "Are we getting faster": faster, "Planned and real dead air": dead_air}  # fmt: skip
PICTURED = ("retune", "strum", "new_strings", "song")
