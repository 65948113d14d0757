"""Written music of any kind that is read: MusicXML by its beginning or ending, else tab text."""

from __future__ import annotations

from pathlib import Path

from juxtatune.book.formats.musicxml import MOST_BYTES, read_musicxml
from juxtatune.book.formats.tabtext import read_tab
from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.passage import WrittenPart, fingered

ALLOWED = "MusicXML (.musicxml, .xml, .mxl) or tab text (.txt, .tab)"
XML = (".musicxml", ".xml", ".mxl")


def read_written(path: Path, part: str | None = None) -> WrittenPart:
    """A part of a file, with a fingering. Raises UserError naming the file and the place in it."""
    where = str(path)
    try:
        if path.is_dir():
            raise UserError("this is a folder", allowed=ALLOWED)
        if path.stat().st_size > MOST_BYTES:
            raise UserError("the file is too large", allowed="20 MB at most")
        data = path.read_bytes()
        if path.suffix.lower() in XML or data[:2] == b"PK" or data.lstrip()[:5] in (b"<?xml", b"<scor", b"<!DOC"):
            return fingered(read_musicxml(data, path.stem, part))
        found = read_tab(_decoded(data), path.stem)
        if part is not None and part not in ("1", found.name) and part.lower() != found.name.lower():
            raise UserError(f"no part {part!r}", "--part", f"1, or {found.name}")
        return found
    except FileNotFoundError:
        raise UserError("no such file", where, ALLOWED) from None
    except UserError as error:
        raise error.at(where) from None
    except (OSError, ValueError) as error:
        raise UserError(f"cannot be read: {error}", where, ALLOWED) from None


def _decoded(data: bytes) -> str:
    for encoding in ("utf-8-sig", "utf-16", "cp1252") if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    return data.decode("latin-1")
