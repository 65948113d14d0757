"""The optimum by a constraint model of its own (OR-Tools CP-SAT): places, pitches after each gap and each song.

Written from the cost model and sharing nothing with the search: every string has a pitch while each song is
played and after it; what differs was moved. Times in milliseconds, so that all costs are whole numbers.
"""

from __future__ import annotations

import math

from ortools.sat.python import cp_model

from juxtatune.core.repertoire.night import Gig, with_open_rules


def ms(seconds: float) -> int:
    return round(seconds * 1000)


class Model:
    """Builds the model of a small gig; `optimum` solves it."""

    def __init__(self, gig: Gig) -> None:
        self.gig = gig = with_open_rules(gig)
        self.m = m = cp_model.CpModel()
        self.n, self.part = len(gig.songs), gig.part_of_place()
        now = gig.night.now
        self.played = now.played if now else ()
        self.first = len(self.played)
        standing = {
            i.id: (now.tunings.get(i.id, i.tuning) if now else i.tuning).pitches for i in gig.instruments
        }
        wanted = {p for s in gig.songs for w in s.ways for p in w.tuning.pitches}
        self.pitches = sorted(wanted.union(*standing.values()))
        self.ways = [(a, j, w) for a, s in enumerate(gig.songs) for j, w in enumerate(s.ways)]
        # y[way, place]: this way is played there
        self.y = {(v, k): m.new_bool_var("") for v in range(len(self.ways)) for k in range(self.n)}
        self.x = {
            (a, k): sum(self.y[v, k] for v, w in enumerate(self.ways) if w[0] == a)
            for a in range(self.n)
            for k in range(self.n)
        }
        for k in range(self.n):
            m.add_exactly_one(self.y[v, k] for v in range(len(self.ways)))
        for a in range(self.n):
            m.add(sum(self.x[a, k] for k in range(self.n)) == 1)
        ids = [s.id for s in gig.songs]
        for k, song in enumerate(self.played):
            m.add(self.x[ids.index(song), k] == 1)
        self._rules(ids)
        self._strings()
        self.cost = []
        for k in range(self.first, self.n):
            self._gap(k)
        self._rest()

    def on(self, instrument, k):
        """The instrument is played at a place."""
        return sum(self.y[v, k] for v, (_, _, w) in enumerate(self.ways) if w.instrument == instrument.id)

    def _rules(self, ids):
        night, m, at = self.gig.night, self.m, {}
        for a, song in enumerate(ids):
            at[song] = sum(k * self.x[a, k] for k in range(self.n))
        for pin in night.pins:
            m.add(self.x[ids.index(pin.song), self.gig.place_of_pin(pin)] == 1)
        for a, b in night.before:
            m.add(at[a] + 1 <= at[b])
        for a, b in night.adjacent:
            m.add(at[b] == at[a] + 1)
            for k in range(1, self.n):
                if self.part[k] != self.part[k - 1]:
                    m.add(self.x[ids.index(b), k] == 0)
            m.add(self.x[ids.index(b), 0] == 0)
        for a, b in night.apart:
            for k in range(1, self.n):
                if self.part[k] == self.part[k - 1]:
                    for c, d in ((a, b), (b, a)):
                        m.add(self.x[ids.index(c), k - 1] + self.x[ids.index(d), k] <= 1)

    def _pick(self):
        """A pitch as one of several truths."""
        choice = [self.m.new_bool_var("") for _ in self.pitches]
        self.m.add_exactly_one(choice)
        return choice

    def _same(self, a, b):
        """True exactly when two pitches are the same."""
        same = self.m.new_bool_var("")
        for p, q in zip(a, b, strict=True):
            self.m.add(p == q).only_enforce_if(same)
            self.m.add(p + q <= 1).only_enforce_if(~same)
        return same

    def continues(self, k):
        return k > 0 and self.part[k] == self.part[k - 1]

    def _strings(self):
        """Pitches during and after every song, which songs use a string, and what was moved when."""
        self.during, self.after, self.moves, self.use = {}, {}, {}, {}
        now = self.gig.night.now
        for i in self.gig.instruments:
            for t in range(i.strings):
                for k in range(self.first, self.n):
                    self.during[i.id, t, k], self.after[i.id, t, k] = self._pick(), self._pick()
                    users = [
                        (v, w)
                        for v, (_, _, w) in enumerate(self.ways)
                        if w.instrument == i.id and w.uses(i.strings - t)
                    ]
                    self.use[i.id, t, k] = sum(self.y[v, k] for v, _ in users)
                    for v, w in users:
                        self.m.add_implication(
                            self.y[v, k], self.during[i.id, t, k][self.pitches.index(w.tuning.pitches[t])]
                        )
                    self.moves[i.id, t, k, "idle"] = ~self._same(
                        self.during[i.id, t, k], self.after[i.id, t, k]
                    )
                    if not self.gig.night.tech:
                        self.m.add(self.moves[i.id, t, k, "idle"] == 0)
                    self.m.add(self.on(i, k) == 0).only_enforce_if(self.moves[i.id, t, k, "idle"])
                    if self.continues(k):
                        if k == self.first:
                            stands = now.tunings.get(i.id, i.tuning).pitches[t]
                            before = [int(p == stands) for p in self.pitches]
                        else:
                            before = self.after[i.id, t, k - 1]
                        self.moves[i.id, t, k, "gap"] = ~self._same(before, self.during[i.id, t, k])
                self._once(i, t)
            self._ready(i)

    def _events(self, i, t):
        """Moments at which a string may be moved, with the place from which the new pitch holds."""
        out = []
        for k in range(self.first, self.n):
            if self.continues(k):
                out.append((self.part[k], k, self.moves[i.id, t, k, "gap"]))
            out.append((self.part[k], k + 1, self.moves[i.id, t, k, "idle"]))
        return out

    def _once(self, i, t):
        events = self._events(i, t)
        for e, (part, holds, one) in enumerate(events):
            for later, until, two in events[e + 1 :]:
                if later == part:
                    used = sum(
                        self.use[i.id, t, k]
                        for k in range(holds, until)
                        if k < self.n and self.part[k] == part
                    )
                    self.m.add(one + two <= 1 + used)

    def _ready(self, i):
        for k in range(self.first, self.n):
            for kind, begin, state in (("gap", k, self.during), ("idle", k + 1, self.after)):
                done = [
                    self.moves[i.id, t, k, kind] for t in range(i.strings) if (i.id, t, k, kind) in self.moves
                ]
                for place in range(begin, self.n):
                    if self.part[place] != self.part[k]:
                        break
                    between = sum(self.on(i, j) for j in range(begin, place))
                    for t in range(i.strings):
                        for v, (_, _, w) in enumerate(self.ways):
                            if w.instrument != i.id or not w.uses(i.strings - t):
                                continue
                            there = state[i.id, t, k][self.pitches.index(w.tuning.pitches[t])]
                            for moved in done:
                                self.m.add(there + between >= 1).only_enforce_if(moved, self.y[v, place])

    def _work(self, i, k, kind):
        """Milliseconds of retuning one instrument in a gap or during a song."""
        c, terms = i.costs, []
        any_moved = self.m.new_bool_var("")
        for t in range(i.strings):
            moved = self.moves[i.id, t, k, kind]
            self.m.add_implication(moved, any_moved)
            goal = self.during[i.id, t, k] if kind == "gap" else self.after[i.id, t, k]
            source = self.during[i.id, t, k] if kind == "idle" else self.after.get((i.id, t, k - 1))
            stands = None if source is not None else self.gig.night.now.tunings.get(i.id, i.tuning).pitches[t]
            step = self.m.new_int_var(0, 10**7, "")
            for p, pitch in enumerate(self.pitches):
                for q, other in enumerate(self.pitches):
                    need = ms(c.passes * c.semitone_s * abs(pitch - other))
                    if source is None:
                        if other == stands:
                            self.m.add(step >= need).only_enforce_if(goal[p])
                    else:
                        self.m.add(step >= need).only_enforce_if(goal[p], source[q])
            terms.append(step + ms(c.passes * c.string_s) * moved)
        return sum(terms) + (ms(c.base_s) + ms(c.check_s * i.strings)) * any_moved

    def _gap(self, k):
        gig, m = self.gig, self.m
        if gig.night.tech:
            idle = sum(self._work(i, k, "idle") for i in gig.instruments)
            m.add(idle <= sum(ms(gig.songs[a].length_s) * self.x[a, k] for a in range(self.n)))
        if not self.continues(k):
            return
        work = sum(self._work(i, k, "gap") for i in gig.instruments) + self._swap(k) + self._capo(k)
        covers = [ms(gig.night.cover(s.id)) for s in gig.songs]
        dead = m.new_int_var(0, 10**8, "")
        m.add(dead >= work - sum(covers[a] * self.x[a, k - 1] for a in range(self.n)))
        if gig.night.max_dead_s is not None:
            m.add(dead <= ms(gig.night.max_dead_s))
        self.cost += [100 * dead, work]

    def _swap(self, k):
        terms, now = [], self.gig.night.now
        for i in self.gig.instruments:
            if k == self.first:
                if now.in_hand is not None and now.in_hand != i.id:
                    terms.append(ms(i.costs.swap_s) * self.on(i, k))
                continue
            swapped = self.m.new_bool_var("")
            self.m.add(swapped >= self.on(i, k) - self.on(i, k - 1))
            terms.append(ms(i.costs.swap_s) * swapped)
        return sum(terms)

    def _capo(self, k):
        """The capo differs from where the last song on the same instrument in the part left it."""
        terms = []
        for v, (_, _, w) in enumerate(self.ways):
            i = self.gig.instrument(w.instrument)
            start = k
            while self.continues(start) and start > self.first:
                start -= 1
            for u, (_, _, other) in enumerate(self.ways):
                if other.instrument == w.instrument and other.capo != w.capo:
                    for j in range(start, k):
                        paid = self.m.new_bool_var("")
                        between = sum(self.on(i, b) for b in range(j + 1, k))
                        self.m.add(paid >= self.y[v, k] + self.y[u, j] - 1 - between)
                        terms.append(ms(i.costs.capo_s) * paid)
            if (
                self.continues(self.first)
                and start == self.first
                and self.gig.night.now.capos.get(i.id, 0) != w.capo
            ):
                paid = self.m.new_bool_var("")
                self.m.add(paid >= self.y[v, k] - sum(self.on(i, b) for b in range(start, k)))
                terms.append(ms(i.costs.capo_s) * paid)
        return sum(terms)

    def _rest(self):
        night = self.gig.night
        for v, (_, _, w) in enumerate(self.ways):
            self.cost += [100 * ms(w.compromise_s) * self.y[v, k] for k in range(self.first, self.n)]
        if night.curve is not None:
            self.cost += [
                round(100000 * night.curve_weight_s * abs(s.energy - night.curve[k])) * self.x[a, k]
                for a, s in enumerate(self.gig.songs) for k in range(self.first, self.n)
            ]  # fmt: skip

    def optimum(self, seconds=30.0):
        """The least objective in s, infinite when no plan keeps the rules, None when it ran out of time."""
        self.m.minimize(sum(self.cost))
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds, solver.parameters.num_workers = seconds, 2
        status = solver.solve(self.m)
        if status == cp_model.INFEASIBLE:
            return math.inf
        return solver.objective_value / 1e5 if status == cp_model.OPTIMAL else None
