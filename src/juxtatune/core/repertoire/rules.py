"""Rules of order as values: what each says, whether an order keeps it, and nights with some of them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from juxtatune.core.repertoire.night import Gig, Night, Pin

Pair = tuple[str, str]
PAIR_KINDS = ("before", "adjacent", "apart")


@dataclass(frozen=True)
class Rule:
    """One rule of a night: part_sizes, pin, before, adjacent, apart or max_dead_s."""

    kind: str
    songs: tuple[str, ...] = ()
    part: int | None = None
    place: int | None = None

    def words(self) -> str:
        """The rule in words, with song ids."""
        match self.kind:
            case "part_sizes":
                return "the parts hold as many songs as there are"
            case "pin":
                return f"{self.songs[0]} stands at place {self.place} of part {self.part}"
            case "before":
                return f"{self.songs[0]} comes before {self.songs[1]}"
            case "adjacent":
                return f"{self.songs[1]} comes straight after {self.songs[0]}"
            case "apart":
                return f"{self.songs[0]} and {self.songs[1]} are never neighbours"
            case _:
                return "no gap has more dead air than allowed"

    def holds(self, gig: Gig, order: Sequence[str]) -> bool:
        """Whether an order of all songs keeps a rule of order; neighbours across a break are none."""
        place = [order.index(song) for song in self.songs]
        if self.kind == "pin":
            return place[0] == gig.place_of_pin(self.as_pin())
        part = gig.part_of_place()
        first, second = place
        together = part[first] == part[second]
        match self.kind:
            case "before":
                return first < second
            case "adjacent":
                return second == first + 1 and together
            case "apart":
                return not (abs(first - second) == 1 and together)
        raise ValueError(f"{self.kind} is no rule of order")

    def as_pin(self) -> Pin:
        return Pin(self.songs[0], self.part or 0, self.place or 0)


def rules_of(night: Night) -> list[Rule]:
    """All rules of order, each once."""
    rules = [Rule("pin", (p.song,), p.part, p.place) for p in night.pins]
    rules += [Rule(kind, pair) for kind in PAIR_KINDS for pair in getattr(night, kind)]
    return list(dict.fromkeys(rules))


def with_rules(night: Night, rules: Iterable[Rule]) -> Night:
    """The night with only these rules, and its limit on dead air only if that is among them."""
    rules = list(rules)
    pairs = {kind: tuple(r.songs for r in rules if r.kind == kind) for kind in PAIR_KINDS}
    pins = tuple(r.as_pin() for r in rules if r.kind == "pin")
    limit = night.max_dead_s if any(r.kind == "max_dead_s" for r in rules) else None
    return replace(night, pins=pins, max_dead_s=limit, **pairs)  # type: ignore[arg-type]


def with_pairs(night: Night, change: Callable[[Pair], Pair | None]) -> Night:
    """The night with every pair of songs changed, or left out where that gives None."""

    def changed(kind: str) -> tuple[Pair, ...]:
        return tuple(new for pair in getattr(night, kind) if (new := change(pair)) is not None)

    return replace(night, **{kind: changed(kind) for kind in PAIR_KINDS})  # type: ignore[arg-type]


def without_rules_of(night: Night, song: str) -> Night:
    """The night without the rules that name a song."""
    rest = with_pairs(night, lambda pair: None if song in pair else pair)
    return replace(rest, pins=tuple(p for p in night.pins if p.song != song))


def unruled(night: Night) -> Night:
    """The night without rules of order and limit on dead air."""
    return with_rules(night, ())
