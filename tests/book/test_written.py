"""Written music: MusicXML (W3C MusicXML 4.0) and everyday tab text, and what a song needs of it."""

from __future__ import annotations

import io
import zipfile

import music21
import pytest

from juxtatune.book.formats.written import read_written
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.passage import needs
from juxtatune.core.fretboard.refinger import parse_passage, translate

TAB = """Gantry Song
Tuning: Drop D
Capo 2

[Verse]
Am        C   words that are skipped
e|-----------------|------------|
B|-----------------|------------|
G|-----------------|--<12>------|
D|--0--2h4p2--x----|------------|
A|--0--2--2--------|--7b9r7-----|
D|--0--2--2--(3)---|------10/12~|

Chorus:
e|-----------------|
B|------3----------|
G|------2----------|
D|------0----------|
A|-----------------|
D|--12-------------|
"""


def written(tmp_path, name: str, data: str | bytes, part: str | None = None):
    path = tmp_path / name
    path.write_bytes(data.encode() if isinstance(data, str) else data)
    found = read_written(path, part)
    return found, needs(found)


def test_everyday_tab_text_is_read_as_players_write_it(tmp_path) -> None:
    part, n = written(tmp_path, "a.txt", TAB)
    assert part.title == "Gantry Song" and str(part.tuning) == "D2 A2 D3 G3 B3 E4" and part.capo == 2
    assert n.passage == "6:0+5:0+4:0 6:2+5:2+4:2 4:4 6:2+5:2 4:2 6:3 5:7 3:12 6:10 6:12 6:12 4:0+3:2+2:3"
    assert n.sections == (("Verse", (6, 5, 4, 3)), ("Chorus", (6, 4, 3, 2)))
    assert n.open_strings == (6, 5, 4) and n.max_fret == 12 and n.harmonics == 1 and n.bends == (2.0,)
    assert (str(n.lowest), str(n.highest)) == ("E2", "A4")  # the capo included


@pytest.mark.parametrize(
    ("labels", "tuning"),
    [("eBGDAE", "E2 A2 D3 G3 B3 E4"), ("D A F# D A D", "D2 A2 D3 F#3 A3 D4"), ("GDAE", "E1 A1 D2 G2"),
     ("eBGDAEB", "B1 E2 A2 D3 G3 B3 E4"), ("Eb Bb Gb Db Ab Eb", "Eb2 Ab2 Db3 Gb3 Bb3 Eb4")],
)  # fmt: skip
def test_the_letters_before_the_lines_are_the_tuning(tmp_path, labels, tuning) -> None:
    names = labels.split() if " " in labels else list(labels)
    part, n = written(tmp_path, "a.tab", "\n".join(f"{name}|---{k}----|" for k, name in enumerate(names)))
    assert str(part.tuning) == tuning and len(n.strings_used) == len(names)


@pytest.mark.parametrize("text", ["", "no tab at all\njust words", "e|---0---|\nB|---1---|", "\x00\x01\x02", "-" * 5000])
def test_what_is_no_tab_is_refused(tmp_path, text) -> None:
    with pytest.raises(UserError, match=r"a\.txt"):
        written(tmp_path, "a.txt", text)


def note(pitch: str, string: int = 0, fret: int = 0, extra: str = "", staff: int = 1, head: str = "", chord: bool = False) -> str:
    step, octave = pitch[0], pitch[-1]
    alter = "<alter>1</alter>" if "#" in pitch else ""
    place = f"<string>{string}</string><fret>{fret}</fret>" if string else ""
    technical = f"<notations><technical>{place}{extra}</technical></notations>" if place or extra else ""
    return (
        f"<note>{'<chord/>' if chord else ''}<pitch><step>{step}</step>{alter}<octave>{octave}</octave></pitch>"
        f"<duration>1</duration>{head}<staff>{staff}</staff>{technical}</note>"
    )


TUNING = "".join(
    f'<staff-tuning line="{k + 1}"><tuning-step>{n[0]}</tuning-step><tuning-octave>{n[1]}</tuning-octave></staff-tuning>'
    for k, n in enumerate(["D2", "A2", "D3", "G3", "B3", "E4"])
)


