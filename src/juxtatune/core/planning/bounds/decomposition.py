"""A bound from the guitars apart: each is taken through the parts of the night by the cheapest chain of retunes.

One guitar alone has few kinds of demand, so that the least cost of getting through any set of them is found
exactly. A gap with the usual talk hides that talk of every retune in it (more than it can); gaps with more talk,
here called *tokens*, are the few that matter: each is shared out between the guitars retuned in it, in every way
that could be best, and a guitar that plays the song before such a gap must be in tune for it. After a retune a guitar
is ready for some song. Where a technician may retune guitars that are not played, a retune costs no more than the swap
by which its guitar comes back. The bound is the least sum over all ways to spread songs and tokens over guitars and parts,
with a swap for every guitar after the first in a part. What other songs do between, how many a part holds and all
rules of order are left out, so no plan costs less.

A token's seconds go to one retune after the other; what is left for the next is known from the length of those
before, of which steps are told apart and rounded so that no retune gets less than it could.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.planning.bounds.allocation import least_allocation
from juxtatune.core.planning.bounds.demands import Demand, GuitarDemands, SharedSongs, demand_of, follow, ways
from juxtatune.core.planning.bounds.guitar_dp import (
    INFEASIBLE,
    chain_costs,
    in_steps,
    over_parts,
)
from juxtatune.core.planning.bounds.pinned_ends import PartEnds, Variant, variants
from juxtatune.core.planning.bounds.tuning_space import TuningSpace, meets, tuning_space
from juxtatune.core.planning.model.compile import compile_gig
from juxtatune.core.planning.model.objective import WORK_WEIGHT
from juxtatune.core.planning.model.tables import F64, I64, Compiled, Tables
from juxtatune.core.repertoire.night import still_to_play
from juxtatune.core.retuning.formula import handling_s, turning_s

MOST_TOKENS = 3
MOST_DEMANDS = (10, 13, 16)  # of one guitar, followed at first and then
EFFORTS = ((3, 1), (3, 3), (2, 1), (1, 1), (0, 1))  # tokens, and steps of their shares
ENDLESS = 1e8  # seconds, more than any night costs
MOST_WORK = 6e9  # pairs of tunings looked at for one guitar

F32 = NDArray[np.float32]
SAFE = 1e-3  # seconds, more than single precision can be off by


@dataclass(frozen=True)
class _Tokens:
    songs: tuple[int, ...]
    usual: float  # cover of every other gap, at most
    covers: F32  # (tokens, most levels) cover of each level, rising; the first is none
    levels: I64  # (tokens,) how many levels each has


@dataclass(frozen=True)
class _Problem:
    night: Compiled
    guitars: tuple[GuitarDemands, ...]
    shared: SharedSongs
    spaces: tuple[TuningSpace, ...]
    ends: tuple[PartEnds, ...]  # of every part

    @property
    def parts(self) -> int:
        return len(self.ends)

    def work(self, tokens: _Tokens) -> float:
        """Pairs of tunings, and spreads over parts, to be looked at for a guitar at most."""
        uses, spreads = float(np.prod(tokens.levels)), float(np.prod(self.parts * tokens.levels))
        most = 0.0
        for i, space in enumerate(self.spaces):
            chains = len({_ends_of(e, i) for e in self.ends})
            pairs = float((space.sizes.astype(float) ** 2).sum()) * uses * chains
            most = max(most, pairs + float(len(space.kind)) ** np.log2(3) * spreads * (self.parts - 1))
        return most


def proven_infeasible(night: Compiled, stop: np.ndarray) -> bool:
    """True when some guitar cannot get through its songs within the limit on dead air, in whatever order.

    Not asked of a night under way, where the first plan is waited for.
    """
    if night.first or not np.isfinite(night.tables.max_dead):
        return False
    return any(bound > ENDLESS / 2 for bound in decomposition_bounds(night, ENDLESS, stop, EFFORTS[:1]))


def decomposition_bounds(
    night: Compiled, limit: float, stop: np.ndarray, efforts: tuple[tuple[int, int], ...] = EFFORTS
) -> Iterator[float]:
    """Seconds that no plan can do without (never above `limit`), in rising bounds; none where this says nothing.

    Of a night under way the rest is bounded as a night of its own.
    """
    if night.first == night.tables.n or not np.isfinite(limit):
        return
    if night.first:
        night = compile_gig(still_to_play(night.gig))
    best, begun = 0.0, False
    levels = _distinct(zip(*(_problems(variant) for variant in variants(night)), strict=False))
    for most, fine in efforts:
        tokens = _tokens(night, most, fine)
        if begun and most < MOST_TOKENS:
            break
        for problems in levels:
            if max(problem.work(tokens) for problem in problems) * len(problems) > MOST_WORK:
                break
            begun, found = True, limit
            for problem in problems:
                found = min(found, _bound(problem, tokens, found, stop))
            if stop[0]:
                return
            if found > best:
                best = found
                yield best


def _distinct(levels: Iterator[tuple[_Problem, ...]]) -> list[tuple[_Problem, ...]]:
    """Those only that follow more than the one before."""
    kept: list[tuple[_Problem, ...]] = []
    for problems in levels:
        if not kept or [p.guitars for p in problems] != [p.guitars for p in kept[-1]]:
            kept.append(problems)
    return kept


def _problems(variant: Variant) -> Iterator[_Problem]:
    """What is followed, more and more of it; none where a guitar has too many tunings."""
    t = variant.night.tables
    closing = [tuple(e.closing[1] for e in variant.ends if e.closing and e.closing[0] == i) for i in range(t.insts)]
    for most in MOST_DEMANDS:
        guitars, shared = follow(t, most)
        spaces = [tuning_space(t, g, closing[g.row]) for g in guitars]
        if any(space is None for space in spaces):
            return
        usable = tuple(space for space in spaces if space is not None)
        yield _Problem(variant.night, tuple(guitars), shared, usable, variant.ends)


def _bound(problem: _Problem, tokens: _Tokens, limit: float, stop: np.ndarray) -> float:
    t, parts, shared = problem.night.tables, problem.parts, problem.shared
    # whichever guitar comes first in a part is in hand for nothing
    dearest = max(_swap(t, i, tokens.usual) for i in range(t.insts))
    free = sum(_swap(t, e.opening[0], tokens.usual) if e.opening else dearest for e in problem.ends)
    over = []
    for g, space in zip(problem.guitars, problem.spaces, strict=True):
        over.append(_over(t, g, space, problem.ends, tokens, limit + free, stop))
        if stop[0]:
            return 0.0
    table = _stacked(over, parts * tokens.levels)
    mixes, gains = _mixes(t, tokens, parts, alike=len(set(problem.ends)) == 1)
    always = float(t.comp_total) - free + _curve(problem.night)
    found = least_allocation(
        table, mixes, gains, shared.start, shared.guitar, shared.mask, shared.seconds, always, limit, stop
    )
    return float(found) - SAFE


def _ends_of(ends: PartEnds, i: int) -> tuple[Demand | None, Demand | None]:
    """What guitar i must be in tune for when a part begins and ends."""
    opening, closing = ends.opening, ends.closing
    return (
        opening[1] if opening and opening[0] == i else None,
        closing[1] if closing and closing[0] == i else None,
    )


def _tokens(night: Compiled, most: int, fine: int) -> _Tokens:
    """The gaps with most talk, each with the shares of it that matter, `fine` steps for half of it."""
    t = night.tables
    ends = {k for k in range(t.n) if t.last_in_part[k]}
    closing = {pin.song for pin in night.gig.night.pins if night.gig.place_of_pin(pin) in ends}
    open_ = [v for v in range(t.n) if night.gig.songs[v].id not in closing]
    falling = sorted(open_, key=lambda v: -t.cover[v])
    median = float(np.median(t.cover))
    usual = max([float(t.cover[v]) for v in falling[most:]] + [median])
    chosen = tuple(v for v in falling[:most] if t.cover[v] > usual)
    shortest = min(_shortest(t, i) for i in range(t.insts))
    rising = [_steps(float(t.cover[v]), usual, shortest, float(min(t.cost[:, 5])), fine) for v in chosen]
    levels = np.array([len(r) + 1 for r in rising], np.int64)
    covers = np.zeros((len(chosen), max(levels, default=1)), np.float32)
    for k, r in enumerate(rising):
        covers[k, 1 : len(r) + 1] = r
    return _Tokens(chosen, usual, covers, levels)


def _steps(cover: float, usual: float, shortest: float, swap: float, fine: int) -> list[float]:
    """Shares of a token told apart, rising: all, what a swap leaves, and steps on both sides of the middle."""
    lower: list[float] = []
    if cover - shortest > usual:  # two retunes can gain
        width = max(0.0, cover / 2 - shortest) / fine
        lower = [cover / 2 - k * width for k in range(fine if width > 0 else 1)] + [min(shortest, cover / 2)]
    shares = [cover, cover - swap, *lower[:-1], *(cover - x for x in lower)]
    return sorted({x for x in shares if x > usual})


def _shortest(t: Tables, i: int) -> float:
    """Seconds of the shortest retune an instrument can need."""
    base, string, semitone, check, passes, _, _ = t.cost[i]
    moves = [
        abs(float(t.pitch[i, s, a] - t.pitch[i, s, b]))
        for s in range(t.strings[i])
        for a, b in itertools.combinations(range(t.pitch_count[i, s]), 2)
    ]
    least = min(moves, default=0.0)
    return float(handling_s(base, check, t.strings[i]) + turning_s(string, semitone, passes, least))


def _swap(t: Tables, i: int, usual: float) -> float:
    swap = float(t.cost[i, 5])
    return max(0.0, swap - usual) + WORK_WEIGHT * swap


def _over(
    t: Tables, g: GuitarDemands, space: TuningSpace, ends: tuple[PartEnds, ...], tokens: _Tokens, limit: float,
    stop: np.ndarray,
) -> F64:  # fmt: skip
    """Seconds of one guitar over all parts: (spreads of tokens, choices of the further demands)."""
    work, usual = _retunes(t, g.row, space.values, tokens.usual)
    at_own, own = _own(t, g, tokens, space)
    longest = (tokens.covers.max(axis=1, initial=0.0) + t.max_dead + SAFE).astype(np.float32)
    own_ends = [_ends_of(e, g.row) for e in ends]
    chains = {}
    for opening, closing in dict.fromkeys(own_ends):
        begins = space.ready if opening is None else space.ready[meets(space.values[space.ready], opening)]
        finals = np.ones(len(space.values), bool) if closing is None else meets(space.values, closing)
        chains[opening, closing] = chain_costs(
            (space.kind, space.kind_start, space.rows, space.where), begins, finals.astype(np.uint8), space.met, work,
            usual, at_own, tokens.covers, tokens.levels, longest, np.float32(limit), stop,
        )  # fmt: skip
    played = np.array([e != (None, None) for e in own_ends], np.uint8)
    swap, split = _swap(t, g.row, tokens.usual), (len(g.forced), len(g.followed))
    return np.asarray(
        over_parts(np.stack([chains[e] for e in own_ends]), *split, tokens.levels, own, played, swap, stop)
    )


def _retunes(t: Tables, i: int, values: I64, cover: float) -> tuple[F32, F32]:
    """Seconds of the retune between every two tunings, and what it costs in gaps of the usual cover."""
    base, string, semitone, check, passes, _, _ = t.cost[i]
    again = float(handling_s(base, check, t.strings[i]))
    pitch = np.stack([t.pitch[i, s][values[:, s]] for s in range(values.shape[1])], axis=1)
    away = np.abs(pitch[:, None, :] - pitch[None, :, :])
    moves = np.where(away > 0, turning_s(string, semitone, passes, away), 0.0)
    total = moves.sum(axis=2)
    work = np.where(total > 0, again + total, 0.0)
    if again < cover:  # every string gains by a gap of its own
        shown = np.where(moves > 0, np.maximum(0.0, again + moves - cover), 0.0).sum(axis=2)
    else:
        shown = np.maximum(0.0, work - cover)
    shown = (shown + WORK_WEIGHT * work).astype(np.float32)
    if np.isfinite(t.max_dead):
        # what is too long for one gap may be done in several, each of which leaves the guitar ready
        shown[work > cover + t.max_dead + SAFE] = INFEASIBLE
        in_steps(shown)
    if t.tech and t.insts > 1:
        # while another is played the technician retunes it for nothing: to come back to it takes a swap
        shown = np.where(total > 0, np.minimum(shown, _swap(t, i, cover)), shown)
        work = np.where(total > 0, np.minimum(work, t.cost[i, 5]), work)
    return work.astype(np.float32), shown


def _own(t: Tables, g: GuitarDemands, tokens: _Tokens, space: TuningSpace) -> tuple[np.ndarray, I64]:
    """Where a guitar may stand when a token's gap begins (tokens, kinds of sets, tunings), and the demand met by then.

    Only the song before that gap says so, if this guitar alone can play it and in one way.
    """
    at = np.ones((len(tokens.songs), len(space.needed), len(space.values)), np.uint8)
    own = np.zeros(len(tokens.songs), np.int64)
    for k, v in enumerate(tokens.songs):
        only = list(ways(t, v))
        if len(only) != 1 or t.way_inst[only[0]] != g.row:
            continue
        d = demand_of(t, only[0])
        own[k] = 1 << g.followed.index(d) if d in g.followed else 0
        for kind, needed in enumerate(space.needed):
            # a string that nothing left wants is not followed any more
            at[k, kind] = meets(space.values, tuple(x if n else -1 for x, n in zip(d, needed, strict=True)))
    return at, own


def _stacked(over: list[F64], bases: I64) -> F64:
    """All guitars' seconds: (guitars, choices, digits of the first, second and third token)."""
    bases = np.concatenate([bases, np.ones(MOST_TOKENS - len(bases), np.int64)])
    table = np.full((len(over), max(o.shape[1] for o in over), *bases), INFEASIBLE)
    for i, o in enumerate(over):
        table[i, : o.shape[1]] = o.T.reshape(o.shape[1], *bases[::-1]).transpose(0, 3, 2, 1)
    return table


