"""Ways to play a song, computed for every guitar of the book, best first, each with an account in plain words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace

from juxtatune.app.calling import ordinal
from juxtatune.app.fields import show_tuning
from juxtatune.book.state import BookState
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.refinger import Fingering, parse_passage, translate
from juxtatune.core.music.families import FAMILIES
from juxtatune.core.music.naming import half_steps_words
from juxtatune.core.music.tuning import Tuning, same_pitches
from juxtatune.core.repertoire.song import MATTERS, Song, Way
from juxtatune.core.strings.instrument import Instrument
from juxtatune.core.strings.setup import out_of_range

MOVED_S = 6.0  # compromise of a half step that the song is moved by
REFINGERED_S, LOST_S, COST_S = 4.0, 2.0, 0.05  # of other fingers, of each drone lost, of a fret that the hand travels
MATTERS_S = dict(zip(MATTERS, (6.0, 3.0, 0.0), strict=True))  # more, where the tuning itself is the song
CAPO_S = 2.0
OTHER_GUITAR_S = 1.0
MOST_CAPO = 5
MOST_LEFT_OUT, NOTE_S = 0.1, 0.5  # share of the notes that may be left out; compromise of each
FRETS = 22


@dataclass(frozen=True)
class Offer:
    """A way that a song does not have yet, and what it means for the player."""

    way: Way
    account: str
    moves: int = 0  # half steps that the song sounds off its own pitch


def offers(state: BookState, song: Song) -> list[Offer]:
    """Every sensible way on every guitar, the least compromise first; those that the song has already are left out, and
    those beyond what the guitar's strings go.

    A way that sounds at another pitch is offered only as far as the singer can follow, and always says so.
    """
    found: list[Offer] = []
    for guitar in state.instruments:
        for offer in _on(song, guitar, state):
            known = [*song.ways, *(o.way for o in found)]
            moves = [b - a for a, b in zip(guitar.home.pitches, offer.way.tuning.pitches, strict=True)]
            if not out_of_range(guitar.setup, moves) and not any(_alike(offer.way, w) for w in known):
                found.append(offer)
    return sorted(found, key=lambda o: (o.way.compromise_s, o.account))


def moved_by(song: Song, way: Way) -> int:
    """Half steps that the same shapes sound off the song's own pitch in a way; 0 where the shapes are others."""
    first = song.ways[0]
    if way.refingered or len(first.tuning) != len(way.tuning):
        return 0
    moves = {
        round(b + way.capo - a - first.capo, 2)
        for a, b in zip(first.tuning.pitches, way.tuning.pitches, strict=True)
    }  # fmt: skip
    only = moves.pop() if len(moves) == 1 else 0.0
    return round(only) if abs(only) >= 0.75 else 0


def _alike(a: Way, b: Way) -> bool:
    """Whether an offer is nothing new beside a way that is known: one that needs fewer strings is."""
    every = range(1, len(a.tuning) + 1)
    fewer = set(a.strings_used or every) < set(b.strings_used or every)
    return a.instrument == b.instrument and a.capo == b.capo and same_pitches(a.tuning, b.tuning) and not fewer


def _on(song: Song, guitar: Instrument, state: BookState) -> Iterator[Offer]:
    first = song.ways[0]
    other = 0.0 if guitar.id == first.instrument else OTHER_GUITAR_S
    if len(first.tuning) == guitar.strings:
        yield _matched(first, guitar, other)
        yield from _with_capo(first, guitar, other)
        yield from _moved(song, first, guitar, other)
    if song.details.passage:
        yield from _refingered(song, guitar, state, other)
        if len(first.tuning) == guitar.strings:
            yield from _left_out(song, guitar, other)


def _matched(first: Way, guitar: Instrument, other: float) -> Offer:
    way = replace(first, instrument=guitar.id, compromise_s=other)
    return Offer(way, f"{guitar.name} in {show_tuning(first.tuning)}: the same shapes at the same pitch")


def _with_capo(first: Way, guitar: Instrument, other: float) -> Iterator[Offer]:
    """A lower tuning of the same shape with a capo: the same shapes at the same pitch."""
    for capo in range(1, MOST_CAPO + 1):
        if capo <= first.capo:
            continue
        lower = first.tuning.moved(first.capo - capo)
        if same_pitches(lower, guitar.home) or same_pitches(lower, guitar.tuning):
            way = replace(first, instrument=guitar.id, tuning=lower, capo=capo, compromise_s=other + CAPO_S)
            yield Offer(way, f"{guitar.name} in {show_tuning(lower)} with capo {capo}: the same shapes at the same pitch")


