"""One instrument as JSON: that of a gig, with scale, gauges and what else the bench needs."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from juxtatune.book.formats.gig import MOST_BYTES, Notes, _first_error, _tuning
from juxtatune.book.formats.json_text import parsed, text_of
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.tension import Gauge

ALLOWED = "an instrument as in a gig, with scale_mm and gauges where they are known"
BRIDGES = ("fixed", "dive-only", "floating")
Scale = Annotated[float, Field(strict=True, ge=200, le=1500, allow_inf_nan=False)]


class GaugeRow(BaseModel):
    model_config = ConfigDict(extra="ignore")
    mm: Annotated[float, Field(strict=True, gt=0.05, le=6, allow_inf_nan=False)]
    wound: Annotated[bool, Field(strict=True)] = False
    unit_weight_kg_m: Annotated[float, Field(strict=True, gt=0, le=0.2, allow_inf_nan=False)] | None = None


class GuitarRow(BaseModel):
    model_config = ConfigDict(extra="ignore")
    name: Annotated[str, Field(strict=True)] | None = None
    strings: Annotated[int, Field(strict=True, ge=4, le=12)] | None = None
    bridge: Annotated[str, Field(strict=True)] | None = None
    home: Notes | None = None
    tuning: Notes | None = None
    scale_mm: Scale | Annotated[list[Scale], Field(min_length=4, max_length=12)] | None = None
    gauges: Annotated[list[GaugeRow], Field(min_length=4, max_length=12)] | None = None
    springs: Annotated[int, Field(strict=True, ge=0, le=10)] | None = None
    off: list[Annotated[int, Field(strict=True, ge=1, le=12)]] | None = None


@dataclass(frozen=True)
class GuitarFile:
    """What a file says of one guitar; lists run from the highest string number to 1."""

    name: str
    bridge: str
    home: Tuning
    tuning: Tuning
    scales_mm: tuple[float, ...]
    gauges: tuple[Gauge, ...] | None
    springs: int | None
    off: tuple[int, ...]


def read_guitar(path: Path) -> GuitarFile:
    """Reads and checks one instrument. Raises UserError naming the file and the key."""
    text = text_of(path, MOST_BYTES, ALLOWED)
    try:
        return parse_guitar(text, path.stem)
    except UserError as error:
        raise error.at(str(path)) from None


def parse_guitar(text: str, stem: str = "guitar") -> GuitarFile:
    data = parsed(text, ALLOWED)
    if not isinstance(data, dict):
        raise UserError("the top of the file is no object", allowed=ALLOWED)
    try:
        return _guitar(GuitarRow.model_validate(data), stem)
    except ValidationError as error:
        raise _first_error(error, data) from None


def _guitar(r: GuitarRow, stem: str) -> GuitarFile:
    home = _tuning(r.home, "home") if r.home is not None else None
    tuning = _tuning(r.tuning, "tuning", home) if r.tuning is not None else None
    count = r.strings or len(tuning or home or standard_for(6))
    home = home or standard_for(count)
    tuning = tuning or home
    for key, value in (("home", home), ("tuning", tuning)):
        if len(value) != count:
            raise UserError(f"{len(value)} notes for {count} strings", key, f"{count} notes")
    bridge = r.bridge or "fixed"
    if bridge not in BRIDGES:
        raise UserError(f"bridge {bridge!r}", "bridge", ", ".join(BRIDGES))
    scales = r.scale_mm if isinstance(r.scale_mm, list) else [r.scale_mm or 648.0] * count
    for key, found in (("scale_mm", len(scales)), ("gauges", len(r.gauges) if r.gauges else count)):
        if found != count:
            raise UserError(f"{found} values for {count} strings", key, f"{count}, one a string")
    gauges = tuple(Gauge(g.mm, g.wound, g.unit_weight_kg_m) for g in r.gauges) if r.gauges else None
    off = tuple(dict.fromkeys(r.off or ()))
    if any(s > count for s in off):
        raise UserError(f"string {max(off)}", "off", f"1 to {count}")
    return GuitarFile(r.name or stem, bridge, home, tuning, tuple(scales), gauges, r.springs, off)
