"""Prices and checks any plan, string by string. Knows no solver.

A walk through the night that keeps every string's pitch, so that a plan made by hand and one made by
a solver are judged by the same rules.
"""

from __future__ import annotations

from collections.abc import Mapping

from juxtatune.core.music.tuning import SAME, Tuning, tuning_of_pitches
from juxtatune.core.planning.model.objective import WORK_WEIGHT
from juxtatune.core.planning.model.plan import Decisions, Gap, Idle, Plan, Retune, Totals, played_count
from juxtatune.core.repertoire.night import Gig, with_open_rules
from juxtatune.core.repertoire.rules import rules_of
from juxtatune.core.repertoire.song import Way
from juxtatune.core.retuning.costs import retune_seconds

SLACK = 1e-6


class BrokenPlan(Exception):
    """The plan breaks a rule; the message says which."""


def price(gig: Gig, draft: Decisions) -> Plan:
    """The priced plan. Raises BrokenPlan for the first rule that the draft breaks."""
    _check_order(with_open_rules(gig), draft)
    return _Walk(gig, draft).run()


def _check_order(gig: Gig, draft: Decisions) -> None:
    songs = [slot.song for slot in draft.order]
    if sorted(songs) != sorted(song.id for song in gig.songs):
        raise BrokenPlan("the order does not hold every song once")
    if [slot.part for slot in draft.order] != gig.part_of_place():
        raise BrokenPlan("part sizes are not kept")
    if gig.night.now and tuple(songs[: played_count(gig)]) != gig.night.now.played:
        raise BrokenPlan("the songs already played do not stand first")
    broken = next((rule for rule in rules_of(gig.night) if not rule.holds(gig, songs)), None)
    if broken is not None:
        raise BrokenPlan(f"not kept: {broken.words()}")


