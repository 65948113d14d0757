"""What Stage says: songs, guitars, moves, time. Values in, words out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from juxtatune.app import stage
from juxtatune.app.calling import Calling
from juxtatune.app.tune import half_steps
from juxtatune.app.tuning_names import show_tuning
from juxtatune.book.state import BookState, NightRecord
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.planning.model.plan import Plan, Retune
from juxtatune.core.retuning.change import change

ON_TIME_S = 30.0
MOST_MOVES = 6


@dataclass(frozen=True)
class Coming:
    """A song, the guitar and tuning it wants, and what moves on that guitar, a line a move."""

    title: str
    guitar: str
    moves: tuple[str, ...]


def coming(state: BookState, night: NightRecord, song: str, calling: Calling, in_hand: str | None) -> Coming:
    title = state.song(song).title
    try:
        way = stage.way_of(state, night, song)
    except UserError as error:
        return Coming(title, error.message(), ())
    guitar = state.instrument(way.instrument)
    capo = f", capo {way.capo}" if way.capo else ""
    take = "Take " if in_hand is not None and in_hand != guitar.id else ""
    return Coming(title, pretty(f"{take}{guitar.name} · {show_tuning(way.tuning)}{capo}"),
                  moves(guitar.tuning, stage.needed(state, way), calling))  # fmt: skip


def moves(source: Tuning, target: Tuning, calling: Calling) -> tuple[str, ...]:
    """`6th: 2 half steps down to D2`, a line a string; strings that move alike share one."""
    by: dict[str, list[int]] = {}
    for c in change(source, target).strings:
        by.setdefault(half_steps(c.semitones), []).append(c.string)
    lines = []
    for words, strings in by.items():
        names = " and ".join(calling.string(s, target) for s in strings) if len(strings) < 3 else _range(strings, target, calling)
        to = f" to {target.note(strings[0])}" if len(strings) == 1 else ""
        lines.append(pretty(f"{names}: {words}{to}"))
    return tuple(lines)


def _range(strings: list[int], target: Tuning, calling: Calling) -> str:
    if strings == list(range(strings[0], strings[-1] - 1, -1)):
        return f"{calling.string(strings[0], target)} to {calling.string(strings[-1], target)}"
    return ", ".join(calling.string(s, target) for s in strings)


def clock(behind_s: float) -> str:
    """`on time`, `3 min behind`, `2 min ahead`."""
    if abs(behind_s) < ON_TIME_S:
        return "on time"
    minutes = max(1, round(abs(behind_s) / 60))
    return f"{minutes} min {'behind' if behind_s > 0 else 'ahead'}"


def talk(left_s: float, cover_s: float) -> str:
    """`6 s of talk left`, `12 s of dead air`; nothing where there is no talk and none is over."""
    if left_s >= 0.5:
        return f"{left_s:.0f} s of talk left"
    return f"{-left_s:.0f} s of dead air" if left_s <= -0.5 else "talk is over" if cover_s else ""


def left(state: BookState, night: NightRecord) -> str:
    """`11 songs, 44 min left`."""
    songs = stage.upcoming(night)
    if not songs:
        return "the last song"
    minutes = sum(state.song(s.song).length_s or stage.USUAL_SONG_S for s in songs) / 60
    return f"{len(songs)} song{'' if len(songs) == 1 else 's'}, {minutes:.0f} min left"


def offer(given: Plan, better: Plan, state: BookState, night: NightRecord) -> str:
    """`A better order of the rest: 12 s of dead air, yours 41 s; next: Groyne. T takes it, K keeps yours.`"""
    played = set(stage.now_of(night).played)
    first = next((s.song for s in better.order if s.song not in played), None)
    follows = f"; next {state.song(first).title}" if first is not None else ""
    words = f"A better order of the rest: {better.totals.dead_s:.0f} s of dead air, yours {given.totals.dead_s:.0f} s{follows}."
    return f"{words} T takes it, K keeps yours."


def beside(state: BookState, night: NightRecord, m: stage.Moment | None, plan: Plan | None, calling: Calling,
           count: int = 4) -> tuple[tuple[str, tuple[str, ...]], ...]:  # fmt: skip
    """For whoever stands at the side: (heading, lines), first what to retune now, then the songs to come."""
    blocks: list[tuple[str, tuple[str, ...]]] = []
    if m is not None and m.aside:
        for guitar in dict.fromkeys(r.instrument for r in m.aside):
            lines = tuple(
                f"{_number(r.string)}: {half_steps(r.target - r.source)}" for r in m.aside if r.instrument == guitar
            )
            blocks.append((f"Now, during this song: {state.instrument(guitar).name}", lines))
    seen = state
    for slot in stage.upcoming(night)[:count]:
        found = coming(seen, night, slot.song, calling, None)
        gap = stage.gap_to(plan, slot.song)
        others = sorted({r.instrument for r in gap.retunes} - {_guitar(seen, night, slot.song)}) if gap is not None else []
        also = tuple(_also(seen, g, gap.retunes) for g in others) if gap is not None else ()
        talk_s = (f"{gap.cover_s:.0f} s of talk before it",) if gap is not None and gap.cover_s and found.moves else ()
        blocks.append((f"{found.title}: {found.guitar}", (*(found.moves or ("ready",)), *also, *talk_s)))
        seen = _then(seen, night, slot.song, plan)
    return tuple(blocks)


def _also(state: BookState, guitar: str, retunes: Sequence[Retune]) -> str:
    """`also Rook: 6th 2 half steps down`: another guitar that the gap has time for."""
    parts = (f"{_number(r.string)} {half_steps(r.target - r.source)}" for r in retunes if r.instrument == guitar)
    return f"also {state.instrument(guitar).name}: {', '.join(parts)}"


def _number(string: int) -> str:
    return f"{string}{ {1: 'st', 2: 'nd', 3: 'rd'}.get(string, 'th')}"


def _guitar(state: BookState, night: NightRecord, song: str) -> str:
    try:
        return stage.way_of(state, night, song).instrument
    except UserError:
        return ""


def _then(state: BookState, night: NightRecord, song: str, plan: Plan | None) -> BookState:
    """The guitars once a song is played."""
    try:
        return stage.start_song(state, night, plan, stage.Moment(night.id, "gap", song, 0.0, 0.0), 0.0)[0]
    except UserError:
        return state


def begins(state: BookState, plan: Plan, night: NightRecord) -> tuple[str, ...]:
    """How every guitar must stand before the night begins: `Rook in drop D`."""
    start = plan.start[night.slots[0].part]
    return tuple(f"{state.instrument(g).name} in {show_tuning(t)}" for g, t in start.items())
