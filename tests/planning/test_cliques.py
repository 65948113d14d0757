"""Kinds of songs that clash: the sets found against all there are."""

from __future__ import annotations

import json
from itertools import combinations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from juxtatune.book.formats.gig import parse_gig
from juxtatune.core.planning.model.cliques import _maximal
from juxtatune.core.planning.model.compile import compile_gig


@given(st.integers(1, 7), st.data())
def test_maximal_sets_of_clashing_kinds_are_those_of_brute_force(n, data) -> None:
    clash = np.zeros((n, n), bool)
    for a, b in combinations(range(n), 2):
        clash[a, b] = clash[b, a] = data.draw(st.booleans())
    together = [
        set(group)
        for size in range(1, n + 1)
        for group in combinations(range(n), size)
        if all(clash[a, b] for a, b in combinations(group, 2))
    ]
    maximal = {frozenset(g) for g in together if not any(g < other for other in together)}
    assert {frozenset(q) for q in _maximal(clash)} == maximal


def compiled(tunings, **costs):
    songs = [
        {"id": str(k), "length_s": 100, "ways": [{"instrument": "g", "tuning": t, "strings_used": used}]}
        for k, (t, used) in enumerate(tunings)
    ]
    gig = {
        "format": "juxtatune-gig", "version": 1,
        "instruments": [{"id": "g", "strings": 6, "costs": costs}], "songs": songs,
    }  # fmt: skip
    return compile_gig(parse_gig(json.dumps(gig))).tables


def test_arriving_costs_the_nearest_clashing_kind_whole_and_by_its_cheapest_string() -> None:
    all_strings = [6, 5, 4, 3, 2, 1]
    t = compiled([("standard", all_strings), ("drop D", all_strings), ("open D", all_strings)])
    assert t.clique_start.tolist() == [0, 1]
    by_demand = dict(zip(t.clique_demand[0].tolist(), t.clique_full[0].tolist(), strict=True))
    base = 3 + 6 * 1.2
    # drop D to open D: F♯ up a half step, A and D down a whole step each; to standard: one string a whole step
    assert by_demand[0] == by_demand[1] == base + 4 + 1.5 * 2
    assert by_demand[2] == base + (4 + 1.5) + 2 * (4 + 1.5 * 2)
    assert t.clique_least[0].tolist() == [base + 5.5] * 3  # F♯ alone parts open D from both
    assert t.again == base


def test_kinds_that_share_no_string_do_not_clash() -> None:
    t = compiled([("standard", [6, 5]), ("open D", [2, 1])])
    sizes = [(row >= 0).sum() for row in t.clique_demand]
    assert sizes == [1, 1]
