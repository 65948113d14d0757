"""Songs as a table of text: any usual encoding and separator in, UTF-8 out."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from pathlib import Path

from juxtatune.book.files import write_whole
from juxtatune.core.errors import UserError

MOST_BYTES, MOST_ROWS, MOST_COLUMNS, MOST_CELL = 20_000_000, 2_000, 100, 10_000
ENCODINGS = ("utf-8", "utf-16", "cp1252", "latin-1")
SEPARATORS = ",;\t|"
FORMULA = ("=", "+", "-", "@")
ALLOWED = "a table of songs with a line of headings, as CSV"


@dataclass(frozen=True)
class SongTable:
    """Headings and rows of cells, each row with its line in the file."""

    name: str
    encoding: str
    separator: str
    headings: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]


def read_table(path: Path, encoding: str | None = None) -> SongTable:
    """Reads a table; the encoding is found where none is told. Raises UserError naming the file and the line."""
    try:
        if path.is_dir():
            raise UserError("this is a folder", allowed=ALLOWED)
        if path.stat().st_size > MOST_BYTES:
            raise UserError("the file is too large", allowed=f"{MOST_BYTES // 1_000_000} MB at most")
        data = path.read_bytes()
        text, found = _decoded(data, encoding)
        return _table(path.stem, text, found)
    except FileNotFoundError:
        raise UserError("no such file", str(path), ALLOWED) from None
    except UserError as error:
        raise error.at(str(path)) from None
    except (OSError, ValueError) as error:
        raise UserError(f"cannot be read: {error}", str(path), ALLOWED) from None


def _decoded(data: bytes, encoding: str | None) -> tuple[str, str]:
    if encoding is None:
        encoding = "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else _fitting(data)
    try:
        return data.decode("utf-8-sig" if encoding == "utf-8" else encoding), encoding
    except (UnicodeDecodeError, LookupError):
        raise UserError(f"not text in {encoding}", allowed=", ".join(ENCODINGS)) from None


def _fitting(data: bytes) -> str:
    for encoding in ("utf-8", "cp1252"):
        try:
            data.decode(encoding)
        except UnicodeDecodeError:
            continue
        return encoding
    return "latin-1"


def _table(name: str, text: str, encoding: str) -> SongTable:
    if "\0" in text:
        raise UserError("zero bytes stand in it", allowed=ALLOWED)
    first = next((line for line in text.splitlines() if line.strip()), "")
    separator = max(SEPARATORS, key=first.count) if any(s in first for s in SEPARATORS) else ","
    reader = csv.reader(io.StringIO(text), delimiter=separator)
    rows: list[tuple[int, tuple[str, ...]]] = []
    try:
        for cells in reader:
            if any(c.strip() for c in cells):
                _check(cells, reader.line_num)
                rows.append((reader.line_num, tuple(_plain(c.strip()) for c in cells)))
            if len(rows) > MOST_ROWS + 1:
                raise UserError(f"more than {MOST_ROWS} songs", f"line {reader.line_num}", f"{MOST_ROWS} at most")
    except csv.Error as error:
        raise UserError(f"no table: {error}", f"line {reader.line_num}", ALLOWED) from None
    if len(rows) < 2:
        raise UserError("no line of songs under the headings", allowed=ALLOWED)
    return SongTable(name, encoding, separator, rows[0][1], tuple(rows[1:]))


def _check(cells: list[str], line: int) -> None:
    if len(cells) > MOST_COLUMNS:
        raise UserError(f"{len(cells)} columns", f"line {line}", f"{MOST_COLUMNS} at most")
    if any(len(c) > MOST_CELL for c in cells):
        raise UserError("a cell is too long", f"line {line}", f"{MOST_CELL} letters at most")


def write_table(path: Path, headings: tuple[str, ...], rows: list[tuple[str, ...]]) -> None:
    """Writes a table, whole or not at all. Raises UserError naming the file."""
    write_whole(path, table_text(headings, rows).encode())


def table_text(headings: tuple[str, ...], rows: list[tuple[str, ...]]) -> str:
    """CSV with a byte order mark, so that spreadsheets read it as UTF-8."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerows([headings, *(tuple(_harmless(c) for c in row) for row in rows)])
    return "\ufeff" + out.getvalue()


def _plain(cell: str) -> str:
    """Without the apostrophe that keeps a spreadsheet from taking it for a formula."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in FORMULA else cell


def _harmless(cell: str) -> str:
    """A cell that a spreadsheet would take for a formula stands behind an apostrophe."""
    return f"'{cell}" if cell[:1] in FORMULA else cell
