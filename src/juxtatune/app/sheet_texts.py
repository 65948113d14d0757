"""The sheets of a night as plain text, as CSV and as one page of HTML."""

from __future__ import annotations

from html import escape

from juxtatune.app.sheets import floor_rows, tech_guitars
from juxtatune.book.formats.songs_csv import table_text
from juxtatune.core.planning.model.plan import Plan
from juxtatune.core.repertoire.night import Gig

FLOOR, TECHNICIAN = "floor", "technician"
KINDS = {".pdf": "PDF", ".html": "HTML", ".csv": "CSV", ".txt": "text"}
STYLE = (
    "body{font-family:sans-serif;margin:2em;max-width:60em}table{border-collapse:collapse;width:100%}"
    "td,th{text-align:left;padding:.3em .8em .3em 0;border-bottom:1px solid #ccc;vertical-align:top}"
    "td:first-child{text-align:right}h2{margin-top:1.6em}"
)
Table = tuple[str, list[tuple[str, ...]]]  # its title and its rows


def sheet_text(sheet: str, kind: str, name: str, gig: Gig, plan: Plan) -> str:
    """A sheet in one of the kinds but PDF."""
    headings, tables = _floor(gig, plan) if sheet == FLOOR else _technician(gig, plan)
    if kind == ".csv":
        first = "Part" if sheet == FLOOR else "Guitar"
        return table_text((first, *headings), [(title, *row) for title, rows in tables for row in rows])
    return _html(name, headings, tables) if kind == ".html" else _plain(name, tables)


def _floor(gig: Gig, plan: Plan) -> tuple[tuple[str, ...], list[Table]]:
    rows = floor_rows(gig, plan)
    tables: list[Table] = [
        (gig.night.parts[part].name or f"Part {part + 1}",
         [(str(r.number), r.title, r.guitar, r.tuning, r.moves) for r in rows if r.part == part])
        for part in sorted({r.part for r in rows})
    ]  # fmt: skip
    return ("Number", "Song", "Guitar", "Tuning", "What moves"), tables


def _technician(gig: Gig, plan: Plan) -> tuple[tuple[str, ...], list[Table]]:
    tables: list[Table] = [(g.name, [(f"{r.minute:.0f} min", r.when, r.what) for r in g.rows]) for g in tech_guitars(gig, plan)]
    return ("Minute", "When", "What"), tables


def _plain(name: str, tables: list[Table]) -> str:
    lines = [name, "=" * len(name), ""]
    for title, rows in tables:
        lines += [title, "-" * len(title)]
        widths = [max(len(r[k]) for r in rows) for k in range(len(rows[0]))] if rows else []
        lines += ["  ".join(c.ljust(w) for c, w in zip(row, widths, strict=True)).rstrip() for row in rows]
        lines.append("")
    return "\n".join(lines)


def _html(name: str, headings: tuple[str, ...], tables: list[Table]) -> str:
    body = [f"<h1>{escape(name)}</h1>"]
    for title, rows in tables:
        cells = "".join(f"<th>{escape(h)}</th>" for h in headings)
        body.append(f"<h2>{escape(title)}</h2><table><tr>{cells}</tr>")
        body += ["<tr>" + "".join(f"<td>{escape(c)}</td>" for c in row) + "</tr>" for row in rows]
        body.append("</table>")
    head = f'<meta charset="utf-8"><title>{escape(name)}</title><style>{STYLE}</style>'
    return f'<!doctype html>\n<html lang="en"><head>{head}</head><body>\n' + "\n".join(body) + "\n</body></html>\n"
