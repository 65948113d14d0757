"""MusicXML (W3C MusicXML 4.0): partwise scores, plain or zipped, as far as a guitarist's part needs them."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import defusedxml.ElementTree as Safe
from defusedxml.common import DefusedXmlException

from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.passage import PartNote, WrittenPart, sounding
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.notes import STEPS, Note
from juxtatune.core.music.tuning import FEWEST, MOST, Tuning

MOST_BYTES, MOST_NOTES = 20_000_000, 200_000
ALLOWED = "a MusicXML score (.musicxml, .xml, .mxl) of 20 MB at most"


def read_musicxml(data: bytes, stem: str, part: str | None = None) -> WrittenPart:
    """A part of a score: by number from 1 or by name, else the first with strings. Raises UserError naming the place."""
    root = _parse(_unzipped(data) if data[:2] == b"PK" else data)
    if root.tag == "score-timewise":
        raise UserError("the score is ordered by time", "score-timewise", "a partwise score, as most programs write")
    if root.tag != "score-partwise":
        raise UserError(f"the first element is {root.tag[:40]!r}", root.tag[:40], ALLOWED)
    names = {p.get("id", ""): _text(p, "part-name") or p.get("id", "") for p in root.iterfind("part-list/score-part")}
    parts = list(root.iterfind("part"))
    if not parts:
        raise UserError("there is no part in it", "score-partwise", "at least one part with measures")
    labels = tuple(names.get(p.get("id", ""), f"Part {k + 1}") or f"Part {k + 1}" for k, p in enumerate(parts))
    at = _chosen(parts, labels, part)
    title = _text(root, "work/work-title") or _text(root, "movement-title") or stem
    return _Reader(title, labels, labels[at]).read(parts[at])


def _unzipped(data: bytes) -> bytes:
    """The score in a compressed file, which may not be much larger than it is said to be."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(i.file_size for i in archive.infolist()) > MOST_BYTES or len(archive.infolist()) > 1000:
                raise UserError("what is packed in it is too large", "the zip archive", ALLOWED)
            name = _root_file(archive)
            with archive.open(name) as file:
                found = file.read(MOST_BYTES + 1)
    except (zipfile.BadZipFile, KeyError, RuntimeError, NotImplementedError, EOFError, OSError, ValueError) as error:
        raise UserError(f"it cannot be unpacked: {error}", "the zip archive", ALLOWED) from None
    except Exception as error:  # zlib's own errors
        if isinstance(error, UserError):
            raise
        raise UserError(f"it cannot be unpacked: {error}", "the zip archive", ALLOWED) from None
    if len(found) > MOST_BYTES:
        raise UserError("what is packed in it is too large", name, ALLOWED)
    return found


def _root_file(archive: zipfile.ZipFile) -> str:
    if "META-INF/container.xml" in archive.namelist():
        container = _parse(archive.read("META-INF/container.xml"))
        for element in container.iter():
            if element.tag.endswith("rootfile") and element.get("full-path"):
                return str(element.get("full-path"))
    scores = [n for n in archive.namelist() if n.endswith((".xml", ".musicxml")) and not n.startswith("META-INF")]
    if not scores:
        raise UserError("there is no score in it", "the zip archive", ALLOWED)
    return scores[0]


def _parse(data: bytes) -> Element:
    if len(data) > MOST_BYTES:
        raise UserError("the file is too large", allowed=ALLOWED)
    try:
        root: Element = Safe.fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except ParseError as error:
        raise UserError(f"it is no XML that can be read: {error.msg}", f"line {error.position[0]}", ALLOWED) from None
    except DefusedXmlException as error:
        raise UserError(f"it declares entities ({type(error).__name__})", "DOCTYPE", "a score without entities") from None
    except (ValueError, LookupError, RecursionError) as error:
        raise UserError(f"it is no XML that can be read: {error}", allowed=ALLOWED) from None
    return root


def _text(element: Element, path: str) -> str:
    found = element.find(path)
    return " ".join((found.text or "").split()) if found is not None else ""


