"""A gig as arrays of numbers for the search."""

from __future__ import annotations

import numpy as np

from juxtatune.core.errors import UserError
from juxtatune.core.music.tuning import SAME
from juxtatune.core.planning.model.cliques import clique_tables
from juxtatune.core.planning.model.plan import played_count
from juxtatune.core.planning.model.tables import FREE_CAPO, U64, Compiled, Tables, bits, pack
from juxtatune.core.repertoire.night import Gig, with_open_rules

ROOM = 59  # bits for the strings of one instrument


def compile_gig(gig: Gig) -> Compiled:
    """Builds the tables. Raises UserError when an instrument has more tunings than the state can hold."""
    return _Compiler(with_open_rules(gig)).run()


class _Compiler:
    def __init__(self, gig: Gig) -> None:
        self.gig, self.night = gig, gig.night
        self.n = len(gig.songs)
        self.words = (self.n + 63) // 64
        self.song_at = {s.id: k for k, s in enumerate(gig.songs)}
        self.inst_at = {i.id: k for k, i in enumerate(gig.instruments)}
        self.max_strings = max(i.strings for i in gig.instruments)
        self.adjacent = {self.song_at[c]: self.song_at[d] for c, d in self.night.adjacent}

    def run(self) -> Compiled:
        ways = self._ways()
        insts = self._instruments()
        songs = self._songs()
        insts |= self._cliques(ways, insts, songs)
        places = self._places()
        tables = Tables(
            n=self.n, words=self.words, insts=len(self.gig.instruments), demands=len(self.classes),
            **ways, **insts, **songs, **places, **self._sigs,
            curve_weight=float(self.night.curve_weight_s) if self.night.curve is not None else 0.0,
            usual_cover=float(np.median(songs["cover"])),
            comp_total=float(songs["least_comp"].sum()),
            again=float(np.min(insts["cost"][:, 0] + insts["cost"][:, 3] * insts["strings"])),
            tech=self.night.tech,
            max_dead=np.inf if self.night.max_dead_s is None else float(self.night.max_dead_s),
            relaxed=False,
            repeat=np.zeros(self.words, np.uint64),
            repeat_cover=0.0,
        )  # fmt: skip
        first = played_count(self.gig)
        pred, alike = self._before(), self._alike()
        return Compiled(
            self.gig, tables, pack(tables), pred, alike, first, self._start_key(tables, first), tuple(self.way_of),
        )  # fmt: skip

    # -- pitches, classes, ways
    def _values(self) -> list[list[list[float]]]:
        """Distinct pitches of every string of every instrument."""
        values: list[list[list[float]]] = [[[] for _ in range(i.strings)] for i in self.gig.instruments]

        def add(inst: int, at: int, pitch: float) -> None:
            if all(abs(pitch - v) > SAME for v in values[inst][at]):
                values[inst][at].append(pitch)

        for song in self.gig.songs:
            for way in song.ways:
                for at, string in enumerate(way.tuning.strings):
                    if way.uses(string):
                        add(self.inst_at[way.instrument], at, way.tuning.pitches[at])
        if self.night.now:
            for k, inst in enumerate(self.gig.instruments):
                for at, pitch in enumerate(self.night.now.tunings.get(inst.id, inst.tuning).pitches):
                    add(k, at, pitch)
        return values

    def pitch_index(self, inst: int, at: int, pitch: float) -> int:
        return next(k for k, v in enumerate(self.values[inst][at]) if abs(v - pitch) <= SAME)

    def _ways(self) -> dict[str, np.ndarray]:
        self.values = self._values()
        self.way_of: list[tuple[int, int]] = []
        classes: dict[tuple, int] = {}
        sigs: dict[tuple, int] = {(-1, 0.0, -1, ()): 0}
        rows: list[tuple[int, int, int, float, int]] = []
        apart = self._apart()
        start = [0]
        self.class_songs: list[list[int]] = []
        for v, song in enumerate(self.gig.songs):
            for w, way in enumerate(song.ways):
                inst = self.inst_at[way.instrument]
                demand = tuple(
                    self.pitch_index(inst, at, way.tuning.pitches[at]) if way.uses(string) else -1
                    for at, string in enumerate(way.tuning.strings)
                )
                c = classes.setdefault((inst, demand), len(classes))
                if c == len(self.class_songs):
                    self.class_songs.append([])
                self.class_songs[c].append(v)
                sig_key = (inst, self.night.cover(song.id), self.adjacent.get(v, -1), tuple(sorted(apart[v])))
                sig = sigs.setdefault(sig_key, len(sigs))
                self.way_of.append((v, w))
                rows.append((inst, c, way.capo, way.compromise_s, sig))
            start.append(len(rows))
        if self.night.now and self.night.now.played:
            sigs.setdefault(self._now_signature(), len(sigs))
        self.classes = list(classes)
        pitch = np.full((len(classes), self.max_strings), -1, np.int64)
        for c, (_, demand) in enumerate(classes):
            pitch[c, : len(demand)] = demand
        self._sigs = {
            "sig_inst": np.array([s[0] for s in sigs], np.int64),
            "sig_cover": np.array([s[1] for s in sigs], float),
            "sig_next": np.array([s[2] for s in sigs], np.int64),
            "sig_apart": np.array([bits(s[3], self.words) for s in sigs], np.uint64),
        }
        self.sig_ids = sigs
        capos = sorted(
            {r[2] for r in rows} | set(self.night.now.capos.values() if self.night.now else ()) | {0}
        )
        if len(capos) > FREE_CAPO:
            raise UserError(f"{len(capos)} different capo frets", "songs", f"at most {FREE_CAPO}")
        self.capo_index = {c: k for k, c in enumerate(capos)}
        return {
            "way_start": np.array(start, np.int64),
            "way_inst": np.array([r[0] for r in rows], np.int64),
            "way_demand": np.array([r[1] for r in rows], np.int64),
            "way_capo": np.array([self.capo_index[r[2]] for r in rows], np.int64),
            "way_comp": np.array([r[3] for r in rows], float),
            "way_sig": np.array([r[4] for r in rows], np.int64),
            "demand_inst": np.array([c[0] for c in classes], np.int64),
            "demand_pitch": pitch,
            "demand_mask": np.array([bits(s, self.words) for s in self.class_songs], np.uint64),
        }

    def _apart(self) -> list[set[int]]:
        apart: list[set[int]] = [set() for _ in range(self.n)]
        for e, f in self.night.apart:
            a, b = self.song_at[e], self.song_at[f]
            apart[a].add(b)
            apart[b].add(a)
        return apart

    # -- instruments
    def _instruments(self) -> dict[str, np.ndarray]:
        k, s = len(self.gig.instruments), self.max_strings
        p = max(1, max(len(v) for inst in self.values for v in inst))
        t: dict[str, np.ndarray] = {
            "strings": np.array([i.strings for i in self.gig.instruments], np.int64),
            "cost": np.array([_cost_row(i.costs) for i in self.gig.instruments], float),
            "pitch": np.zeros((k, s, p)),
            "pitch_count": np.zeros((k, s), np.int64),
            "offset": np.zeros((k, s), np.int64),
            "width": np.zeros((k, s), np.int64),
            "ready_bit": np.zeros(k, np.int64),
            "blank": np.zeros(k, np.uint64),
            "use_mask": np.zeros((k, s, self.words), np.uint64),
            "pitch_mask": np.zeros((k, s, p, self.words), np.uint64),
            "inst_mask": np.zeros((k, self.words), np.uint64),
        }
        for i in range(k):
            self._layout(i, t)
        for c, (inst, demand) in enumerate(self.classes):
            mask = bits(self.class_songs[c], self.words)
            t["inst_mask"][inst] |= mask
            for at, index in enumerate(demand):
                if index >= 0:
                    t["use_mask"][inst, at] |= mask
                    t["pitch_mask"][inst, at, index] |= mask
        return t

    def _layout(self, i: int, t: dict[str, np.ndarray]) -> None:
        instrument = self.gig.instruments[i]
        position, blank = 0, 0
        for at, values in enumerate(self.values[i]):
            t["pitch"][i, at, : len(values)] = values
            t["pitch_count"][i, at] = len(values)
            width = max(1, len(values).bit_length())
            t["offset"][i, at], t["width"][i, at] = position, width
            blank |= ((1 << width) - 1) << position
            position += width + 2
        if position > ROOM:
            raise UserError(
                f"{sum(len(v) for v in self.values[i])} different pitches on its strings",
                f"instrument {instrument.id}", "fewer different tunings on one instrument",
            )  # fmt: skip
        t["ready_bit"][i] = position
        t["blank"][i] = np.uint64(blank | FREE_CAPO << (position + 1))

    def _cliques(
        self, ways: dict[str, np.ndarray], insts: dict[str, np.ndarray], songs: dict[str, np.ndarray]
    ) -> dict[str, np.ndarray]:
        usable = [bool(row.any()) for row in songs["single_mask"]]
        found = clique_tables(ways["demand_inst"], ways["demand_pitch"], usable, insts)
        sole = np.zeros((len(insts["strings"]), self.words), np.uint64)
        for c, row in enumerate(songs["single_mask"]):
            sole[ways["demand_inst"][c]] |= row
        found["sole_demand"] = sole
        return found

    # -- songs, places, rules
    def _songs(self) -> dict[str, np.ndarray]:
        songs = self.gig.songs
        cover = np.array([self.night.cover(s.id) for s in songs], float)
        energy = np.array([s.energy for s in songs], float)
        follows = np.full(self.n, -1, np.int64)
        for first, second in self.night.adjacent:
            follows[self.song_at[second]] = self.song_at[first]
        sole = np.zeros((len(self.gig.instruments), self.words), np.uint64)
        single = np.zeros((len(self.classes), self.words), np.uint64)
        demands: list[set[int]] = [set() for _ in range(self.n)]
        for c, members in enumerate(self.class_songs):
            for v in members:
                demands[v].add(c)
        for v, song in enumerate(songs):
            names = {w.instrument for w in song.ways}
            if len(names) == 1:
                sole[self.inst_at[names.pop()]] |= bits([v], self.words)
            if len(demands[v]) == 1:
                single[next(iter(demands[v]))] |= bits([v], self.words)
        return {
            "length": np.array([s.length_s for s in songs], float),
            "cover": cover,
            "by_cover": np.argsort(-cover, kind="stable").astype(np.int64),
            "least_comp": np.array([min(w.compromise_s for w in s.ways) for s in songs], float),
            "follows": follows,
            "energy": energy,
            "by_energy": np.argsort(energy, kind="stable").astype(np.int64),
            "sole_mask": sole,
            "single_mask": single,
        }

    def _places(self) -> dict[str, np.ndarray]:
        part = np.array(self.gig.part_of_place(), np.int64)
        last = np.ones(self.n, np.bool_)
        last[:-1] = part[1:] != part[:-1]
        left = np.array([len(set(part[k:].tolist())) for k in range(self.n + 1)], np.int64)
        curve = np.array(self.night.curve if self.night.curve is not None else np.zeros(self.n), float)
        ordered = np.zeros((self.n + 1, self.n))
        for k in range(self.n):
            ordered[k, : self.n - k] = np.sort(curve[k:])
        return {
            "part": part,
            "last_in_part": last,
            "parts_left": left,
            "allowed": self._allowed(),
            "curve": curve,
            "curve_sorted": ordered,
        }

    def _allowed(self) -> U64:
        full = bits(range(self.n), self.words)
        allowed = np.tile(full, (self.n, 1))
        for pin in self.night.pins:
            place, song = self.gig.place_of_pin(pin), bits([self.song_at[pin.song]], self.words)
            for k in range(self.n):
                allowed[k] &= song if k == place else ~song
        return allowed

    def _before(self) -> U64:
        pred = np.zeros((self.n, self.words), np.uint64)
        for a, b in (*self.night.before, *self.night.adjacent):
            pred[self.song_at[b]] |= bits([self.song_at[a]], self.words)
        return pred

    def _alike(self) -> U64:
        """Songs that nothing tells apart are played in list order."""
        ruled = {s for pair in (*self.night.before, *self.night.adjacent, *self.night.apart) for s in pair}
        ruled |= {pin.song for pin in self.night.pins}
        alike = np.zeros((self.n, self.words), np.uint64)
        latest: dict[tuple, int] = {}
        for v, song in enumerate(self.gig.songs):
            if song.id in ruled:
                continue
            key = (
                tuple(sorted((self.way_key(v, w)) for w in range(len(song.ways)))), self.night.cover(song.id),
                song.length_s if self.night.tech else 0.0,
                song.energy if self.night.curve is not None and self.night.curve_weight_s else 0.0,
            )  # fmt: skip
            if key in latest:
                alike[v] |= bits([latest[key]], self.words)
            latest[key] = v
        return alike

    def way_key(self, v: int, w: int) -> tuple:
        way = self.gig.songs[v].ways[w]
        used = tuple(
            round(p / SAME) if way.uses(s) else -1
            for s, p in zip(way.tuning.strings, way.tuning.pitches, strict=True)
        )
        return (way.instrument, used, way.capo, way.compromise_s)

    def _start_key(self, t: Tables, first: int) -> U64:
        """The state before the first place that is still open."""
        key = np.zeros(self.words + 1 + len(self.gig.instruments), np.uint64)
        key[self.words + 1 :] = t.blank
        now = self.night.now
        if now is None or first == 0:
            return key
        key[: self.words] = bits([self.song_at[s] for s in now.played], self.words)
        if first < self.n and t.part[first] == t.part[first - 1]:
            key[self.words] = self.sig_ids[self._now_signature()]
            for i, inst in enumerate(self.gig.instruments):
                key[self.words + 1 + i] = self._now_state(t, i, inst.id)
        return key

    def _now_signature(self) -> tuple:
        now = self.night.now
        assert now is not None
        last = self.song_at[now.played[-1]]
        hand = self.inst_at[now.in_hand] if now.in_hand is not None else -1
        apart = tuple(sorted(self._apart()[last]))
        return (hand, self.night.cover(now.played[-1]), self.adjacent.get(last, -1), apart)

    def _now_state(self, t: Tables, i: int, inst_id: str) -> np.uint64:
        now = self.night.now
        assert now is not None
        inst = self.gig.instruments[i]
        word = self.capo_index[now.capos.get(inst_id, 0)] << (int(t.ready_bit[i]) + 1)
        for at, pitch in enumerate(now.tunings.get(inst_id, inst.tuning).pitches):
            word |= self.pitch_index(i, at, pitch) << int(t.offset[i, at])
        return np.uint64(word)


def _cost_row(c: object) -> list[float]:
    names = ("base_s", "string_s", "semitone_s", "check_s", "passes", "swap_s", "capo_s")
    return [float(getattr(c, name)) for name in names]
