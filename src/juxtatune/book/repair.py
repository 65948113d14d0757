"""What in a book points nowhere: slots of deleted songs, rules that name them, parts that do not add up."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.book.state import BookState, NightRecord
from juxtatune.core.planning.model.plan import Slot
from juxtatune.core.repertoire.night import Night, Now, Part
from juxtatune.core.repertoire.rules import with_pairs
from juxtatune.core.repertoire.song import Song


def repaired(state: BookState) -> tuple[BookState, tuple[str, ...]]:
    """The book with nothing in it that points nowhere, and a line for each thing that was dropped.

    The same objects stay where nothing is wrong.
    """
    told: list[str] = []
    guitars = {i.id: i.strings for i in state.instruments}
    songs = tuple(s for s in (_song(s, guitars, told) for s in state.songs) if s is not None)
    ways = {s.id: len(s.ways) for s in songs}
    nights = tuple(_night(n, guitars, ways, told) for n in state.nights)
    known = {n.id for n in nights}
    kept = tuple(k for k in state.kept if k.night in known and all(s.song in ways for s in k.slots))
    if len(kept) < len(state.kept):
        told.append(f"{len(state.kept) - len(kept)} kept orders of songs or nights that are gone")
    if not told:
        return state, ()
    return replace(state, songs=songs, nights=nights, kept=kept), tuple(told)


def _song(song: Song, guitars: dict[str, int], told: list[str]) -> Song | None:
    ways = tuple(w for w in song.ways if guitars.get(w.instrument) == len(w.tuning))
    if ways == song.ways and ways:
        return song
    told.append(f"{song.title}: a way to play it on a guitar that is gone")
    return replace(song, ways=ways) if ways else None


def _night(night: NightRecord, guitars: dict[str, int], ways: dict[str, int], told: list[str]) -> NightRecord:
    count = len(night.rules.parts)
    seen: set[str] = set()
    slots = []
    for slot in night.slots:
        if slot.song not in ways or slot.song in seen:
            continue
        seen.add(slot.song)
        slots.append(Slot(slot.song, min(slot.part, max(0, count - 1)), min(slot.way or 0, ways[slot.song] - 1)))
    slots.sort(key=lambda s: s.part)
    brought = tuple(g for g in night.guitars if g in guitars)
    new = replace(night, guitars=brought, slots=tuple(slots), rules=_rules(night.rules, slots, guitars))
    if new == night:
        return night
    told.append(f"{night.name}: what named songs or guitars that are gone")
    return new


def _rules(rules: Night, slots: list[Slot], guitars: dict[str, int]) -> Night:
    parts = tuple(
        Part(p.name, sum(s.part == k for s in slots)) for k, p in enumerate(rules.parts or (Part("Set", 0),))
    )
    held = {s.song for s in slots}

    pins = tuple(
        p for p in rules.pins
        if p.song in held and p.part < len(parts) and -parts[p.part].songs <= p.place < parts[p.part].songs
    )  # fmt: skip
    curve = rules.curve if rules.curve is None or len(rules.curve) == len(slots) else None
    kept = with_pairs(rules, lambda pair: pair if set(pair) <= held else None)
    return replace(
        kept, parts=parts, pins=pins, curve=curve, now=_now(rules.now, held, guitars),
        cover_after={s: c for s, c in rules.cover_after.items() if s in held},
    )  # fmt: skip


def _now(now: Now | None, held: set[str], guitars: dict[str, int]) -> Now | None:
    if now is None:
        return None
    return replace(
        now, played=tuple(s for s in now.played if s in held),
        in_hand=now.in_hand if now.in_hand in guitars else None,
        tunings={i: t for i, t in now.tunings.items() if guitars.get(i) == len(t)},
        capos={i: c for i, c in now.capos.items() if i in guitars},
    )  # fmt: skip