def _number(element: Element, path: str, kind: Any = int, default: Any = None) -> Any:
    text = _text(element, path)
    if not text:
        return default
    try:
        value = kind(text)
    except (ValueError, ZeroDivisionError, OverflowError):
        raise UserError(f"{text[:30]!r} is no number", f"element {path}", "a number") from None
    if abs(value) > 1_000_000:
        raise UserError(f"{text[:30]!r} is out of range", f"element {path}", "a smaller number")
    return value


def _chosen(parts: list[Element], labels: tuple[str, ...], wanted: str | None) -> int:
    if wanted is None:
        return next((k for k, p in enumerate(parts) if _has_strings(p)), 0)
    if wanted.isdecimal() and len(wanted) < 6 and 1 <= int(wanted) <= len(parts):
        return int(wanted) - 1
    found = [k for k, n in enumerate(labels) if n.lower() == wanted.strip().lower()]
    if not found:
        raise UserError(f"no part {wanted!r}", "--part", f"1 to {len(parts)}, or one of {', '.join(labels)}")
    return found[0]


def _has_strings(part: Element) -> bool:
    return next(part.iter("staff-tuning"), None) is not None or next(part.iter("string"), None) is not None


@dataclass
class _Struck:
    """One note as it was read, before events are numbered."""

    onset: Fraction
    grace: int
    pitch: float | None
    string: int | None
    fret: int | None
    staff: int
    harmonic: bool
    bend: float
    tied: bool
    dead: bool


