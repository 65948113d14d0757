"""The tuning offset of a recording from its plucks, each led to the end of its glide."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.types import Reading

F = NDArray[np.float64]


class NotesParameters(NamedTuple):
    """Weights of single notes of a recording."""

    note_sigma_cents: float = 1.0  # by so much a note lies off the others by itself
    claim_factor: float = 1.5  # times what a reading among chords claims, it is off
    heavy_sigmas: float = 2.5  # 1σ, from where what is off counts less and less: another's
    min_notes: int = 5
    mean_sigma_factor: float = 1.3  # times what the scatter says, the mean is unsure
    # long windows: 1σ (cents), what they hear of the glide in the attack, and 1σ of that and of what plucks say they are off
    windows_sigma_cents: float = 0.2
    glide_share: float = 0.1
    glide_share_sigma: float = 0.07
    apart_share: float = 0.3
    # so far above what plucks say, windows lean on attacks, as far as glides explain it; then they are off by so much of that
    leaning_range_cents: tuple[float, float] = (0.5, 1.0)
    leaning_factor: float = 2.0
    unheard_glide_share: float = 0.4  # of what a pluck glides less than others, it may be too sharp by
    # what plucks glide by as a rule: of all alike, since those read without their glide claim most, and few read too much of it
    usual_glide_quantile: float = 0.55
    usual_glide_cents: float = 5.0  # of which no attack tells
    near_cents: float = 4.0  # so near the common pitch so much of their weight must lie
    min_weight_share: float = 0.4


NOTES = NotesParameters()


@dataclass(frozen=True)
class Played:
    """Offset (cents) that plucks agree on, within 50 of the search; 1σ; their median glide (cents); how many notes agree."""

    cents: float
    sigma: float
    glide: float
    notes: int = 0


def by_plucks(readings: list[Reading], near: float) -> Played | None:
    """Robust mean offset of all readings near `near` (cents); None where they are few or do not agree."""
    heard = [r for r in readings if r.pitch is not None and r.sigma_cents is not None]
    if len(heard) < NOTES.min_notes:
        return None
    pitch = np.array([100 * (r.pitch or 0.0) for r in heard])
    # how far all its partials agree says whether those that are left are one string's
    unsure = np.array([max(r.sigma_cents or 0.0, r.phases_cents or 0.0) for r in heard])
    spread = np.hypot(NOTES.note_sigma_cents, NOTES.claim_factor * unsure)
    # what glides less than others do has perhaps been heard without its glide
    glide = np.array([_glide(r) for r in heard])
    told = glide[np.isfinite(glide)]
    usual = float(np.quantile(told, NOTES.usual_glide_quantile)) if len(told) else NOTES.usual_glide_cents
    spread = np.hypot(spread, NOTES.unheard_glide_share * np.maximum(usual - np.nan_to_num(glide), 0.0))
    weight, middle = 1 / spread**2, near
    for _ in range(30):
        off = (pitch - middle + 50) % 100 - 50
        counts = weight / (1 + (off / spread / NOTES.heavy_sigmas) ** 2) ** 1.5
        moved = float((counts * off).sum() / counts.sum())
        middle += moved
        if abs(moved) < 1e-4:
            break
    agree = np.abs(off) < NOTES.near_cents
    if weight[agree].sum() < NOTES.min_weight_share * weight.sum():
        return None
    sigma = NOTES.mean_sigma_factor * float(np.sqrt((counts**2 * off**2).sum()) / counts.sum())
    notes = len(np.unique(np.rint((pitch[agree] - middle) / 100)))
    return Played(middle, sigma, _median(glide, counts), notes)


def of_both(heard: float, played: Played) -> float:
    """The offset (cents) of long windows and of plucks, each as it is sure: windows hear a share of every glide, and where
    plucks say that they are further off, something else of the attacks: most of it where notes are as sharp as they glide."""
    above = (heard - NOTES.glide_share * played.glide - played.cents + 50) % 100 - 50
    least, whole = NOTES.leaning_range_cents
    leaning = min(max((above - least) / (whole - least), 0.0), 1.0) * min(played.glide / max(above, least), 1.0)
    apart = (NOTES.apart_share + (NOTES.leaning_factor - NOTES.apart_share) * leaning) * above
    windows = NOTES.windows_sigma_cents**2 + (NOTES.glide_share_sigma * played.glide) ** 2 + apart**2
    return played.cents + above * played.sigma**2 / (windows + played.sigma**2)


def _glide(r: Reading) -> float:
    """Cents of the attack above the settled pitch; NaN where unknown."""
    return r.attack_cents - r.cents if r.attack_cents is not None and r.cents is not None else float("nan")


def _median(glide: F, weight: F) -> float:
    """Weighted median glide."""
    told = np.flatnonzero(np.isfinite(glide))
    if len(told) == 0:
        return NOTES.usual_glide_cents
    order = told[np.argsort(glide[told])]
    half = weight[order].sum() / 2
    return abs(float(glide[order][np.searchsorted(np.cumsum(weight[order]), half)]))
