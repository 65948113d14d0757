"""Tension of strings in a tuning against home: newtons, pounds, stress of plain steel, and cautions.

T = μ (2 L f)² (Mersenne); plain steel μ = ρ π d² / 4 with ρ = 7,850 kg/m³. The breaking stress of music wire by its
diameter follows the minimum of ASTM A228, from memory: 2,211 MPa · d^-0.145 with d in mm (Shigley gives this fit). The
unit weight of wound strings is common practice, no source: about 0.8 of a solid of the same diameter, nickel on steel.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from juxtatune.core.errors import UserError
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.strings.string import STEEL_DENSITY

NEWTONS_A_POUND = 4.4482216152605
WOUND_SHARE = 0.8
WIRE_MPA, WIRE_POWER = 2211.0, -0.145
MUCH_STRING, MUCH_TOTAL, NEAR_BREAKING = 0.25, 0.15, 0.75
SLACK = -0.3
PLAIN_FROM_HZ, USUAL_N = 185.0, {True: 80.0, False: 70.0}


@dataclass(frozen=True)
class Gauge:
    """One string: diameter in mm, wound or plain, unit weight in kg/m where the maker tells it."""

    mm: float
    wound: bool = False
    unit_weight_kg_m: float | None = None

    @property
    def unit_weight(self) -> float:
        """kg/m."""
        if self.unit_weight_kg_m is not None:
            return self.unit_weight_kg_m
        solid = STEEL_DENSITY * math.pi * (self.mm / 1000) ** 2 / 4
        return solid * WOUND_SHARE if self.wound else solid


def usual_gauge(hz: float, scale_m: float = 0.648) -> Gauge:
    """A string as commonly sold for an open pitch at home: plain above about F#3, wound below. Common practice, no source."""
    wound = hz < PLAIN_FROM_HZ
    weight = USUAL_N[wound] / (2 * scale_m * hz) ** 2
    solid = weight / (WOUND_SHARE if wound else 1.0)
    return Gauge(1000 * math.sqrt(4 * solid / (math.pi * STEEL_DENSITY)), wound)


@dataclass(frozen=True)
class StringTension:
    """`ratio` is tension over that at home. Newtons and the rest are None without a gauge; stress only of plain steel."""

    string: int
    ratio: float
    newtons: float | None
    stress_mpa: float | None
    strength_share: float | None
    same_feel_mm: float | None


@dataclass(frozen=True)
class Tensions:
    strings: tuple[StringTension, ...]
    total_newtons: float | None
    total_ratio: float
    warnings: tuple[str, ...]


def breaking_mpa(mm: float) -> float:
    """Breaking stress of music wire."""
    return WIRE_MPA * mm**WIRE_POWER


def tensions(
    tuning: Tuning, home: Tuning, scales_mm: Sequence[float], gauges: Sequence[Gauge] | None,
    reference: Reference = ISO_16,
) -> Tensions:  # fmt: skip
    """Every string of a tuning against home; lists run from the highest string number to 1. Raises UserError."""
    if len(tuning) != len(home):
        raise UserError(f"{len(tuning)} notes", "tuning", f"{len(home)} notes")
    rows, now, then = [], 0.0, 0.0
    for k, string in enumerate(tuning.strings):
        ratio = math.exp2((tuning.pitch(string) - home.pitch(string)) / 6)
        gauge = gauges[k] if gauges else None
        newtons = None
        if gauge is not None:
            newtons = gauge.unit_weight * (2 * scales_mm[k] / 1000 * reference.hz(tuning.pitch(string))) ** 2
        # without gauges every string counts alike
        now += newtons if newtons is not None else ratio
        then += newtons / ratio if newtons is not None else 1.0
        rows.append(_row(string, ratio, newtons, gauge))
    total = now if gauges else None
    return Tensions(tuple(rows), total, now / then, tuple(_warnings(rows, now / then)))


def _row(string: int, ratio: float, newtons: float | None, gauge: Gauge | None) -> StringTension:
    stress = share = feel = None
    if gauge is not None and newtons is not None:
        feel = gauge.mm / math.sqrt(ratio)
        if not gauge.wound and gauge.unit_weight_kg_m is None:
            stress = newtons / (math.pi * gauge.mm**2 / 4)
            share = stress / breaking_mpa(gauge.mm)
    return StringTension(string, ratio, newtons, stress, share, feel)


def _warnings(rows: Sequence[StringTension], total: float) -> list[str]:
    out = []
    for r in rows:
        if r.strength_share is not None and r.strength_share > NEAR_BREAKING:
            out.append(
                f"string {r.string} is at {100 * r.strength_share:.0f} % of what music wire bears: it may break; keep your face "
                "out of its line, go up slowly"
            )
        elif r.ratio - 1 > MUCH_STRING:
            out.append(f"string {r.string} carries {100 * (r.ratio - 1):.0f} % more than at home and may break: go up slowly, "
                       "eyes and face out of its line")  # fmt: skip
        elif r.ratio - 1 < SLACK:
            out.append(f"string {r.string} is {100 * (1 - r.ratio):.0f} % slacker than at home: it may rattle, and goes sharp "
                       "when picked hard")  # fmt: skip
    if abs(total - 1) > MUCH_TOTAL:
        word = "more" if total > 1 else "less"
        out.append(f"{100 * abs(total - 1):.0f} % {word} tension in all moves neck and bridge: have the set-up checked")
    return out
