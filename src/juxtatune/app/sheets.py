"""What the sheets on paper say: the set for the floor, and the technician's, guitar by guitar. Values only."""

from __future__ import annotations

from dataclasses import dataclass

from juxtatune.app.tuning_names import show_tuning
from juxtatune.core.planning.model.plan import Plan, Retune
from juxtatune.core.planning.pricing.timeline import trace
from juxtatune.core.repertoire.night import Gig


@dataclass(frozen=True)
class FloorRow:
    """One song on the floor: what to take in hand and what moves before it."""

    number: int
    title: str
    guitar: str
    pitches: tuple[float, ...]
    home: tuple[float, ...]
    tuning: str  # its name, where it is another than the guitar stood in before
    moves: str
    part: int
    new_guitar: bool


@dataclass(frozen=True)
class TechRow:
    """One moment of one guitar: the minute of the night, what is played, what to do."""

    minute: float
    when: str
    what: str


@dataclass(frozen=True)
class TechGuitar:
    name: str
    rows: tuple[TechRow, ...]


def floor_rows(gig: Gig, plan: Plan) -> list[FloorRow]:
    """The set in order, as it lies on the floor."""
    rows: list[FloorRow] = []
    hand: str | None = None
    stands: dict[str, str] = {}
    for k, place in enumerate(trace(gig, plan)):
        if place.way is None:
            continue
        guitar = gig.instrument(place.way.instrument)
        moves = place.gap.retunes if place.gap is not None else ()
        text = "; ".join(
            part
            for i in gig.instruments
            if (part := _moves(i.name if i.id != guitar.id else "", i.id, moves))
        )
        if place.way.capo:
            text = f"capo {place.way.capo}" + (f"; {text}" if text else "")
        part_begins = not rows or rows[-1].part != place.part
        tuning = show_tuning(place.way.tuning)
        named = tuning if part_begins or guitar.id != hand or stands.get(guitar.id) != tuning else ""
        stands[guitar.id] = tuning
        rows.append(FloorRow(
            k + 1, gig.song(place.song).title, guitar.name, place.way.tuning.pitches, guitar.home.pitches, named, text,
            place.part, part_begins or guitar.id != hand,
        ))  # fmt: skip
        hand = guitar.id
    return rows


def _moves(name: str, instrument: str, retunes: tuple[Retune, ...]) -> str:
    """`6 ↓2, 3 ↑1, 1 ↑30 ¢` (half steps, where they are whole), the guitar named when it is not the one played next."""
    own = [r for r in retunes if r.instrument == instrument]
    if not own:
        return ""
    steps = ", ".join(
        f"{r.string} {'↑' if r.target > r.source else '↓'}{_number(abs(r.target - r.source))}" for r in own
    )
    return f"{name} {steps}".strip()


def _number(steps: float) -> str:
    return f"{round(100 * steps)} ¢" if abs(steps - round(steps)) > 0.005 else str(round(steps))


def tech_guitars(gig: Gig, plan: Plan) -> list[TechGuitar]:
    """Each guitar through the night: when it is wanted, in what, and what to do to it in between."""
    places = trace(gig, plan)
    out = []
    idle = {(w.during, w.instrument): w.retunes for w in plan.idle}
    for guitar in gig.instruments:
        rows: list[TechRow] = []
        minute = 0.0
        for k, place in enumerate(places):
            gap = place.gap
            minute += ((gap.dead_s + gap.cover_s) if gap is not None else 0.0) / 60
            if k == 0 or place.part != places[k - 1].part:
                tuning = show_tuning(plan.start[place.part][guitar.id])
                rows.append(TechRow(minute, f"before {_part(gig, place.part)}", f"have it in {tuning}"))
            done = _moves("", guitar.id, gap.retunes if gap is not None else ())
            if done:
                rows.append(TechRow(minute, f"gap before {gig.song(place.song).title}", done))
            if place.way is not None and place.way.instrument == guitar.id:
                capo = f", capo {place.way.capo}" if place.way.capo else ""
                rows.append(TechRow(minute, gig.song(place.song).title, f"played{capo}"))
            during = _moves("", guitar.id, idle.get((place.song, guitar.id), ()))
            if during:
                rows.append(TechRow(minute, f"during {gig.song(place.song).title}", during))
            minute += gig.song(place.song).length_s / 60
        if any(r.what.startswith("played") for r in rows):
            out.append(TechGuitar(guitar.name, tuple(rows)))
    return out


def _part(gig: Gig, part: int) -> str:
    return gig.night.parts[part].name or f"part {part + 1}"


def leave_in(gig: Gig, plan: Plan) -> dict[str, str]:
    """What each guitar should stand in before a night begins: its name to the name of the tuning."""
    first = next((s.part for s in plan.order if s.way is not None), 0)
    return {i.name: show_tuning(plan.start[first][i.id]) for i in gig.instruments}
