"""A run of nights in one book: another night with the same songs, a rehearsal, and how to leave the guitars."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.app.night import VERSION, as_given
from juxtatune.app.sheets import leave_in
from juxtatune.book.state import BookState, NightRecord, gig_of
from juxtatune.core.errors import UserError
from juxtatune.core.planning.plan import Slot
from juxtatune.core.repertoire.night import Night, Part


def fresh_id(state: BookState, stem: str = "night") -> str:
    """An id that no night of the book has."""
    taken = {n.id for n in state.nights}
    return next(i for k in range(len(taken) + 2) if (i := f"{stem}-{k + 1}") not in taken)


def copied(state: BookState, night: NightRecord, name: str) -> NightRecord:
    """A night with the same songs, rules and guitars; nothing of it is played yet."""
    return replace(night, id=fresh_id(state), name=name, rules=replace(night.rules, now=None))


def renamed(night: NightRecord, name: str) -> NightRecord:
    return replace(night, name=name)


def rehearsal(state: BookState, night: NightRecord) -> NightRecord:
    """The songs of a night in one stretch with no rules and no talk: planned, it retunes least."""
    slots = tuple(Slot(s.song, 0, s.way) for s in night.slots)
    rules = Night((Part("Rehearsal", len(slots)),))
    return NightRecord(fresh_id(state, "rehearsal"), f"{night.name}, rehearsal", night.guitars, slots, rules)


def following(state: BookState, night: NightRecord) -> NightRecord | None:
    """The night after this one in the book."""
    nights = [n for n in state.nights if VERSION not in n.id]
    k = [n.id for n in nights].index(night.id) + 1
    return nights[k] if k < len(nights) else None


def leave_for(state: BookState, night: NightRecord) -> dict[str, str]:
    """Guitar to tuning: how a night begins, in its order as it stands."""
    gig = gig_of(state, night)
    plan = as_given(gig, night)
    if plan is None:
        raise UserError("no way to begin it was found", night.name)
    return leave_in(gig, plan)
