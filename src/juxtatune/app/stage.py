"""A night as it happens: which song is played or comes next, how the guitars truly stand, what changed on the way.

Every step gives a new book and the moment that the night has come to; both are written at once, so that a killed program is
back where it was. Times are seconds since the epoch.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from itertools import combinations
from typing import Any

from juxtatune.app.night import chosen
from juxtatune.book.state import BookState, NightRecord, gig_of, plays, without_song
from juxtatune.core.errors import UserError
from juxtatune.core.music.notes import spell
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.planning.model.plan import Gap, Plan, Retune, Slot
from juxtatune.core.repertoire.night import Now
from juxtatune.core.repertoire.song import Way

USUAL_SONG_S = 240.0  # of a song whose length the book does not know
MOST_CUT = 3  # songs that are cut at once for want of time
REST_S = 120.0  # of a rest that the singer asks for
PHASES = ("gap", "playing", "over")


@dataclass(frozen=True)
class Moment:
    """Where a night under way is. `due`: how far the plan would be at `since`, in seconds after `begun`.

    `aside` is what the technician retunes during the song under way. `gap_s`, `dead_s` and `strings` are what the plan said of
    the gap when it began (below 0: not known yet), before anything in it was done.
    """

    night: str
    phase: str
    song: str | None
    begun: float
    since: float
    due: float = 0.0
    aside: tuple[Retune, ...] = ()
    gap_s: float = -1.0
    dead_s: float = 0.0
    strings: int = 0

    def planned(self, gap: Gap | None) -> Moment:
        """With what the plan says of the gap under way."""
        if gap is None:
            return self
        return replace(self, gap_s=gap_seconds(gap), dead_s=gap.dead_s, strings=len(gap.retunes))

    def data(self) -> dict[str, Any]:
        return asdict(self)


def moment_of(data: Mapping[str, Any]) -> Moment | None:
    """A moment as it was logged; None where it cannot be read."""
    try:
        song = data["song"]
        found = Moment(str(data["night"]), str(data["phase"]), str(song) if song is not None else None,
                       float(data["begun"]), float(data["since"]), float(data["due"]),
                       tuple(Retune(**r) for r in data.get("aside", ())),
                       float(data.get("gap_s", -1.0)), float(data.get("dead_s", 0.0)), int(data.get("strings", 0)))  # fmt: skip
    except (KeyError, TypeError, ValueError):
        return None
    return found if found.phase in PHASES else None


def now_of(night: NightRecord) -> Now:
    return night.rules.now or Now((), None, {}, {})


def upcoming(night: NightRecord) -> tuple[Slot, ...]:
    """The songs that are still to be played, in order."""
    played = set(now_of(night).played)
    return tuple(s for s in night.slots if s.song not in played)


def way_of(state: BookState, night: NightRecord, song: str) -> Way:
    """The way in which a song of the night is played with what is left of the guitars. Raises UserError."""
    gig = gig_of(state, replace(night, slots=tuple(s for s in night.slots if s.song == song)))
    slot = chosen(state, gig, replace(night, slots=tuple(s for s in night.slots if s.song == song)))[0]
    return gig.song(song).ways[slot.way or 0]


def begin(state: BookState, night: NightRecord, plan: Plan, at: float) -> tuple[BookState, Moment]:
    """The night begins, every guitar as the plan leaves it; the first gap leads to the first song."""
    if not night.slots:
        raise UserError("this night has no songs", night.name)
    state = _stand(state, plan.start[night.slots[0].part])
    capos = _first_capos(state, night, night.slots[0].part)
    rules = replace(night.rules, now=Now((), None, _tunings(state, night), capos))
    return state.with_night(replace(night, rules=rules)), Moment(night.id, "gap", night.slots[0].song, at, at)


def start_song(state: BookState, night: NightRecord, plan: Plan | None, m: Moment, at: float) -> tuple[BookState, Moment]:
    """The song of the gap begins, and counts as played: its guitar stands in what it needs, checked or not.

    Other guitars stand as the gap left them, and as the technician will leave them during the song.
    """
    song = m.song
    assert song is not None
    way, gap, now = way_of(state, night, song), gap_to(plan, song), now_of(night)
    want = needed(state, way)
    state = _moved(state, [r for r in gap.retunes if r.instrument != way.instrument] if gap is not None else [])
    if state.instrument(way.instrument).tuning.pitches != want.pitches:
        state = state.tuned(way.instrument, want)
    idle = tuple(r for work in (plan.idle if plan is not None else ()) if work.during == song for r in work.retunes)
    state = _moved(state, idle)
    due = m.due + (m.gap_s if m.gap_s >= 0 else gap_seconds(gap))
    if not now.played:  # nobody is late before the first song
        m, due = replace(m, begun=at), 0.0
    played = (*now.played, song)
    by_song = {s.song: s for s in night.slots}
    order, rest = [by_song[p] for p in played], [s for s in night.slots if s.song not in played]
    now = replace(now, played=played, in_hand=way.instrument, tunings=_tunings(state, night),
                  capos={**now.capos, way.instrument: way.capo})  # fmt: skip
    night = replace(night, slots=(*order, *rest), rules=replace(night.rules, now=now))
    return state.with_night(night), replace(m, phase="playing", since=at, due=due, aside=idle)


def end_song(state: BookState, night: NightRecord, plan: Plan | None, m: Moment, at: float) -> tuple[BookState, Moment]:
    """The song is over: on to the gap before the next, or the night is over."""
    assert m.song is not None
    after = next(iter(upcoming(night)), None)
    due = m.due + (state.song(m.song).length_s or USUAL_SONG_S)
    if after is None:
        return ended(state, night), replace(m, phase="over", song=None, since=at, due=due, aside=())
    part = next(s.part for s in night.slots if s.song == m.song)
    if after.part != part and plan is not None:  # an interval: everything can be retuned
        state, due = _stand(state, plan.start[after.part]), at - m.begun
        now = replace(now_of(night), tunings=_tunings(state, night), capos=_first_capos(state, night, after.part))
        state = state.with_night(replace(night, rules=replace(night.rules, now=now)))
    begun = Moment(m.night, "gap", after.song, m.begun, at, due)
    return state, begun.planned(gap_to(plan, after.song)) if after.part == part else begun


def ended(state: BookState, night: NightRecord) -> BookState:
    """The book once the night is over: it can be played again."""
    return state.with_night(replace(night, rules=replace(night.rules, now=None)))


def as_they_stand(state: BookState, night: NightRecord) -> NightRecord:
    """The night with the guitars as the book knows them now, what was retuned in the gap included."""
    if night.rules.now is None:
        return night
    return replace(night, rules=replace(night.rules, now=replace(night.rules.now, tunings=_tunings(state, night))))


def needed(state: BookState, way: Way) -> Tuning:
    """How a guitar must stand for a way: strings that it does not use stay where they are."""
    now = state.instrument(way.instrument).tuning
    return Tuning(tuple(way.tuning.note(s) if way.uses(s) else now.note(s) for s in way.tuning.strings))


def behind(m: Moment, planned_s: float, at: float) -> float:
    """Seconds behind the plan (above 0) or ahead of it; `planned_s` is planned for the song or gap under way."""
    return (at - m.begun) - m.due - min(at - m.since, planned_s)


# -- the night changes
def cut(state: BookState, night: NightRecord, song: str) -> NightRecord:
    """Without a song that is still to come. Raises UserError for one that is played, and for the last."""
    if song in now_of(night).played:
        raise UserError(f"{state.song(song).title} is played already")
    if len(upcoming(night)) < 2:
        raise UserError("this is the last song: end the night instead")
    return without_song(night, song)


def call(state: BookState, night: NightRecord, song: str, before: str) -> NightRecord:
    """A song of tonight comes next, before another; what was pinned for it no longer is."""
    slots = [s for s in night.slots if s.song != song]
    at = next(k for k, s in enumerate(slots) if s.song == before)
    own = next(s for s in night.slots if s.song == song)
    parts = [s.part for s in night.slots]
    slots.insert(at, own)
    moved = tuple(replace(s, part=part) for s, part in zip(slots, parts, strict=True))
    pins = tuple(p for p in night.rules.pins if p.song not in (song, before))
    return replace(night, slots=moved, rules=replace(night.rules, pins=pins))


def break_string(state: BookState, night: NightRecord, guitar: str, string: int) -> tuple[NightRecord, tuple[str, ...]]:
    """A guitar goes on without a string where songs do not use it; the songs that fall out, and the night without them."""
    now = now_of(night)
    broken = {**now.broken, guitar: (*now.broken.get(guitar, ()), string)}
    return _without_unplayable(state, replace(night, rules=replace(night.rules, now=replace(now, broken=broken))))


def take_out(state: BookState, night: NightRecord, guitar: str) -> tuple[NightRecord, tuple[str, ...]]:
    """A guitar is out for the rest of the night."""
    strings = tuple(range(1, state.instrument(guitar).strings + 1))
    now = now_of(night)
    broken = {**now.broken, guitar: strings}
    return _without_unplayable(state, replace(night, rules=replace(night.rules, now=replace(now, broken=broken))))


def bring_back(night: NightRecord, guitar: str) -> NightRecord:
    """A guitar is whole again."""
    now = now_of(night)
    broken = {g: s for g, s in now.broken.items() if g != guitar}
    return replace(night, rules=replace(night.rules, now=replace(now, broken=broken)))


def rest(night: NightRecord, after: str) -> NightRecord:
    """Two minutes more after a song: what is retuned then costs the audience nothing."""
    cover = {**night.rules.cover_after, after: night.rules.cover(after) + REST_S}
    return replace(night, rules=replace(night.rules, cover_after=cover))


def shorten(state: BookState, night: NightRecord, song: str | None, seconds: float) -> tuple[NightRecord, tuple[str, ...]]:
    """So much less time: the fewest songs, the closest in length, that make room; neither the next nor the closer."""
    free = [s.song for s in upcoming(night) if s.song != song][:-1]
    pinned = {p.song for p in night.rules.pins}
    free = [s for s in free if s not in pinned] or free
    for count in range(1, MOST_CUT + 1):
        fits = [(sum(_length(state, s) for s in some), some) for some in combinations(free, count)]
        fits = [(total, some) for total, some in fits if total >= seconds]
        if fits:
            gone = min(fits)[1]
            for s in gone:
                night = without_song(night, s)
            return night, gone
    raise UserError(f"no {MOST_CUT} songs make room for {seconds / 60:g} minutes less")


def _length(state: BookState, song: str) -> float:
    return state.song(song).length_s or USUAL_SONG_S


def _without_unplayable(state: BookState, night: NightRecord) -> tuple[NightRecord, tuple[str, ...]]:
    gone = tuple(s.song for s in upcoming(night) if not any(plays(night, w) for w in state.song(s.song).ways))
    if gone and len(gone) == len(upcoming(night)):
        raise UserError("no song of the rest could be played then")
    for song in gone:
        night = without_song(night, song)
    return night, gone


def _tunings(state: BookState, night: NightRecord) -> dict[str, Tuning]:
    return {g: state.instrument(g).tuning for g in night.guitars}


def _first_capos(state: BookState, night: NightRecord, part: int) -> dict[str, int]:
    """Where the capo of each guitar is as a part begins: where its first song wants it."""
    capos: dict[str, int] = {}
    for slot in upcoming(night):
        if slot.part == part:
            way = way_of(state, night, slot.song)
            capos.setdefault(way.instrument, way.capo)
    return capos


def _stand(state: BookState, tunings: Mapping[str, Tuning]) -> BookState:
    for guitar, tuning in tunings.items():
        if state.instrument(guitar).tuning.pitches != tuning.pitches:
            state = state.tuned(guitar, tuning)
    return state


def _moved(state: BookState, retunes: Sequence[Retune]) -> BookState:
    """Guitars after these retunes."""
    for guitar_id in {r.instrument for r in retunes}:
        guitar = state.instrument(guitar_id)
        by = {r.string: 100 * (r.target - guitar.tuning.pitch(r.string)) for r in retunes if r.instrument == guitar_id}
        notes = zip(guitar.tuning.strings, guitar.tuning.notes, strict=True)
        tuning = Tuning(tuple(spell(n.pitch + by[s] / 100, n.is_flat) if by.get(s) else n for s, n in notes))
        state = state.tuned(guitar_id, tuning)
    return state


def gap_seconds(gap: Gap | None) -> float:
    """How long a gap is planned to be."""
    return gap.cover_s + gap.dead_s if gap is not None else 0.0


def gap_to(plan: Plan | None, song: str | None) -> Gap | None:
    """The gap of a plan that leads to a song."""
    return next((g for g in plan.gaps if g.before == song), None) if plan is not None else None
