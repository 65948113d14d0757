"""Hypothesis strategies in one place: notes, tunings, and small nights with every feature on."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

from juxtatune.core.music.notes import Note

notes = st.builds(
    Note,
    letter=st.sampled_from("ABCDEFG"),
    alter=st.integers(-2, 2),
    octave=st.integers(0, 8),
    shift=st.one_of(st.just(0.0), st.integers(-99, 99).map(float)),
)
pitch_lists = st.lists(st.integers(28, 76), min_size=4, max_size=12)
FOUR = ["E1 A1 D2 G2", "D1 A1 D2 G2", "D1 G1 C2 F2", "Eb1 Ab1 Db2 Gb2"]


@st.composite
def small_gigs(draw: st.DrawFn, most: int = 5) -> dict[str, Any]:
    """A gig of up to `most` songs on one or two four-string guitars, as a value for gig JSON."""
    count, guitars = draw(st.integers(1, most)), draw(st.integers(1, 2))
    songs = [_song(draw, k, guitars) for k in range(count)]
    ids = [s["id"] for s in songs]
    night: dict[str, Any] = {
        "cover_s": draw(st.sampled_from([0, 4, 8, 20])),
        "cover_after": {i: draw(st.sampled_from([0, 15, 40])) for i in ids if draw(st.booleans())},
        "tech": draw(st.sampled_from([False, False, True])),
        "max_dead_s": draw(st.sampled_from([None, None, None, 15, 30])),
    }
    if count >= 4 and draw(st.booleans()):
        cut = draw(st.integers(1, count - 1))
        night["parts"] = [{"songs": cut}, {"songs": count - cut}]
    if draw(st.integers(0, 3)) == 0:
        night["curve"] = [draw(st.integers(0, 5)) for _ in ids]
        night["curve_weight_s"] = draw(st.sampled_from([0, 1, 3]))
    _rules(draw, night, ids)
    return {
        "format": "juxtatune-gig",
        "version": 1,
        "instruments": [_guitar(draw, g) for g in range(guitars)],
        "songs": songs,
        "set": night,
    }


def _guitar(draw: st.DrawFn, g: int) -> dict[str, Any]:
    return {
        "id": f"g{g}",
        "strings": 4,
        "bridge": draw(st.sampled_from(["fixed", "floating"])),
        "costs": {
            "base_s": draw(st.sampled_from([0, 3])),
            "string_s": draw(st.sampled_from([1, 4])),
            "semitone_s": draw(st.sampled_from([0, 1.5])),
            "check_s": draw(st.sampled_from([0, 1.2])),
            "swap_s": draw(st.sampled_from([2, 12])),
        },
    }


def _song(draw: st.DrawFn, k: int, guitars: int) -> dict[str, Any]:
    ways = [
        {
            "instrument": f"g{draw(st.integers(0, guitars - 1))}",
            "tuning": draw(st.sampled_from(FOUR)),
            "capo": draw(st.sampled_from([0, 0, 0, 2])),
            "strings_used": draw(st.sampled_from([None, None, [4, 3], [4, 3, 2], [1]])),
            "compromise_s": draw(st.sampled_from([0, 0, 5])),
        }
        for _ in range(draw(st.sampled_from([1, 1, 2])))
    ]
    length = draw(st.sampled_from([10, 20, 60]))
    return {"id": f"s{k}", "length_s": length, "energy": draw(st.integers(0, 5)), "ways": ways}


def _rules(draw: st.DrawFn, night: dict[str, Any], ids: list[str]) -> None:
    kind = draw(st.sampled_from(["", "", "pins", "before", "adjacent", "apart", "now"]))
    if len(ids) < 3 or not kind:
        return
    pair = draw(st.permutations(ids))[:2]
    if kind == "pins":
        night["pins"] = [{"song": pair[0], "part": 0, "place": draw(st.sampled_from([0, -1]))}]
    elif kind == "now":
        night["now"] = {
            "played": list(pair),
            "in_hand": "g0",
            "tunings": {"g0": draw(st.sampled_from(FOUR))},
            "capos": {"g0": draw(st.sampled_from([0, 2]))},
        }
    else:
        night[kind] = [list(pair)]
