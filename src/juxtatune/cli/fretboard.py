"""name, chord, harmonics and translate: tunings and what is played on them."""

from __future__ import annotations

from typing import Any

from juxtatune.cli.out import answer, num, say
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.chordnames import name_chord
from juxtatune.core.fretboard.harmonics import Harmonic, harmonics
from juxtatune.core.fretboard.refinger import Event, Fingering, parse_passage, translate
from juxtatune.core.fretboard.shapes import check_capo, parse_shape, play, written_tuning
from juxtatune.core.music.naming import half_steps_words, name_tuning, nearest_named
from juxtatune.core.music.notes import pretty
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning


def tuning_of(text: str, where: str = "TUNING") -> Tuning:
    try:
        return parse_tuning(text)
    except UserError as error:
        raise error.at(where) from None


def show_name(text: str, as_json: bool) -> None:
    tuning = tuning_of(text)
    found = name_tuning(tuning)
    nearest = [{"name": n, "semitones_moved": num(moved)} for n, moved in nearest_named(tuning)]
    if as_json:
        answer({
            "name": found.name, "notes": tuning.names(), "shape": found.shape, "shape_semitones": found.moved,
            "offset_cents": num(found.shift_cents), "intervals": list(tuning.intervals), "nearest": nearest,
        })  # fmt: skip
        return
    say(pretty(f"{found.name}: {tuning}"))
    if found.shape is not None and found.moved:
        say(f"{found.shape} shape, {half_steps_words(found.moved)}")
    for row in nearest[:3]:
        say(f"from {row['name']}: {row['semitones_moved']:g} half steps in all")


def show_chord(text: str, shape_text: str, capo: int, as_json: bool) -> None:
    tuning = tuning_of(text)
    shape = parse_shape(shape_text, len(tuning))
    played = play(tuning, shape, check_capo(capo))
    home, moved = written_tuning(tuning)
    sounds = name_chord([round(p.sounds.pitch) for p in played], tuning.flats)
    written = name_chord([round(p.written.pitch) for p in played], home.flats)
    row: dict[str, Any] = {
        "notes": [p.sounds.letter_name() + str(p.sounds.octave) for p in played], "sounds": sounds.name,
        "written": written.name, "others": list(sounds.others), "semitones": moved + capo,
        "strings": [
            {"string": p.string, "fret": p.fret, "sounds": str(p.sounds), "written": str(p.written)} for p in played
        ],
    }  # fmt: skip
    if sounds.interval is not None:
        row["interval"] = sounds.interval
    if as_json:
        answer(row)
        return
    what = sounds.name or sounds.interval or "no chord with a name"
    say(pretty(f"{what}: {' '.join(row['notes'])}"))
    if moved + capo:
        say(pretty(f"written {written.name or written.interval}, sounds {half_steps_words(moved + capo)}"))
    if sounds.others:
        say(pretty(f"also {', '.join(sounds.others)}"))


def show_harmonics(text: str, as_json: bool) -> None:
    rows = harmonics(tuning_of(text))
    if as_json:
        answer([
            {"string": string, "open": str(note), "harmonics": [_harmonic(h) for h in found]}
            for string, note, found in rows
        ])  # fmt: skip
        return
    for string, note, found in rows:
        listed = ", ".join(f"fret {h.fret:g} {h.note}" + (f" {h.cents:+.1f} ¢" if h.cents else "") for h in found)
        say(pretty(f"string {string}, {note}: {listed}"))


def _harmonic(h: Harmonic) -> dict[str, Any]:
    return {"fret": h.fret, "frets": list(h.frets), "partial": h.partial, "note": str(h.note), "cents": num(h.cents)}


def show_translation(source: str, target: str, text: str, frets: int, capo: int, as_json: bool) -> None:
    start, goal = tuning_of(source, "FROM"), tuning_of(target, "TO")
    if not 1 <= frets <= 36:
        raise UserError(f"{frets} frets", "--frets", "1 to 36")
    if not 0 <= capo < frets:
        raise UserError(f"capo {capo}", "--capo", f"0 to {frets - 1}")
    try:
        passage = parse_passage(text, len(start))
    except UserError as error:
        raise error.at("PASSAGE") if not error.where.startswith("PASSAGE") else error from None
    found = translate(start, goal, passage, frets, capo)
    if as_json:
        answer({
            "events": [_event(e) for e in found.events], "positions": list(found.positions), "cost": found.cost,
            "stretches": found.stretches, "drones_lost": found.drones_lost,
            "unreachable": [{"event": k, "note": str(note)} for k, note in found.unreachable],
            "words": fingering_words(found),
        })  # fmt: skip
        return
    say(" ".join("(not playable)" if e is None else "+".join(f"{p.string}:{p.fret}" for p in e) for e in found.events))
    say(fingering_words(found))


def _event(event: Event | None) -> list[dict[str, int]] | None:
    return None if event is None else [{"string": p.string, "fret": p.fret} for p in event]


def fingering_words(f: Fingering) -> str:
    """What the hand has to do, in a sentence."""
    lost = sum(e is None for e in f.events)
    moves = sum(a != b for a, b in zip(f.positions, f.positions[1:], strict=False))
    parts = [f"{len(f.events) - lost} of {len(f.events)} events can be played" if lost else "every event can be played"]
    parts.append("the hand stays in one place" if not moves else f"the hand moves {moves} time{'s' if moves > 1 else ''}")
    if f.stretches:
        parts.append(f"{f.stretches} stretch{'es' if f.stretches > 1 else ''}")
    if f.drones_lost:
        parts.append(f"{f.drones_lost} open string{'s' if f.drones_lost > 1 else ''} must be fretted")
    if f.unreachable:
        parts.append(f"{len(f.unreachable)} note{'s' if len(f.unreachable) > 1 else ''} no string has")
    return ", ".join(parts)
