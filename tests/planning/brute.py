"""The optimum by trying everything: every order, every way, every allowed retune. For small nights only.

Written from the cost model, not from the solver: with the order known, a string that moves at all moves
once between two songs that use it, to the pitch of the later one, in some gap or idle song between.
"""

from __future__ import annotations

from functools import cache
from itertools import combinations, permutations, product

from juxtatune.core.repertoire.night import Gig, with_open_rules

NONE = None


def best_objective(gig: Gig) -> float:
    """The least objective over all plans, infinite when no plan keeps the rules."""
    gig = with_open_rules(gig)
    songs = [s.id for s in gig.songs]
    played = gig.night.now.played if gig.night.now else ()
    rest = [s for s in songs if s not in played]
    best = float("inf")
    for tail in permutations(rest):
        order = (*played, *tail)
        if not _rules_hold(gig, order):
            continue
        for ways in product(*(range(len(gig.song(s).ways)) for s in tail)):
            best = min(best, _Order(gig, order, len(played), ways).cost())
    return best


def _rules_hold(gig: Gig, order: tuple[str, ...]) -> bool:
    part, at = gig.part_of_place(), {s: k for k, s in enumerate(order)}
    night = gig.night
    return (
        all(at[p.song] == gig.place_of_pin(p) for p in night.pins)
        and all(at[a] < at[b] for a, b in night.before)
        and all(at[d] == at[c] + 1 and part[at[c]] == part[at[d]] for c, d in night.adjacent)
        and all(abs(at[e] - at[f]) > 1 or part[at[e]] != part[at[f]] for e, f in night.apart)
    )


class _Order:
    def __init__(self, gig, order, first, ways):
        self.gig, self.order, self.first = gig, order, first
        self.ways = [NONE] * first + [gig.song(s).ways[w] for s, w in zip(order[first:], ways, strict=True)]
        self.part = gig.part_of_place()

    def cost(self) -> float:
        night, total, k = self.gig.night, 0.0, self.first
        for way in self.ways[self.first :]:
            total += way.compromise_s
        if night.curve is not None:
            away = (abs(self.gig.song(s).energy - night.curve[j]) for j, s in enumerate(self.order))
            total += night.curve_weight_s * sum(list(away)[self.first :])
        n = len(self.order)
        while k < n:
            end = k
            while end < n and self.part[end] == self.part[k]:
                end += 1
            total += self._part(
                k, end, under_way=k == self.first and k > 0 and self.part[k - 1] == self.part[k]
            )
            k = end
        return total

    def _part(self, begin: int, end: int, under_way: bool) -> float:
        gig, night, ways = self.gig, self.gig.night, self.ways
        insts = {i.id: i for i in gig.instruments}

        def next_on(i, k):
            return next((j for j in range(k, end) if ways[j].instrument == i), NONE)

        def next_pitch(i, s, k):
            for j in range(k, end):
                if ways[j].instrument == i and ways[j].uses(s):
                    return ways[j].tuning.pitch(s)
            return NONE

        def choices(i, k, pitches, moved):
            """(moves, seconds) that leave instrument i ready for its next song from place k on."""
            yield (), 0.0
            nxt = next_on(i, k)
            if nxt is NONE:
                return
            want = {s: next_pitch(i, s, k) for s in range(1, insts[i].strings + 1)}
            movable = [
                s
                for s in want
                if want[s] is not NONE and pitches[i, s] is not NONE and abs(want[s] - pitches[i, s]) > 1e-6
            ]
            must = [s for s in movable if ways[nxt].uses(s)]
            may = [s for s in movable if s not in must and s not in moved[i]]
            if any(s in moved[i] for s in must):
                return
            c = insts[i].costs
            for size in range(len(may) + 1):
                for extra in combinations(may, size):
                    strings = (*must, *extra)
                    if strings:
                        turn = sum(c.string_s + c.semitone_s * abs(want[s] - pitches[i, s]) for s in strings)
                        yield (
                            tuple((s, want[s]) for s in strings),
                            c.base_s + c.passes * turn + c.check_s * insts[i].strings,
                        )

        def freeze(pitches, moved):
            return tuple(sorted(pitches.items())), tuple((i, frozenset(m)) for i, m in sorted(moved.items()))

        def apply(pitches, moved, i, moves):
            pitches, moved = dict(pitches), {j: set(m) for j, m in moved.items()}
            for s, p in moves:
                pitches[i, s] = p
                moved[i].add(s)
            return pitches, moved

        def options(k, names, frozen):
            states = [(dict(frozen[0]), {i: set(m) for i, m in frozen[1]}, 0.0)]
            for i in names:
                states = [
                    (*apply(p, m, i, moves), spent + seconds)
                    for p, m, spent in states
                    for moves, seconds in choices(i, k, p, m)
                ]
            return states

        @cache
        def go(k, hand, capos, frozen, opening):
            if k == end:
                return 0.0
            way, best = ways[k], float("inf")
            inst, capo = insts[way.instrument], dict(capos)
            fixed = 0.0
            if not opening:
                fixed += inst.costs.swap_s if hand is not NONE and hand != inst.id else 0.0
                was = capo[inst.id]
                fixed += inst.costs.capo_s if was is not NONE and was != way.capo else 0.0
            gap = (
                [(dict(frozen[0]), {i: set(m) for i, m in frozen[1]}, 0.0)]
                if opening
                else options(k, insts, frozen)
            )
            capo[inst.id] = way.capo
            for pitches, moved, seconds in gap:
                if any(
                    way.uses(s)
                    and pitches[inst.id, s] is not NONE
                    and abs(pitches[inst.id, s] - way.tuning.pitch(s)) > 1e-6
                    for s in way.tuning.strings
                ):
                    continue
                work = fixed + seconds
                dead = 0.0 if opening else max(0.0, work - night.cover(self.order[k - 1]))
                if night.max_dead_s is not None and dead > night.max_dead_s + 1e-9:
                    continue
                after, moved = dict(pitches), {i: set(m) for i, m in moved.items()}
                for s in way.tuning.strings:
                    if way.uses(s):
                        after[inst.id, s] = way.tuning.pitch(s)
                        moved[inst.id].discard(s)
                here = dead + 0.01 * work
                others = [i for i in insts if i != inst.id] if night.tech else []
                for p, m, spent in options(k + 1, others, freeze(after, moved)):
                    if spent <= gig.song(self.order[k]).length_s + 1e-9:
                        rest = go(k + 1, inst.id, tuple(sorted(capo.items())), freeze(p, m), False)
                        best = min(best, here + rest)
            return best

        pitches = {(i, s): NONE for i in insts for s in range(1, insts[i].strings + 1)}
        capos, hand = dict.fromkeys(insts), NONE
        if under_way:
            now = night.now
            pitches = {(i, s): now.tunings.get(i, insts[i].tuning).pitch(s) for i, s in pitches}
            capos, hand = {i: now.capos.get(i, 0) for i in insts}, now.in_hand
        moved = {i: set() for i in insts}
        return go(begin, hand, tuple(sorted(capos.items(), key=str)), freeze(pitches, moved), not under_way)
