"""One instrument as JSON: that of a gig, with scale, gauges and what else the bench needs."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

from pydantic import Field, ValidationError

from juxtatune.book.formats.extras import SetupRow, setup_of
from juxtatune.book.formats.gig import MOST_BYTES, Notes, first_error, tuning_of
from juxtatune.book.formats.json_text import parsed, text_of
from juxtatune.core.errors import UserError
from juxtatune.core.music.catalogue import standard_for
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.instrument import BRIDGES
from juxtatune.core.strings.tension import Gauge

ALLOWED = "an instrument as in a gig, with scale_mm and gauges where they are known"


class GuitarRow(SetupRow):
    name: Annotated[str, Field(strict=True)] | None = None
    strings: Annotated[int, Field(strict=True, ge=4, le=12)] | None = None
    bridge: Annotated[str, Field(strict=True)] | None = None
    home: Notes | None = None
    tuning: Notes | None = None


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
        raise first_error(error, data) from None


def _guitar(r: GuitarRow, stem: str) -> GuitarFile:
    home = tuning_of(r.home, "home") if r.home is not None else None
    tuning = tuning_of(r.tuning, "tuning", home) if r.tuning is not None else None
    count = r.strings or len(tuning or home or standard_for(6))
    home = home or standard_for(count)
    tuning = tuning or home
    for key, value in (("home", home), ("tuning", tuning)):
        if len(value) != count:
            raise UserError(f"{len(value)} notes for {count} strings", key, f"{count} notes")
    bridge = r.bridge or "fixed"
    if bridge not in BRIDGES:
        raise UserError(f"bridge {bridge!r}", "bridge", ", ".join(BRIDGES))
    setup = setup_of(r, count)
    return GuitarFile(r.name or stem, bridge, home, tuning, setup.scales(count), setup.gauges or None, setup.springs, setup.off)
