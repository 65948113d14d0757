"""A string: unit weight, tension, inharmonicity, and the modes a pluck excites.

Formulas: f1 of an ideal string f = (1 / 2L) √(T / μ) (Mersenne); inharmonicity of a stiff string
B = π³ E d⁴ / (64 T L²) (Fletcher 1964); pluck spectrum sin(nπβ) / n² (Fletcher and Rossing 1998).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

STEEL_DENSITY = 7850.0  # kg/m³
STEEL_MODULUS = 2.0e11  # Pa


@dataclass(frozen=True)
class StringSpec:
    """Scale length and core diameter in m, unit weight in kg/m (core and winding together)."""

    scale_length: float
    core_diameter: float
    unit_weight: float

    def tension(self, hz: float) -> float:
        """Tension in N at an open frequency in Hz: it goes with the square of the frequency."""
        return self.unit_weight * (2 * self.scale_length * hz) ** 2

    def inharmonicity(self, hz: float) -> float:
        """Coefficient B at an open frequency in Hz."""
        numerator = math.pi**3 * STEEL_MODULUS * self.core_diameter**4
        return numerator / (64 * self.tension(hz) * self.scale_length**2)


def usual_string(hz: float, scale_length: float = 0.648) -> StringSpec:
    """A string as commonly sold for an open pitch: plain above about F#3, wound below. Common practice, no source.

    Plain strings aim at about 75 N; a wound one has a core of 0.4 mm and its winding's weight beside it.
    """
    wound = hz < 185
    aim = 85.0 if wound else 72.0
    weight = aim / (2 * scale_length * hz) ** 2
    if wound:
        return StringSpec(scale_length, 0.00040, weight)
    return StringSpec(scale_length, math.sqrt(4 * weight / (math.pi * STEEL_DENSITY)), weight)
