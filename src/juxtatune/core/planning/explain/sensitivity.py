"""Why a plan is as it is: what a song would cost elsewhere, what each rule costs, and what would save.

Every figure is a difference of objectives in seconds. It is exact where both nights were solved to the end and
otherwise what was found in the time, and then the true saving is at least as large.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from juxtatune.core.music.tuning import SAME, Tuning
from juxtatune.core.planning.model.plan import Plan, Slot
from juxtatune.core.planning.planner import Planner, Solution
from juxtatune.core.planning.search.fixed_order import price_order
from juxtatune.core.repertoire.night import Gig, Night, Part
from juxtatune.core.repertoire.rules import Rule, rules_of, with_rules, without_rules_of
from juxtatune.core.repertoire.song import Song, Way

TINY = 0.005
Solver = Callable[[Gig, tuple[Slot, ...]], Solution]


@dataclass(frozen=True)
class Effect:
    """`kind` is a rule (`pin`, `before`, `adjacent`, `apart`, `max_dead_s`), `way`, `guitar`, `tech`, `capo` or
    `without`; `saves_s` is what the night would cost less without the rule, or with the help."""

    kind: str
    songs: tuple[str, ...]
    what: str
    saves_s: float
    proven: bool


@dataclass(frozen=True)
class Change:
    """One song of a player's own order moved to another place, and what that saves."""

    song: str
    place: int
    saves_s: float


def where_else(gig: Gig, plan: Plan, song: str) -> list[float | None]:
    """What the night would cost more (s) with a song at each place, all else in the same order; None: not allowed."""
    out: list[float | None] = []
    for place in range(len(plan.order)):
        other = price_order(gig, moved(plan.order, song, place))
        out.append(None if other is None else other.totals.objective - plan.totals.objective)
    return out


def moved(order: tuple[Slot, ...], song: str, place: int) -> tuple[Slot, ...]:
    """The order with a song at another place; parts keep their sizes."""
    mine = next(s for s in order if s.song == song)
    rest = [s for s in order if s.song != song]
    rest.insert(place, mine)
    return tuple(replace(s, part=old.part) for s, old in zip(rest, order, strict=True))


def best_changes(
    gig: Gig, plan: Plan, count: int = 3, stop: Callable[[], bool] = lambda: False
) -> list[Change]:
    """The single moves of different songs that save most on an order, each on its own."""
    best: dict[str, Change] = {}
    for slot in plan.order:
        for place in range(len(plan.order)):
            if stop():
                break
            other = price_order(gig, moved(plan.order, slot.song, place), width=48)
            saves = 0.0 if other is None else plan.totals.objective - other.totals.objective
            if saves > max(TINY, best[slot.song].saves_s if slot.song in best else 0.0):
                best[slot.song] = Change(slot.song, place, saves)
    return sorted(best.values(), key=lambda c: -c.saves_s)[:count]


def without_song(gig: Gig, plan: Plan) -> Iterator[Effect]:
    """What leaving each song out saves at least: the others keep their order."""
    for slot in plan.order:
        if slot.way is None:
            continue
        other = price_order(_cut(gig, slot), tuple(s for s in plan.order if s.song != slot.song))
        if other is not None:
            yield Effect("without", (slot.song,), "", plan.totals.objective - other.totals.objective, False)


def effects(gig: Gig, base: Solution, solver: Solver) -> Iterator[Effect]:
    """What rules cost and what would help, one after another, each by solving the night again."""
    assert base.plan is not None
    cost = base.plan.totals.objective
    for kind, songs, what, other in _variants(gig, base.plan):
        found = solver(other, () if kind == "way" else base.plan.order)
        if found.plan is None:
            continue
        saves = cost - found.plan.totals.objective
        # what is allowed still may be left as it is
        saves = saves if kind == "way" else max(0.0, saves)
        yield Effect(kind, songs, what, saves, base.optimal and found.optimal)


