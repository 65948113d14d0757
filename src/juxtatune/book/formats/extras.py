"""What a book keeps beyond the fixed gig format, as JSON in its tables and in gig files: a song's details, a guitar's setup.

Only what differs from the defaults is written, so that most songs and guitars keep nothing.
"""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from juxtatune.core.errors import UserError
from juxtatune.core.fretboard.refinger import parse_passage
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.music.tuning import Tuning, parse_notes
from juxtatune.core.repertoire.song import MATTERS, Details, Section
from juxtatune.core.strings.setup import RETUNERS, Setup
from juxtatune.core.strings.tension import Gauge

MOST_TEXT, MOST_PASSAGE, MOST_TAUGHT = 2_000, 1_000_000, 10_000
Line = Annotated[str, Field(strict=True, max_length=MOST_TEXT)]
String = Annotated[int, Field(strict=True, ge=1, le=12)]
HalfSteps = Annotated[int, Field(strict=True, ge=0, le=12)]
Mm = Annotated[float, Field(strict=True, ge=200, le=1500, allow_inf_nan=False)]


class _Row(BaseModel):
    model_config = ConfigDict(extra="ignore")

    @model_validator(mode="before")
    @classmethod
    def _null_is_absent(cls, data: Any) -> Any:
        return {k: v for k, v in data.items() if v is not None} if isinstance(data, dict) else data


class SectionRow(_Row):
    name: Line
    strings_used: list[String]


class DetailsRow(_Row):
    key: Line = ""
    tempo: Annotated[float, Field(strict=True, ge=0, le=400, allow_inf_nan=False)] = 0.0
    cue: Line = ""
    notes: Line = ""
    matters: Literal["essential", "from a section on", "hardly"] = MATTERS[0]  # type: ignore[assignment]
    matters_from: Line = ""
    shakes: Annotated[bool, Field(strict=True)] = False
    down: HalfSteps = 0
    up: HalfSteps = 0
    passage: Annotated[str, Field(strict=True, max_length=MOST_PASSAGE)] = ""
    passage_tuning: Line | None = None
    passage_capo: HalfSteps = 0
    sections: list[SectionRow] = []


class GaugeRow(_Row):
    mm: Annotated[float, Field(strict=True, gt=0.05, le=6, allow_inf_nan=False)]
    wound: Annotated[bool, Field(strict=True)] = False
    unit_weight_kg_m: Annotated[float, Field(strict=True, gt=0, le=0.2, allow_inf_nan=False)] | None = None

    def gauge(self) -> Gauge:
        return Gauge(self.mm, self.wound, self.unit_weight_kg_m)


class SetupRow(_Row):
    scale_mm: Mm | Annotated[list[Mm], Field(min_length=4, max_length=12)] | None = None
    gauges: Annotated[list[GaugeRow], Field(min_length=4, max_length=12)] | None = None
    springs: Annotated[int, Field(strict=True, ge=0, le=10)] | None = None
    strings_since: Line = ""
    off: list[String] = []
    ranges: list[Annotated[list[Annotated[int, Field(strict=True, ge=-24, le=24)]], Field(min_length=2, max_length=2)]] = []
    retuner: Literal["me", "me or a technician", "nobody in the set"] = RETUNERS[0]  # type: ignore[assignment]
    channel: Annotated[int, Field(strict=True, ge=0, le=64)] = 0
    read_at: Line = ""
    certainty_cents: Annotated[float, Field(strict=True, ge=0, le=1200, allow_inf_nan=False)] | None = None
    taught: Annotated[str, Field(strict=True, max_length=MOST_TAUGHT)] = ""


def details_json(d: Details) -> dict[str, Any]:
    row = {f.name: getattr(d, f.name) for f in fields(d)}
    row["passage_tuning"] = str(d.passage_tuning) if d.passage_tuning is not None else None
    row["sections"] = [{"name": s.name, "strings_used": list(s.strings_used)} for s in d.sections]
    plain = Details()
    return {k: v for k, v in row.items() if v and v != getattr(plain, k)}


def details_of(r: DetailsRow, home: Tuning | None = None) -> Details:
    """Raises UserError where the passage or its tuning cannot be read."""
    tuning = parse_tuning(r.passage_tuning, home) if r.passage_tuning else None
    if r.passage:
        parse_passage(r.passage, len(tuning or home or ()) or 12)
    sections = tuple(Section(s.name, tuple(s.strings_used)) for s in r.sections)
    return Details(**{**_values(r, DetailsRow), "passage_tuning": tuning, "sections": sections})


def stored_details(x: dict[str, Any]) -> Details:
    """From a book's table, where all was checked once: sections stand as objects, or as pairs in older books."""
    sections = (s if isinstance(s, dict) else {"name": s[0], "strings_used": s[1]} for s in x.get("sections", ()))
    tuning = x.get("passage_tuning")
    return Details(**{
        **x, "passage_tuning": parse_notes(tuning) if tuning else None,
        "sections": tuple(Section(s["name"], tuple(s["strings_used"])) for s in sections),
    })  # fmt: skip


def setup_json(s: Setup) -> dict[str, Any]:
    row: dict[str, Any] = {k: v for k, v in asdict(s).items() if v != getattr(Setup(), k)}
    if "scales_mm" in row:
        row["scale_mm"] = list(row.pop("scales_mm"))
    for key in ("off", "ranges"):
        if key in row:
            row[key] = [list(v) if isinstance(v, tuple) else v for v in row[key]]
    if "gauges" in row:
        row["gauges"] = [{k: v for k, v in g.items() if v is not None} for g in row["gauges"]]
    return row


def setup_of(r: SetupRow, strings: int) -> Setup:
    """Raises UserError where a list does not fit the strings."""
    scales = tuple(r.scale_mm) if isinstance(r.scale_mm, list) else (r.scale_mm,) * strings if r.scale_mm else ()
    gauges = tuple(g.gauge() for g in r.gauges or ())
    ranges = tuple((low, high) for low, high in r.ranges)
    for key, found in (("scale_mm", scales), ("gauges", gauges), ("ranges", ranges)):
        if found and len(found) != strings:
            raise UserError(f"{len(found)} values for {strings} strings", key, f"{strings}, one a string")
    if any(s > strings for s in r.off):
        raise UserError(f"string {max(r.off)}", "off", f"1 to {strings}")
    values = {k: v for k, v in _values(r, SetupRow).items() if k != "scale_mm"}
    return Setup(**{**values, "scales_mm": scales, "gauges": gauges, "ranges": ranges, "off": tuple(dict.fromkeys(r.off))})


def _values(row: BaseModel, kind: type[BaseModel]) -> dict[str, Any]:
    """The fields of `kind`, which the row may be more than."""
    return {k: getattr(row, k) for k in kind.model_fields}
