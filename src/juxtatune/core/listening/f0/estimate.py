"""f0 estimation: the pitch of one pluck from the phases of its partials, jointly, with the attack glide removed.

Each partial is heterodyned at its expected frequency f_n = n f0 √(1 + B n²) (Fletcher 1964) over short
Hann frames; the phase of a steady partial is a straight line whose slope, weighted by its certainty, is
the maximum-likelihood frequency (Tretter 1985; bound by Rife and Boorstyn 1974). All partials share one
glide, of one time or of two (`twofold`); each keeps its own slope, and the slopes are then joined into f1 and B by a robust
regression whose scatter gives the uncertainty: a partial disturbed by hum, by another string or by
beating stands apart from the rest and is given little weight, and one that is another's none (`strangers`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0 import phase_lines
from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.partials.demodulate import MOST_FRAMES, MOST_PARTIALS, Heterodyned, heterodyne
from juxtatune.core.listening.source import Signal

F = NDArray[np.floating]
MOST_INHARMONICITY = 2e-3


@dataclass(frozen=True)
class F0Estimate:
    """f1 in Hz as the glide dies away, B with its 1σ, the glide, 1σ in cents.

    `amplitude` and `phase` (P,) at `origin` and `decay` (P,) 1/s describe the partials `numbers` (P,) of
    frequencies `hz` (P,); they rebuild the sound near its onset.
    """

    f1: float
    inharmonicity: float
    inharmonicity_sigma: float
    glide: F  # (K, 2): sizes (relative, at `origin`) and times (s) of its parts; a time of 0 is none
    sigma_cents: float
    scatter_sigma_cents: float  # 1σ from the scatter among its partials alone, without the glide's
    origin: float
    numbers: NDArray[np.int64]
    hz: F
    amplitude: F
    phase: F
    decay: F
    snr: float
    intrinsic_scatter: float  # 0 to 1: how far its partials disagree of themselves, as a real guitar's do
    excess_scatter: float = 0.0  # 0 to 1: how far they do at all, whatever the cause
    drift_probability: float = 0.0  # 0 to 1: how likely its glide is a drift
    # 1σ of where its glide goes on to when it is heard no more, which `sigma_cents` has not
    extrapolation_sigma: float = 0.0
    vaguer: float = 1.0  # times as unsure as it is are all partials, those too that are another's

    @property
    def sigma_all_partials(self) -> float:
        """1σ (cents) if every partial counts: large where they are not one tone's."""
        return self.sigma_cents * self.vaguer

    def mean_glide_cents(self, a: float, b: float) -> float:
        """Mean height of the pitch above f1 between two times (s)."""
        left = self.glided(np.array([a, b]))
        return float(CENTS * (left[1] - left[0]) / (b - a))

    def glided(self, t: F) -> F:
        """Phase time (s) that the glide has added by `t`, to a steady tone since `origin`."""
        u, out = t - self.origin, np.zeros(len(t))
        for size, tau in self.glide:
            if tau > 0:
                out += size * tau * (1 - np.exp(-np.maximum(u / tau, -8)))
        return out


def fit_pluck(
    signal: Signal,
    start: float,
    end: float,
    f1: float,
    inharmonicity: float,
    glide: bool = True,
    rounds: int = 3,
    most: int = MOST_FRAMES,
    partials: int = MOST_PARTIALS,
    turned: Heterodyned | None = None,
) -> F0Estimate | None:
    """The f0 of a pluck that sounds from `start` to `end` (s), near f1 (Hz, within about 30 cents).

    Without `glide` the pitch is taken as steady: quick, and right for a short window. `rounds`, `most` (frames) and
    `partials` bound the work; `turned` are the heterodyned partials, if at hand. None when fewer than two frames or no
    partial stands above the noise.
    """
    fit = None
    for _ in range(rounds):
        turned = turned or heterodyne(signal, start, end, f1, inharmonicity, most, partials)
        new = estimate_f0(turned, f1, inharmonicity, glide) if turned is not None else None
        if new is None:
            return fit
        fit, turned = new, None
        moved = abs(CENTS * np.log(fit.f1 / f1))
        f1, inharmonicity = fit.f1, fit.inharmonicity
        if moved < 0.5 or not glide:
            break
    return fit


def estimate_f0(d: Heterodyned, f1: float, inharmonicity: float, with_glide: bool) -> F0Estimate | None:
    """One pitch from the phases of all partials, heterodyned with `f1` (Hz) and `inharmonicity`."""
    origin = float(d.t[0])
    t = d.t - origin
    told = phase_lines.fit_phase_lines(d.z, d.noise, d.n, d.hz, t, d.overlap, inharmonicity, with_glide)
    if told is None:
        return None
    pitch = told.pitch
    # what is further off is no partial of this string
    own = np.abs(told.relative) < phase_lines.FURTHEST
    n, hz = d.n[told.where][own], d.hz[told.where][own]
    return F0Estimate(
        f1=f1 * (1 + pitch.relative_shift),
        inharmonicity=min(max(inharmonicity + pitch.delta_b, 0.0), MOST_INHARMONICITY),
        inharmonicity_sigma=pitch.sigma_b,
        glide=told.glide,
        sigma_cents=pitch.sigma * CENTS,
        scatter_sigma_cents=pitch.sigma_scatter * CENTS,
        origin=origin,
        numbers=n,
        hz=hz * (1 + told.relative[own]),
        amplitude=told.amplitude[own],
        phase=told.offset[own] + 2 * np.pi * hz * origin,
        decay=told.decay[own],
        snr=told.snr,
        intrinsic_scatter=pitch.intrinsic_scatter,
        excess_scatter=pitch.excess_scatter,
        drift_probability=pitch.drift_probability,
        extrapolation_sigma=pitch.extrapolation_sigma * CENTS,
        vaguer=told.vaguer,
    )
