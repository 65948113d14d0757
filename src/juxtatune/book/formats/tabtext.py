"""Everyday tab text: lines of strings from the 1st down, in blocks, among words."""

from __future__ import annotations

import re
from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.passage import PartNote, WrittenPart, sounding
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning

FEWEST, MOST = 4, 8  # lines of a block
HIGHEST = 36
_LINE = re.compile(
    r"^\s*(?P<label>[A-Ga-g](?:#|b|♯|♭)?\d?)?\s*(?P<body>[|:‖\]]?[-\d|hpbrxXtsvTSHPBR/\\~()<>^*.=_: \[\]{}o]+)\s*(?:x\d+)?\s*$"
)
_SECTION = re.compile(
    r"^\s*\[([^\]|]{1,60})\]\s*(?:\(?x?\s?\d*x?\)?)\s*$|^\s*([A-Za-z][\w '’&/().-]{0,40}):\s*$"
)
_CAPO = re.compile(r"\bcapo\b\D{0,16}?(\d{1,2})", re.IGNORECASE)
_TUNING = re.compile(r"^\s*tun(?:ing|ed)\s*(?:to)?\s*[:=]?\s*(.+?)\s*$", re.IGNORECASE)
_TITLE = re.compile(r"^\s*(?:title|song)\s*[:=]\s*(.+?)\s*$", re.IGNORECASE)
_TOKEN = re.compile(
    r"(?P<harmonic><\s*(?P<touched>\d{1,2})\s*>)|(?P<bend>(?P<from>\d{1,2})\)?\s?[b^]\s?\(?(?P<to>\d{1,2})?\)?(?:r\(?\d{0,2}\)?)?)"
    r"|(?P<fret>\d{1,2})|(?P<dead>[xX])"
)


@dataclass(frozen=True)
class _Block:
    """Lines of one system: (label, body) from the 1st string down, and the section it stands in."""

    lines: tuple[tuple[str, str], ...]
    section: int


@dataclass(frozen=True)
class _Mark:
    start: int
    end: int
    string: int
    fret: int
    harmonic: bool
    bend: float


def read_tab(text: str, stem: str) -> WrittenPart:
    """The part in a tab text. Raises UserError where there is no tab line in it."""
    blocks, sections, words = _blocks(text)
    if not blocks:
        raise UserError("there is no tab line in it", allowed=f"blocks of {FEWEST} to {MOST} lines as in 'e|--0--3--|'")
    strings = len(blocks[0].lines)
    tuning = _tuning(blocks[0], words, strings)
    capo = next((int(m[1]) for w in words if (m := _CAPO.search(w))), 0)
    notes: list[PartNote] = []
    event = 0
    for block in blocks:
        if len(block.lines) != strings:
            raise UserError(
                f"a block of {len(block.lines)} lines among blocks of {strings}", allowed="one number of strings in a part"
            )
        for marks in _events(block):
            for mark in marks:
                pitch = sounding(tuning, capo, mark.string, mark.fret, mark.harmonic)
                notes.append(PartNote(event, pitch, mark.string, mark.fret, mark.harmonic, mark.bend, block.section))
            event += 1
    name = "Bass" if strings == 4 else "Guitar"
    title = next((m[1] for w in words if (m := _TITLE.match(w))), None) or _first_words(words) or stem
    return WrittenPart(title, (name,), name, tuning, capo, tuple(notes), tuple(sections))


def _first_words(words: list[str]) -> str | None:
    """The line at the top, where it looks like a title."""
    first = next((w.strip() for w in words if w.strip()), "")
    plain = first and not _CAPO.search(first) and not _TUNING.match(first) and len(first) <= 60
    return first if plain and first[-1:] not in ".:" else None


def _blocks(text: str) -> tuple[list[_Block], list[str], list[str]]:
    """Blocks, section names, and all other lines."""
    blocks: list[_Block] = []
    sections: list[str] = []
    words: list[str] = []
    run: list[tuple[str, str]] = []

    def close() -> None:
        blocks.extend(_Block(part, len(sections) - 1) for part in _split(run))
        run.clear()

    for line in text.splitlines():
        found = _tab_line(line)
        if found is not None:
            run.append(found)
            continue
        close()
        name = _SECTION.match(line)
        if name and not _CAPO.search(line) and not _TUNING.match(line):
            sections.append((name[1] or name[2]).strip())
        elif line.strip():
            words.append(line)
    close()
    return blocks, sections, words


def _tab_line(line: str) -> tuple[str, str] | None:
    match = _LINE.match(line.expandtabs(1).rstrip())
    if match is None:
        return None
    body = match["body"]
    drawn = sum(c in "-|=_" for c in body)
    if drawn < 3 or "-" not in body or drawn * 4 < len(body.replace(" ", "")):
        return None
    if match["label"] is None and body.lstrip()[:1] not in ("|", "-", ":") and not body.lstrip()[:1].isdigit():
        return None
    return match["label"] or "", body


def _split(run: list[tuple[str, str]]) -> list[tuple[tuple[str, str], ...]]:
    """Lines that stand together as blocks: two that touch are told apart by their labels, or by halves."""
    if FEWEST <= len(run) <= MOST:
        return [tuple(run)]
    for size in (6, 7, 4, 5, 8):
        parts = [tuple(run[k : k + size]) for k in range(0, len(run), size)]
        labels = [tuple(label for label, _ in part) for part in parts]
        if len(run) > MOST and len(run) % size == 0 and len(set(labels)) == 1:
            return parts
    return []


def _tuning(block: _Block, words: list[str], strings: int) -> Tuning:
    """From a line that names it, else from the letters before the lines, else standard for so many strings."""
    for line in words:
        match = _TUNING.match(line)
        if match:
            found = _try(match[1], strings) or _try(re.sub(r"\(.*?\)", "", match[1]), strings)
            if found is not None:
                return found
    labels = [label[:1].upper() + label[1:] for label, _ in reversed(block.lines)]
    if all(labels):
        found = _try(" ".join(labels), strings)
        if found is not None:
            return found
    return standard_for(strings)


def _try(text: str, strings: int) -> Tuning | None:
    try:
        tuning = parse_tuning(text)
    except UserError:
        return None
    return tuning if len(tuning) == strings else None


def _events(block: _Block) -> list[list[_Mark]]:
    """Notes that stand in one column, left to right."""
    marks = sorted(
        (m for k, (_, body) in enumerate(block.lines) for m in _marks(body, k + 1)), key=lambda m: (m.start, -m.string)
    )
    events: list[list[_Mark]] = []
    for mark in marks:
        last = events[-1] if events else []
        joins = last and mark.start < last[0].end and all(m.string != mark.string for m in last)
        if joins:
            last.append(mark)
        else:
            events.append([mark])
    return [sorted(event, key=lambda m: -m.string) for event in events]


def _marks(body: str, string: int) -> list[_Mark]:
    """The notes of one line: dead notes and the targets of bends are none."""
    out = []
    for m in _TOKEN.finditer(body):
        if m["dead"] is not None:
            continue
        if m["harmonic"] is not None:
            out.append(_Mark(m.start("touched"), m.end("touched"), string, int(m["touched"]), True, 0.0))
        elif m["bend"] is not None:
            fret, to = int(m["from"]), int(m["to"]) if m["to"] else None
            size = float(to - fret) if to is not None and to > fret else 0.0
            out.append(_Mark(m.start("from"), m.end("from"), string, fret, False, size))
        elif int(m["fret"]) <= HIGHEST:
            out.append(_Mark(m.start(), m.end(), string, int(m["fret"]), False, 0.0))
    return out