def timed_solver(seconds: float, stop: Callable[[], bool]) -> Solver:
    """Solves for so long, or not at all once stopped."""

    def solver(gig: Gig, start: tuple[Slot, ...]) -> Solution:
        return Solution(None, 0.0, False, 0.0) if stop() else Planner(gig, start=start).run(seconds)

    return solver


def _variants(gig: Gig, plan: Plan) -> Iterator[tuple[str, tuple[str, ...], str, Gig]]:
    yield from _without_rules(gig)
    for slot in plan.order:
        song = gig.song(slot.song)
        if slot.way is not None and song.ways[slot.way].compromise_s > 0:
            best = min(song.ways, key=lambda w: w.compromise_s)
            yield "way", (song.id,), best.instrument, _with_songs(gig, {song.id: replace(song, ways=(best,))})
    if not gig.night.tech:
        yield "tech", (), "", replace(gig, night=replace(gig.night, tech=True))
    for instrument in gig.instruments:
        if any(w.instrument == instrument.id for s in gig.songs for w in s.ways):
            yield "guitar", (), instrument.id, _second(gig, instrument.id)
    capo = _with_capo(gig)
    if capo != gig:
        yield "capo", (), "", capo


def _without_rules(gig: Gig) -> Iterator[tuple[str, tuple[str, ...], str, Gig]]:
    night = gig.night

    def rid(changed: Night) -> Gig:
        return replace(gig, night=changed)

    rules = [*rules_of(night), *([Rule("max_dead_s")] if night.max_dead_s is not None else [])]
    for rule in rules:
        if rule.kind != "max_dead_s":
            yield rule.kind, rule.songs, "", rid(with_rules(night, [r for r in rules if r != rule]))
    if night.max_dead_s is not None:
        yield "max_dead_s", (), f"{night.max_dead_s:g}", rid(replace(night, max_dead_s=None))


def _second(gig: Gig, instrument: str) -> Gig:
    """The gig with another guitar of the same kind: whatever is played on one can be played on the other."""
    twin = f"{instrument}+"
    songs = {
        s.id: replace(
            s, ways=(*s.ways, *(replace(w, instrument=twin) for w in s.ways if w.instrument == instrument))
        )
        for s in gig.songs
    }
    extra = replace(gig.instrument(instrument), id=twin)
    return replace(_with_songs(gig, songs), instruments=(*gig.instruments, extra))


def _with_capo(gig: Gig) -> Gig:
    """The gig with ways by capo: a tuning that another, lower one on the same guitar reaches at fret 1 to 4."""
    used: dict[str, list[Tuning]] = {}
    for s in gig.songs:
        for w in s.ways:
            used.setdefault(w.instrument, []).append(w.tuning)
    songs = {}
    for s in gig.songs:
        more: list[Way] = []
        for w in s.ways:
            for lower in dict.fromkeys(used[w.instrument]) if w.capo == 0 else ():
                fret = w.tuning.pitches[0] - lower.pitches[0]
                same = all(
                    abs(a - b - fret) < SAME for a, b in zip(w.tuning.pitches, lower.pitches, strict=True)
                )
                if same and fret in (1.0, 2.0, 3.0, 4.0):
                    more.append(replace(w, tuning=lower, capo=int(fret)))
        if more:
            songs[s.id] = replace(s, ways=(*s.ways, *more))
    return _with_songs(gig, songs)


def _with_songs(gig: Gig, changed: dict[str, Song]) -> Gig:
    return replace(gig, songs=tuple(changed.get(s.id, s) for s in gig.songs))


def _cut(gig: Gig, slot: Slot) -> Gig:
    """The gig with a song left out: the part it stands in is shorter, and rules that name it go."""
    night = without_rules_of(gig.night, slot.song)
    parts = tuple(Part(p.name, p.songs - 1) if k == slot.part else p for k, p in enumerate(night.parts))
    shorter = replace(night, parts=parts, pins=(), curve=None)
    return replace(gig, songs=tuple(s for s in gig.songs if s.id != slot.song), night=shorter)