@dataclass
class _Reader:
    """Walks a part measure by measure."""

    title: str
    parts: tuple[str, ...]
    name: str
    divisions: int = 1
    transpose: float = 0.0
    tunings: dict[int, dict[int, Note]] = field(default_factory=dict)
    capo: int = 0
    struck: list[_Struck] = field(default_factory=list)
    marks: list[tuple[Fraction, str]] = field(default_factory=list)

    def read(self, part: Element) -> WrittenPart:
        begin = Fraction(0)
        for measure in part.iterfind("measure"):
            begin = self._measure(measure, begin)
        tuning = self._tuning()
        notes = self._notes(tuning)
        return WrittenPart(self.title, self.parts, self.name, tuning, self.capo, notes, tuple(n for _, n in self.marks))

    def _measure(self, measure: Element, begin: Fraction) -> Fraction:
        at = end = last = begin
        grace = 0
        for element in measure:
            if element.tag == "attributes":
                self._attributes(element)
            elif element.tag == "direction":
                for mark in element.iterfind("direction-type/rehearsal"):
                    name = " ".join("".join(mark.itertext()).split())
                    if name:
                        self.marks.append((at, name[:80]))
            elif element.tag in ("backup", "forward"):
                step = Fraction(_number(element, "duration", Fraction, Fraction(0))) / self.divisions
                at = max(begin, at - step) if element.tag == "backup" else at + step
                end = max(end, at)
            elif element.tag == "note":
                chord = element.find("chord") is not None
                is_grace = element.find("grace") is not None
                onset = last if chord else at
                grace = grace if chord else grace + 1 if is_grace else 0
                self._note(element, onset, grace if is_grace else 0)
                if not chord and not is_grace:
                    last, at = at, at + Fraction(_number(element, "duration", Fraction, Fraction(0))) / self.divisions
                    end = max(end, at)
                elif not chord:
                    last = at
        return end

    def _attributes(self, element: Element) -> None:
        self.divisions = max(1, _number(element, "divisions", int, self.divisions))
        for shift in element.iterfind("transpose"):
            self.transpose = _number(shift, "chromatic", float, 0.0) + 12 * _number(shift, "octave-change", int, 0)
        for details in element.iterfind("staff-details"):
            staff = int(details.get("number") or 1) if (details.get("number") or "1").isdecimal() else 1
            lines = {}
            for line in details.iterfind("staff-tuning"):
                number = line.get("line", "")
                if number.isdecimal() and len(number) < 3:
                    lines[int(number)] = _note(line, "tuning-")
            if lines:
                self.tunings[staff] = lines
            self.capo = _number(details, "capo", int, self.capo)

    def _note(self, element: Element, onset: Fraction, grace: int) -> None:
        if element.find("rest") is not None or element.find("cue") is not None:
            return
        technical = [t for n in element.iterfind("notations") for t in n.iterfind("technical")]
        string = next((v for t in technical if (v := _number(t, "string")) is not None), None)
        fret = next((v for t in technical if (v := _number(t, "fret")) is not None), None)
        pitch = element.find("pitch")
        head = element.find("notehead")
        ties = [t.get("type") for t in (*element.iterfind("tie"), *element.iterfind("notations/tied"))]
        bends = [_number(b, "bend-alter", float, 0.0) for t in technical for b in t.iterfind("bend")]
        self.struck.append(_Struck(
            onset, grace, _note(pitch, "").pitch + self.transpose if pitch is not None else None, string, fret,
            _number(element, "staff", int, 1), any(t.find("harmonic") is not None for t in technical),
            max([0.0, *map(abs, bends)]), "stop" in ties,
            (head is not None and (head.text or "").strip() in ("x", "cross", "slash")) or (pitch is None and string is None),
        ))  # fmt: skip
        if len(self.struck) > MOST_NOTES:
            raise UserError(f"more than {MOST_NOTES} notes", "part", "a shorter part")

    def _tuning(self) -> Tuning:
        """The strings of the staff that has them; standard where none is written."""
        for lines in self.tunings.values():
            notes = tuple(lines[k] for k in sorted(lines))
            if FEWEST <= len(notes) <= MOST:
                return Tuning(notes)
        most = max((s.string for s in self.struck if s.string is not None), default=6)
        return standard_for(max(6, min(MOST, most)))

    def _notes(self, tuning: Tuning) -> tuple[PartNote, ...]:
        """Struck notes in order, each once: where a staff is linked to a tab staff, the tab's."""
        fingered = {s.staff for s in self.struck if s.string is not None and s.fret is not None}
        kept = [s for s in self.struck if (not fingered or s.staff in fingered) and not s.tied and not s.dead]
        kept.sort(key=lambda s: (s.onset, s.grace == 0, s.grace, -(s.string or 0)))
        out, event, before = [], -1, None
        seen: set[Any] = set()
        for s in kept:
            moment = (s.onset, s.grace)
            if moment != before:
                event, before, seen = event + 1, moment, set()
            same = (s.string, s.fret, s.pitch)
            if same in seen:
                continue  # two voices on one note
            seen.add(same)
            out.append(self._part_note(s, event, tuning))
        return tuple(out)

    def _part_note(self, s: _Struck, event: int, tuning: Tuning) -> PartNote:
        if s.string is not None and s.fret is not None:
            if not 1 <= s.string <= len(tuning) or not 0 <= s.fret <= 36:
                allowed = f"strings 1 to {len(tuning)}, frets 0 to 36"
                raise UserError(f"string {s.string}, fret {s.fret}", "element technical", allowed)
            pitch = sounding(tuning, self.capo, s.string, s.fret, s.harmonic)
            string, fret = s.string, s.fret
        elif s.pitch is not None:
            pitch, string, fret = s.pitch, None, None
        else:
            raise UserError("a note has neither pitch nor string and fret", "element note", "either of them")
        section = max((k for k, (at, _) in enumerate(self.marks) if at <= s.onset), default=-1)
        return PartNote(event, pitch, string, fret, s.harmonic, s.bend, section)


def _note(element: Element, prefix: str) -> Note:
    step = _text(element, f"{prefix}step")
    octave = _number(element, f"{prefix}octave", int)
    alter = _number(element, f"{prefix}alter", float, 0.0)
    if step not in STEPS or octave is None or not -1 <= octave <= 9 or abs(alter) > 2:
        raise UserError(f"{step[:10]!r} {octave}", f"element {element.tag}", "a step A to G and an octave 0 to 9")
    whole = round(alter)
    return Note(step, whole, octave, round(100 * (alter - whole), 6))