def score(measures: str, tuned: bool = True, capo: int = 0) -> str:
    details = f'<staff-details number="2">{TUNING}<capo>{capo}</capo></staff-details>' if tuned else ""
    return f"""<?xml version="1.0"?><!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" "x.dtd">
    <score-partwise><work><work-title>Tar and Oakum</work-title></work><part-list><score-part id="P1"><part-name>Voice</part-name>
    </score-part><score-part id="P2"><part-name>Guitar 1</part-name></score-part></part-list>
    <part id="P1"><measure number="1">{note("C5")}</measure></part>
    <part id="P2"><measure number="1"><attributes><divisions>1</divisions>{details}</attributes>{measures}</measure></part>
    </score-partwise>"""


MARK = "<direction><direction-type><rehearsal>{}</rehearsal></direction-type></direction>"
LINKED = (
    MARK.format("Verse") + note("D2") + note("A2") + note("E3") + "<backup><duration>3</duration></backup>"
    + note("D2", 6, 0, staff=2) + note("A2", 5, 0, "<bend><bend-alter>1</bend-alter></bend>", staff=2)
    + note("D3", 4, 0, staff=2, chord=True) + note("E3", 4, 2, staff=2) + MARK.format("Chorus")
    + note("D4", 4, 12, "<harmonic/>", staff=2) + note("E2", 6, 2, staff=2, head="<notehead>x</notehead>")
    + note("D2", 6, 0, staff=2).replace("<duration>", '<tie type="stop"/><duration>')
)  # fmt: skip


def test_musicxml_counts_linked_staves_and_ties_once_and_dead_notes_not(tmp_path) -> None:
    part, n = written(tmp_path, "a.musicxml", score(LINKED, capo=1))
    assert part.title == "Tar and Oakum" and part.parts == ("Voice", "Guitar 1") and part.name == "Guitar 1"
    assert str(part.tuning) == "D2 A2 D3 G3 B3 E4" and part.capo == 1 and not part.computed
    assert n.passage == "6:0 5:0+4:0 4:2 4:12" and n.harmonics == 1 and n.bends == (1.0,) and n.max_fret == 2
    assert n.sections == (("Verse", (6, 5, 4)), ("Chorus", (4,))) and str(n.lowest) == "D#2"


def test_a_part_without_fingering_gets_the_cheapest(tmp_path) -> None:
    part, n = written(tmp_path, "a.xml", score("".join(note(p) for p in ("E2", "G2", "C4")), tuned=False), "Guitar 1")
    assert part.computed and n.passage.startswith("6:0 6:3")
    again = translate(part.tuning, part.tuning, parse_passage(n.passage, 6))
    assert again.cost <= 8
    with pytest.raises(UserError, match="no part 'Drums'"):
        written(tmp_path, "a.xml", score(""), "Drums")


def test_a_score_that_music21_writes_is_read(tmp_path) -> None:
    """The same pitches, in order, as music21 put into its file (music21 10)."""
    stream = music21.stream.Part()
    pitches = ["E2", "B2", "G#3", "C4", "F#4"]
    for name in pitches:
        stream.append(music21.note.Note(name))
    path = stream.write("musicxml", tmp_path / "theirs.musicxml")
    found = read_written(path)
    assert [n.pitch for n in found.notes] == [music21.pitch.Pitch(p).midi for p in pitches]


def zipped(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "/").replace("_", "."), data)
    return out.getvalue()


def test_a_compressed_score_is_read_and_a_bomb_is_not(tmp_path) -> None:
    container = b'<container><rootfiles><rootfile full-path="s.xml"/></rootfiles></container>'
    part, _ = written(tmp_path, "a.mxl", zipped(s_xml=score(LINKED).encode(), **{"META-INF__container_xml": container}))
    assert part.title == "Tar and Oakum"
    with pytest.raises(UserError, match="too large"):
        written(tmp_path, "a.mxl", zipped(s_xml=b" " * 30_000_000))


@pytest.mark.parametrize(
    ("data", "word"),
    [
        ("<score-partwise><part></score-partwise>", "line 1"), ("<html/>", "html"), ("<score-partwise/>", "no part"),
        ('<!DOCTYPE a [<!ENTITY x "y">]><score-partwise><part>&x;</part></score-partwise>', "entities"),
        (score(note("D2", 9, 2)), "strings 1 to 6"), (score(note("D2").replace("<octave>2", "<octave>x")), "octave"),
        (b"PK\x03\x04 broken", "unpacked"), ("<?xml version='1.0' encoding='nonsense'?><a/>", "a.xml"),
    ],
)  # fmt: skip
def test_untrusted_files_are_refused_with_line_or_element(tmp_path, data, word) -> None:
    with pytest.raises(UserError) as caught:
        written(tmp_path, "a.xml", data)
    assert word in caught.value.message() and len(caught.value.message()) <= 2000