def _mixes(t: Tables, tokens: _Tokens, parts: int, alike: bool) -> tuple[tuple[I64, ...], tuple[F64, ...]]:
    """For each token the digits of every guitar that go together, and the seconds of a swap hidden beside."""
    gain = max(0.0, float(max(t.cost[:, 5])) - tokens.usual)
    swap = float(min(t.cost[:, 5]))
    shortest = [_shortest(t, i) for i in range(t.insts)]
    mixes, gains = [], []
    for k in range(MOST_TOKENS):
        if k >= len(tokens.songs):
            mixes.append(np.zeros((1, t.insts), np.int64))
            gains.append(np.zeros(1))
            continue
        n = int(tokens.levels[k])
        found = _shares([float(x) for x in tokens.covers[k, :n]], tokens.usual, shortest, swap, gain)
        at = range(1) if alike and k == 0 else range(parts)
        mixes.append(np.array([[p * n + level for level in mix] for p in at for mix, _ in found], np.int64))
        gains.append(np.array([saved for _ in at for _, saved in found]))
    return tuple(mixes), tuple(gains)


Share = tuple[tuple[int, ...], float]


def _shares(steps: list[float], usual: float, shortest: list[float], swap: float, gain: float) -> list[Share]:
    """Levels of every guitar at one token that go together, with the seconds of a swap hidden beside.

    Whatever retunes are made there, one of these hides as much of each as the token can.
    """
    guitars = sorted(range(len(shortest)), key=lambda i: shortest[i])
    found: set[Share] = set()
    for saved in (0.0, gain):
        room = steps[-1] - (swap if saved else 0.0)
        for count in range(1, len(guitars) + 1):
            for users in itertools.combinations(guitars, count):
                for split in _splits(users, room, steps, usual, shortest):
                    found.add((tuple(split.get(i, 0) for i in range(len(shortest))), saved))
    return [a for a in found if not any(a != b and _covers(b, a) for b in found)]


def _covers(b: Share, a: Share) -> bool:
    return b[1] >= a[1] and all(x >= y for x, y in zip(b[0], a[0], strict=True))


def _splits(
    users: tuple[int, ...], room: float, steps: list[float], usual: float, shortest: list[float]
) -> list[dict[int, int]]:
    """Ways to give `room` seconds to retunes, the first served first, of whatever length it is."""
    if room <= usual:
        return [{}]
    top = next(k for k, x in enumerate(steps) if x >= room - 1e-4)
    first, others = users[0], users[1:]
    if not others:
        return [{first: top}]
    found = []
    for k in range(1, top + 1):
        if k < top and steps[k] <= shortest[first]:
            continue
        taken = max(steps[k - 1], shortest[first])
        for rest in _splits(others, room - taken, steps, usual, shortest):
            found.append({first: k, **rest})
    return found


def _curve(night: Compiled) -> float:
    """Least seconds for straying from the energy curve, whatever the order."""
    t = night.tables
    return float(t.curve_weight * np.abs(np.sort(t.energy) - np.sort(t.curve)).sum())