class _Walk:
    """State of every instrument while the night goes by."""

    def __init__(self, gig: Gig, draft: Decisions) -> None:
        self.gig, self.draft = gig, draft
        self.instruments = {i.id: i for i in gig.instruments}
        self.songs = {s.id: s for s in gig.songs}
        self.ways: list[Way | None] = [
            self.songs[s.song].ways[s.way] if s.way is not None else None for s in draft.order
        ]
        self.pitch: dict[str, list[float]] = {}
        self.capo: dict[str, int | None] = {}
        self.moved: dict[str, set[int]] = {}
        self.hand: str | None = None

    def run(self) -> Plan:
        gaps: list[Gap] = []
        idle: list[Idle] = []
        first, previous = played_count(self.gig), None
        for k in range(len(self.draft.order)):
            slot = self.draft.order[k]
            if k == 0 or slot.part != self.draft.order[k - 1].part:
                self._start_part(slot.part)
                previous = None
            if k == first and first and previous is not None:
                self._start_now()
            if k >= first:
                way = self.ways[k]
                if way is None:
                    raise BrokenPlan(f"{slot.song} has no way chosen")
                if previous is not None:
                    gaps.append(self._gap(k, previous, slot.song, way))
                elif self.draft.gap_retunes.get(k):
                    raise BrokenPlan("a retune before a part's first song")
                self._play(k, slot.song, way)
                idle.extend(self._idle(k, slot.song, way))
            previous = slot.song
        return Plan(self.draft.order, tuple(gaps), self._starts(), tuple(idle), self._totals(gaps, idle))

    def _start_part(self, part: int) -> None:
        self.pitch = {i: list(p) for i, p in self.draft.start[part].items()}
        self.capo = dict.fromkeys(self.instruments)
        self.moved = {i: set() for i in self.instruments}
        self.hand = None

    def _start_now(self) -> None:
        now = self.gig.night.now
        assert now is not None
        for i, instrument in self.instruments.items():
            self.pitch[i] = list(now.tunings.get(i, instrument.tuning).pitches)
            self.capo[i] = now.capos.get(i, 0)
        self.hand = now.in_hand

    def _gap(self, k: int, after: str, before: str, way: Way) -> Gap:
        costs = self.instruments[way.instrument].costs
        swap = costs.swap_s if self.hand != way.instrument else 0.0
        capo_was = self.capo[way.instrument]
        capo = costs.capo_s if capo_was is not None and capo_was != way.capo else 0.0
        retunes = self.draft.gap_retunes.get(k, ())
        work = swap + capo + sum(self._retune(retunes, k).values())
        cover = self.gig.night.cover(after)
        dead = max(0.0, work - cover)
        limit = self.gig.night.max_dead_s
        if limit is not None and dead > limit + SLACK:
            raise BrokenPlan(f"{dead:.3f} s of dead air after {after}")
        return Gap(after, before, swap, capo, retunes, work, cover, dead)

    def _idle(self, k: int, song: str, way: Way) -> list[Idle]:
        retunes = self.draft.idle_retunes.get(k, ())
        if not retunes:
            return []
        if not self.gig.night.tech:
            raise BrokenPlan("idle work without a technician")
        if any(r.instrument == way.instrument for r in retunes):
            raise BrokenPlan(f"{way.instrument} is retuned while it is played")
        seconds = self._retune(retunes, k + 1)
        if sum(seconds.values()) > self.songs[song].length_s + SLACK:
            raise BrokenPlan(f"the work during {song} takes longer than the song")
        return [Idle(song, i, tuple(r for r in retunes if r.instrument == i)) for i in seconds]

    def _retune(self, retunes: tuple[Retune, ...], next_place: int) -> dict[str, float]:
        """Moves strings, checks the rules, and returns seconds for each instrument touched."""
        touched: dict[str, list[float]] = {}
        for r in retunes:
            at = self.instruments[r.instrument].strings - r.string
            if abs(self.pitch[r.instrument][at] - r.source) > SAME:
                raise BrokenPlan(f"string {r.string} of {r.instrument} is not where the retune starts")
            if abs(r.target - r.source) <= SAME:
                raise BrokenPlan(f"string {r.string} of {r.instrument} does not move")
            if r.string in self.moved[r.instrument]:
                raise BrokenPlan(f"string {r.string} of {r.instrument} is retuned twice before it is used")
            self.pitch[r.instrument][at] = r.target
            self.moved[r.instrument].add(r.string)
            touched.setdefault(r.instrument, []).append(r.target - r.source)
        for i in touched:
            self._check_ready(i, next_place)
        return {
            i: retune_seconds(self.instruments[i].costs, self.instruments[i].strings, moves)
            for i, moves in touched.items()
        }

    def _check_ready(self, instrument: str, next_place: int) -> None:
        part = self.draft.order[next_place - 1].part if next_place else 0
        for k in range(next_place, len(self.draft.order)):
            way = self.ways[k]
            if self.draft.order[k].part != part:
                return
            if way is not None and way.instrument == instrument:
                self._check_at_pitch(self.draft.order[k].song, way)
                return

    def _check_at_pitch(self, song: str, way: Way) -> None:
        have, want = self.pitch[way.instrument], way.tuning
        for string in want.strings:
            if way.uses(string) and abs(have[want.index(string)] - want.pitch(string)) > SAME:
                raise BrokenPlan(f"string {string} of {way.instrument} is not at pitch for {song}")

    def _play(self, k: int, song: str, way: Way) -> None:
        self._check_at_pitch(song, way)
        self.moved[way.instrument] -= {s for s in way.tuning.strings if way.uses(s)}
        self.capo[way.instrument] = way.capo
        self.hand = way.instrument

    def _starts(self) -> tuple[Mapping[str, Tuning], ...]:
        flats = {i.id: i.home.flats for i in self.gig.instruments}
        return tuple(
            {i: tuning_of_pitches(p, flats[i]) for i, p in start.items()} for start in self.draft.start
        )

    def _totals(self, gaps: list[Gap], idle: list[Idle]) -> Totals:
        night = self.gig.night
        dead, work = sum(g.dead_s for g in gaps), sum(g.work_s for g in gaps)
        compromise = sum(w.compromise_s for w in self.ways if w is not None)
        curve = 0.0
        if night.curve is not None:
            energies = [self.songs[s.song].energy for s in self.draft.order]
            away = sum(
                abs(e - c) for e, c, w in zip(energies, night.curve, self.ways, strict=True) if w is not None
            )
            curve = night.curve_weight_s * away
        moved = sum(len(g.retunes) for g in gaps) + sum(len(w.retunes) for w in idle)
        swaps = sum(1 for g in gaps if self._is_swap(g))
        objective = dead + compromise + curve + WORK_WEIGHT * work
        return Totals(objective, dead, work, compromise, curve, swaps, moved)

    def _is_swap(self, gap: Gap) -> bool:
        by_song = {slot.song: way for slot, way in zip(self.draft.order, self.ways, strict=True)}
        before, after = by_song[gap.before], by_song[gap.after]
        now = self.gig.night.now
        hand = after.instrument if after is not None else (now.in_hand if now else None)
        return before is not None and before.instrument != hand
