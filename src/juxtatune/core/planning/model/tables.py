"""What the search reads of a gig: songs as bits, pitches as small indices, rules as masks.

An instrument's state is one 64-bit word: for every string the index of its pitch (all ones: not yet
decided, any pitch), a bit "moved since it was last used" and a bit "moved after the instrument was made
ready", then a bit "made ready for the next song
on it", then four bits of capo (15: not yet decided).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.repertoire.night import Gig

FREE_CAPO = 15

U64 = NDArray[np.uint64]
I64 = NDArray[np.int64]
F64 = NDArray[np.float64]


class Tables(NamedTuple):
    """Everything the search reads. Shapes: n songs, W ways, K instruments, S strings, C classes, G signatures."""

    n: int
    words: int
    insts: int
    demands: int
    # ways
    way_start: I64  # (n + 1,) first way of each song
    way_inst: I64  # (W,)
    way_demand: I64  # (W,)
    way_capo: I64  # (W,)
    way_comp: F64  # (W,) seconds
    way_sig: I64  # (W,) signature of having just played this way
    # classes: alike demands on one instrument
    demand_inst: I64  # (C,)
    demand_pitch: I64  # (C, S) pitch index, -1 unused
    demand_mask: U64  # (C, words) songs with a way of this class
    # instruments
    strings: I64  # (K,)
    cost: F64  # (K, 7) base, string, semitone, check, passes, swap, capo
    pitch: F64  # (K, S, P) pitch values
    pitch_count: I64  # (K, S)
    offset: I64  # (K, S) bit offset of the pitch index
    width: I64  # (K, S) bits of the pitch index
    ready_bit: I64  # (K,)
    blank: U64  # (K,) state with nothing decided
    use_mask: U64  # (K, S, words) songs that may use the string
    pitch_mask: U64  # (K, S, P, words) songs that may use the string at that pitch
    inst_mask: U64  # (K, words) songs that may use the instrument
    sole_mask: U64  # (K, words) songs that only this instrument plays
    sole_demand: U64  # (K, words) songs with one demand, on this instrument
    single_mask: U64  # (C, words) songs that want this class and no other
    clique_start: I64  # (K + 1,) first of an instrument's cliques
    clique_demand: I64  # (Q, M) classes of which every two clash, -1 padded
    clique_full: F64  # (Q, M) least seconds of arriving at each from another
    clique_least: F64  # (Q, M) the same, by its cheapest string alone
    again: float  # least seconds by which a retune grows when spread over one more gap
    # signatures of the song just played
    sig_inst: I64
    sig_cover: F64
    sig_next: I64  # song that must follow, -1 none
    sig_apart: U64  # (G, words) songs that must not follow
    # songs
    length: F64
    cover: F64
    by_cover: I64  # (n,) songs by falling cover
    least_comp: F64
    usual_cover: float  # the median
    comp_total: float  # of the least compromises
    follows: I64  # (n,) song that must be straight before, -1 none
    energy: F64
    by_energy: I64
    # places
    part: I64  # (n,)
    last_in_part: NDArray[np.bool_]
    parts_left: I64  # (n + 1,) parts that still have places from here
    allowed: U64  # (n, words)
    curve: F64  # (n,)
    curve_weight: float
    curve_sorted: F64  # (n + 1, n) the curve from a place on, sorted, padded
    tech: bool
    max_dead: float
    relaxed: bool  # some songs may be played again and again, or not at all
    repeat: U64  # (words,) which
    repeat_cover: float  # largest cover of these


class Packed(NamedTuple):
    """All tables in three flat arrays, which compile many times faster than many arrays do.

    For field k of Tables, ints[4k : 4k + 4] are its offset in the array of its type and its strides
    along the first, second and third axis.
    """

    ints: I64
    floats: F64
    masks: U64


def pack(tables: Tables) -> Packed:
    """The tables as three flat arrays with a header of offsets and strides."""
    header: list[int] = []
    ints: list[np.ndarray] = []
    floats: list[np.ndarray] = []
    masks: list[np.ndarray] = []
    ends = {"i": 4 * len(tables), "f": 0, "u": 0}
    for value in tables:
        a = np.asarray(value)
        kind = "u" if a.dtype == np.uint64 else "f" if a.dtype.kind == "f" else "i"
        strides = [int(np.prod(a.shape[d + 1 :])) for d in range(a.ndim)][:3]
        header += [ends[kind], *strides, *([0] * (3 - len(strides)))]
        ends[kind] += a.size
        {"i": ints, "f": floats, "u": masks}[kind].append(a.ravel())
    return Packed(
        np.concatenate([np.array(header, np.int64), *(a.astype(np.int64) for a in ints)]),
        np.concatenate([a.astype(np.float64) for a in floats]),
        np.concatenate(masks),
    )


@dataclass(frozen=True)
class Compiled:
    """Tables with what is needed to read a plan back out of them."""

    gig: Gig
    tables: Tables
    packed: Packed
    pred: U64  # (n, words) songs that must be played before each
    alike: U64  # (n, words) alike songs put in order, to be added to pred
    first: int  # places already played
    start_key: U64
    way_of: tuple[tuple[int, int], ...]  # (song, way) of each flat way


def bits(indices: Sequence[int], words: int) -> U64:
    out = np.zeros(words, np.uint64)
    for i in indices:
        out[i >> 6] |= np.uint64(1) << np.uint64(i & 63)
    return out
