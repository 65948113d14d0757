"""What a score shows, as plain values made from a priced plan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from juxtatune.core.music.tuning import Tuning
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.planning.pricing.timeline import trace
from juxtatune.core.repertoire.night import Gig


@dataclass(frozen=True)
class GuitarColumn:
    id: str
    name: str
    home: tuple[float, ...]
    used: bool


@dataclass(frozen=True)
class GapMark:
    """Dead air before a row: seconds, what talk covers, and the swap (column numbers) if there is one."""

    dead_s: float
    work_s: float
    cover_s: float
    swap: tuple[int, int] | None


@dataclass(frozen=True)
class ScoreRow:
    """`before` and `during` are pitches of every guitar; `used` are list positions the song uses."""

    song: str
    title: str
    part: int
    hand: int
    before: tuple[tuple[float, ...], ...]
    during: tuple[tuple[float, ...], ...]
    used: frozenset[int]
    gap: GapMark | None
    pinned: bool
    tied: bool
    capo: int
    apart: bool = False
    energy: float = 0.0
    wanted: float | None = None  # energy that the curve asks for at this place
    tuning: str = ""  # name of what the guitar in hand stands in
    changes: bool = False  # whether that is another tuning or guitar than a song before


@dataclass(frozen=True)
class Score:
    title: str
    totals: str
    guitars: tuple[GuitarColumn, ...]
    rows: tuple[ScoreRow, ...]
    interval: str = "interval · everything retuned"
    spread: str = ""  # how far its dead air may be from that


def seconds(value: float) -> str:
    """`5 min 11 s`, `41 s`."""
    whole = round(value)
    return f"{whole} s" if whole < 60 else f"{whole // 60} min {whole % 60:02d} s"


def spoken_row(score: Score, row: ScoreRow) -> str:
    """What a screen reader says of a row beside its title."""
    guitar = score.guitars[row.hand].name if 0 <= row.hand < len(score.guitars) else "played"
    parts = [f"{guitar}, {row.tuning}" if row.tuning else guitar]
    if row.capo:
        parts.append(f"capo {row.capo}")
    if row.gap is not None and row.gap.work_s > 0:
        parts.append(f"{seconds(row.gap.dead_s)} of dead air before it")
    parts += [word for word, on in (("pinned", row.pinned), ("medley with the next", row.tied),
                                    ("kept apart", row.apart)) if on]  # fmt: skip
    return ", ".join(parts)


def totals_text(plan: Plan) -> str:
    t = plan.totals
    strings = f"{t.strings_retuned} string{'' if t.strings_retuned == 1 else 's'}"
    swaps = f"{t.swaps} swap{'' if t.swaps == 1 else 's'}"
    return f"{seconds(t.dead_s)} dead air · {strings} · {swaps}"


def score_of(gig: Gig, plan: Plan, title: str, called: Callable[[Tuning], str]) -> Score:
    """The score of a plan; `called` gives the name of a tuning."""
    places = trace(gig, plan)
    used = {p.way.instrument for p in places if p.way is not None}
    guitars = tuple(GuitarColumn(i.id, i.name, i.home.pitches, i.id in used) for i in gig.instruments)
    column = {g.id: k for k, g in enumerate(guitars)}
    pinned = {p.song for p in gig.night.pins}
    tied = {a for a, _ in gig.night.adjacent}
    apart = {frozenset(pair) for pair in gig.night.apart}
    curve = gig.night.curve if gig.night.curve_weight_s > 0 else None
    rows: list[ScoreRow] = []
    hand = -1
    stands: dict[str, str] = {}
    for k, p in enumerate(places):
        now = column[p.way.instrument] if p.way is not None else hand
        gap = None
        if p.gap is not None:
            swap = (hand, now) if hand >= 0 and hand != now else None
            gap = GapMark(p.gap.dead_s, p.gap.work_s, p.gap.cover_s, swap)
        strings = frozenset(
            k for k, s in enumerate(p.way.tuning.strings) if p.way.uses(s)
        ) if p.way is not None else frozenset()  # fmt: skip
        tuning = called(p.way.tuning) if p.way is not None else ""
        part_begins = not rows or rows[-1].part != p.part
        changes = bool(tuning) and (part_begins or hand != now or stands.get(guitars[now].id) != tuning)
        if p.way is not None:
            stands[p.way.instrument] = tuning
        rows.append(ScoreRow(
            p.song, gig.song(p.song).title, p.part, now,
            tuple(p.before[g.id] for g in guitars), tuple(p.during[g.id] for g in guitars),
            strings, gap, p.song in pinned, p.song in tied, p.way.capo if p.way is not None else 0,
            any(p.song in pair for pair in apart), gig.song(p.song).energy, curve[k] if curve is not None else None,
            tuning, changes,
        ))  # fmt: skip
        hand = now
    return Score(title, totals_text(plan), guitars, tuple(rows))
