"""The tuning offset of a recording from its plucks, each led to the end of its glide."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.types import Reading

F = NDArray[np.float64]
OWN_CENTS = 1.0  # by so much a note lies off the others by itself
CLAIMS = 1.5  # times what a reading among chords claims, it is off
HEAVY = 2.5  # 1σ, from where what is off counts less and less: another's
FEWEST = 5
SCATTERED = 1.3  # times what the scatter says, the mean is unsure
# long windows: 1σ (cents), what they hear of the glide in the attack, and 1σ of that and of what plucks say they are off
WINDOWS_CENTS, PART_HEARD, NOT_SURE, APART = 0.2, 0.1, 0.07, 0.3
# so far above what plucks say, windows lean on attacks, as far as glides explain it; then they are off by so much of that
LEANING_CENTS, LEANING = (0.5, 1.0), 2.0
UNHEARD = 0.4  # of what a pluck glides less than others, it may be too sharp by
# what plucks glide by as a rule: of all alike, since those read without their glide claim most, and few read too much of it
USUALLY = 0.55
USUAL_GLIDE = 5.0  # cents, of which no attack tells
NEAR_CENTS, LEAST_SHARE = 4.0, 0.4  # so near the common pitch so much of their weight must lie


@dataclass(frozen=True)
class Played:
    """Offset (cents) that plucks agree on, within 50 of the search; 1σ; their median glide (cents)."""

    cents: float
    sigma: float
    glide: float


def by_plucks(readings: list[Reading], near: float) -> Played | None:
    """Robust mean offset of all readings near `near` (cents); None where they are few or do not agree."""
    heard = [r for r in readings if r.pitch is not None and r.sigma_cents is not None]
    if len(heard) < FEWEST:
        return None
    pitch = np.array([100 * (r.pitch or 0.0) for r in heard])
    # how far all its partials agree says whether those that are left are one string's
    unsure = np.array([max(r.sigma_cents or 0.0, r.phases_cents or 0.0) for r in heard])
    spread = np.hypot(OWN_CENTS, CLAIMS * unsure)
    # what glides less than others do has perhaps been heard without its glide
    glide = np.array([_glide(r) for r in heard])
    told = glide[np.isfinite(glide)]
    usual = float(np.quantile(told, USUALLY)) if len(told) else USUAL_GLIDE
    spread = np.hypot(spread, UNHEARD * np.maximum(usual - np.nan_to_num(glide), 0.0))
    weight, middle = 1 / spread**2, near
    for _ in range(30):
        off = (pitch - middle + 50) % 100 - 50
        counts = weight / (1 + (off / spread / HEAVY) ** 2) ** 1.5
        moved = float((counts * off).sum() / counts.sum())
        middle += moved
        if abs(moved) < 1e-4:
            break
    if weight[np.abs(off) < NEAR_CENTS].sum() < LEAST_SHARE * weight.sum():
        return None
    sigma = SCATTERED * float(np.sqrt((counts**2 * off**2).sum()) / counts.sum())
    return Played(middle, sigma, _median(glide, counts))


def of_both(heard: float, played: Played) -> float:
    """The offset (cents) of long windows and of plucks, each as it is sure: windows hear a share of every glide, and where
    plucks say that they are further off, something else of the attacks: most of it where notes are as sharp as they glide."""
    above = (heard - PART_HEARD * played.glide - played.cents + 50) % 100 - 50
    least, whole = LEANING_CENTS
    leaning = min(max((above - least) / (whole - least), 0.0), 1.0) * min(played.glide / max(above, least), 1.0)
    apart = (APART + (LEANING - APART) * leaning) * above
    windows = WINDOWS_CENTS**2 + (NOT_SURE * played.glide) ** 2 + apart**2
    return played.cents + above * played.sigma**2 / (windows + played.sigma**2)


def _glide(r: Reading) -> float:
    """Cents of the attack above the settled pitch; NaN where unknown."""
    return r.attack_cents - r.cents if r.attack_cents is not None and r.cents is not None else float("nan")


def _median(glide: F, weight: F) -> float:
    """Weighted median glide."""
    told = np.flatnonzero(np.isfinite(glide))
    if len(told) == 0:
        return USUAL_GLIDE
    order = told[np.argsort(glide[told])]
    half = weight[order].sum() / 2
    return abs(float(glide[order][np.searchsorted(np.cumsum(weight[order]), half)]))