def _moved(song: Song, first: Way, guitar: Instrument, other: float) -> Iterator[Offer]:
    """The same shapes in the guitar's own tuning of that shape: the song moves, as far as the singer can follow."""
    for n in range(-song.details.down, song.details.up + 1):
        if n == 0:
            continue
        tuning = first.tuning.moved(n)
        named = any(same_pitches(tuning, f.tuning) for f in FAMILIES)
        if named or same_pitches(tuning, guitar.home) or same_pitches(tuning, guitar.tuning):
            way = replace(
                first, instrument=guitar.id, tuning=tuning, compromise_s=other + MOVED_S * abs(n)
            )
            words = f"the same shapes, the song sounds {half_steps_words(n)}: singer and band follow"
            yield Offer(way, f"{guitar.name} in {show_tuning(tuning)}: {words}", n)


def _refingered(song: Song, guitar: Instrument, state: BookState, other: float) -> Iterator[Offer]:
    """The same pitches fingered anew in the guitar's home tuning, where no note is lost."""
    d = song.details
    source = d.passage_tuning or song.ways[0].tuning
    try:
        passage = parse_passage(d.passage, len(source))
    except UserError:
        return
    sounding = source.moved(d.passage_capo) if d.passage_capo else source
    for tuning, capo in _homes(guitar):
        if same_pitches(tuning, source) and capo == d.passage_capo:
            continue
        found = translate(sounding, tuning, passage, FRETS, capo)
        if any(e is None for e in found.events):
            continue
        used = tuple(sorted({p.string for e in found.events if e for p in e}, reverse=True))
        cost = other + REFINGERED_S + MATTERS_S[d.matters] + LOST_S * found.drones_lost + COST_S * found.cost + CAPO_S * (capo > 0)
        way = Way(guitar.id, tuning, capo, () if len(used) == guitar.strings else used, round(cost, 1), True)
        yield Offer(way, _account(guitar, tuning, capo, found))


def _left_out(song: Song, guitar: Instrument, other: float) -> Iterator[Offer]:
    """The song's own tuning with strings left out that hold few of its notes and would have to be retuned."""
    first, d = song.ways[0], song.details
    if d.passage_tuning is None or not same_pitches(d.passage_tuning, first.tuning):
        return
    used = _notes_by_string(d.passage, guitar.strings)
    total = sum(used.values())
    for string, notes in sorted(used.items(), key=lambda x: x[1]):
        stays = abs(first.tuning.pitch(string) - guitar.home.pitch(string)) < 1e-6
        if stays or not 0 < notes <= MOST_LEFT_OUT * total or len(used) < 3:
            continue
        kept = tuple(s for s in sorted(used, reverse=True) if s != string)
        way = replace(first, instrument=guitar.id, strings_used=kept, compromise_s=round(other + NOTE_S * notes, 1))
        left = f"{notes} of {total} notes {'is' if notes == 1 else 'are'} left out"
        words = f"without the {ordinal(string)} string, which need not be retuned: {left}"
        yield Offer(way, f"{guitar.name} in {show_tuning(first.tuning)}: {words}")


def _notes_by_string(passage: str, strings: int) -> dict[int, int]:
    try:
        events = parse_passage(passage, strings)
    except UserError:
        return {}
    return dict(Counter(p.string for event in events for p in event))


def _homes(guitar: Instrument) -> Iterator[tuple[Tuning, int]]:
    seen: list[Tuning] = []
    for tuning in (guitar.home, guitar.tuning):
        if not any(same_pitches(tuning, t) for t in seen):
            seen.append(tuning)
            yield tuning, 0
    yield guitar.home, 2


def _account(guitar: Instrument, tuning: Tuning, capo: int, found: Fingering) -> str:
    with_capo = f" with capo {capo}" if capo else ""
    count = "1 open string" if found.drones_lost == 1 else f"{found.drones_lost} open strings"
    lost = f", {count} fretted" if found.drones_lost else ""
    moves = sum(a != b for a, b in zip(found.positions, found.positions[1:], strict=False))
    hand = "the hand stays" if not moves else "the hand moves once" if moves == 1 else f"the hand moves {moves} times"
    return f"{guitar.name} in {show_tuning(tuning)}{with_capo}: other fingers at the same pitch, {hand}{lost}"


def with_ways(state: BookState, song_id: str, ways: list[Way]) -> BookState:
    """The song with ways added behind its own."""
    song = state.song(song_id)
    return state.with_song(replace(song, ways=(*song.ways, *ways)))
