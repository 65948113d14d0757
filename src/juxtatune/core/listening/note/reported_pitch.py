"""Which pitch is reported where a note has no single f0: drift, partials that agree on none, notes cut short.

Drift: a string sinks as its energy does, and to where that ends its partials lead together. Where they do not agree or it
sinks more slowly (two strands of one string beat, a recording's sample begins to loop, a neck gives, a hand turns), the end
is nobody's pitch: the mean of what is left after the attack is reported, as long windows and players hear it.

Period: the partials of a real string lie cents off any line, each by itself; what follows the first partial and what follows
the period, as autocorrelation and ears do, then part by cents. Guitars tuned by either should be in tune with each other, so
the pitch reported lies midway.

Short notes: a string sounds a few cents sharp of where it settles while it is heard for a third of a second (common practice,
no source; measured on the synthetic and sampled strings of `benchmarks/`), and a glide fitted to so little may end anywhere:
it is shrunk towards a prior as far as the data leave it open.
"""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.estimate import F0Estimate, fit_pluck
from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import cut_short


class DriftParameters(NamedTuple):
    """Drift that lasts as long as the note."""

    from_s: float = 0.25  # after the onset: what the mean is taken of
    to_s: float = 1.75
    min_s: float = 0.75
    # of what lies between the mean and the end, where the mean counts and where the end does
    mean_sigma_share: float = 0.15
    end_sigma_share: float = 0.07
    excess_scatter: float = 0.25  # from where partials do not tell of one tension
    min_power_share: float = 0.05  # of the loudest partial's power, that holds a string's energy
    # times its energy's: from there a glide is no tension's, and that much further surely none
    slow_ratio: float = 1.2
    slow_ratio_width: float = 0.4
    min_decay_per_s: float = 0.1
    turned_cents: float = 10.0  # a string that moves so far is being turned, and where it ends counts


DRIFT = DriftParameters()


def with_slow_drift(fit: F0Estimate, lasts: float) -> float:
    """Probability-like weight (0 to 1) that the pitch of a note of `lasts` seconds drifts all along."""
    return fit.drift_probability if min(lasts, DRIFT.to_s) - DRIFT.from_s >= DRIFT.min_s else 0.0


def _no_tension(fit: F0Estimate) -> float:
    """How far (0 to 1) the glide cannot be string tension, which falls, and as the energy does."""
    if fit.glide[:, 0].sum() < 0:
        return 1.0
    loud = fit.amplitude**2 >= DRIFT.min_power_share * fit.amplitude.max() ** 2
    held = 1 / (2 * max(float(fit.decay[loud].min()), DRIFT.min_decay_per_s))
    falls = float(np.average(fit.glide[:, 1], weights=np.abs(fit.glide[:, 0]) + 1e-12))
    slower = (falls / held - DRIFT.slow_ratio) / DRIFT.slow_ratio_width
    return float(np.clip(max(slower, fit.excess_scatter / DRIFT.excess_scatter), 0.0, 1.0))


def at_mean(signal: Signal, fit: F0Estimate, slow: float, onset: float, until: float) -> F0Estimate:
    """The estimate of a note from `onset` to `until` (s) mixed with its mean pitch, by the weight `slow`."""
    mean = fit_pluck(signal, onset + DRIFT.from_s, min(until, onset + DRIFT.to_s), fit.f1, fit.inharmonicity, glide=False)
    if mean is None:
        return fit
    above = slow * CENTS * float(np.log(mean.f1 / fit.f1))
    turned = abs(above) > DRIFT.turned_cents
    share = 0.0 if turned else _no_tension(fit)
    moved = share * above
    sigma = float(np.hypot(fit.sigma_cents, DRIFT.end_sigma_share * above if turned else DRIFT.mean_sigma_share * moved))
    f1 = fit.f1 * float(np.exp(moved / CENTS))
    return replace(fit, f1=f1, sigma_cents=sigma, extrapolation_sigma=(1 - share) * fit.extrapolation_sigma)


F = NDArray[np.floating]


class PeriodParameters(NamedTuple):
    """The period of a string whose partials agree on no f0."""

    max_partial: int = 8  # partials that a period is heard by
    min_decay_per_s: float = 0.3
    share: float = 0.5
    max_cents: float = 4.0  # further off it is another's


PERIOD = PeriodParameters()


def period_offset(f1: float, numbers: NDArray[np.int64], hz: F, amplitude: F, decay: F) -> float:
    """How far (cents) the pitch lies above f1 (Hz), of partials (P,) with `numbers`, `hz`, `amplitude` and `decay` (1/s).

    The period is where the autocorrelation Σ w cos(2π f T) peaks, w being the energy (Wiener–Khinchin): to second order
    the mean of f/n weighted by w n².
    """
    energy = amplitude**2 / np.maximum(decay, PERIOD.min_decay_per_s)
    low = (numbers <= PERIOD.max_partial) & (energy > 0)
    if not low.any():
        return 0.0
    n, weight = numbers[low], energy[low] * numbers[low] ** 2
    above = CENTS * float(np.average(np.log(hz[low] / (n * f1)), weights=weight))
    return PERIOD.share * float(np.clip(above, -PERIOD.max_cents, PERIOD.max_cents))


def own_pitch_cents(fit: F0Estimate) -> float:
    """Cents of the reported pitch above f1; 0 where the partials agree."""
    # squared: what clips has a little scatter of its own too
    return fit.intrinsic_scatter**2 * period_offset(fit.f1, fit.numbers, fit.hz, fit.amplitude, fit.decay)


class ShortNoteParameters(NamedTuple):
    """Prior of a short note's glide end."""

    # cents by which the mean of a short note lies above its end, and how notes differ in it
    mean_above_end_cents: float = 1.5
    spread_cents: float = 3.0
    short_s: float = 0.6  # from the one to the other it is left to the glide
    long_s: float = 1.0


SHORT_NOTE = ShortNoteParameters()


def shrink_to_prior(fit: F0Estimate, onset: float, until: float) -> F0Estimate:
    """The estimate of a note from `onset` to `until` (s), shrunk towards a usual glide end where its partials scatter by
    themselves."""
    lasts = until - onset
    sigma = fit.sigma_cents * cut_short(lasts, fit.intrinsic_scatter)
    own = sigma**2 - fit.sigma_cents**2
    short = float(np.clip((SHORT_NOTE.long_s - lasts) / (SHORT_NOTE.long_s - SHORT_NOTE.short_s), 0, 1))
    usual = own / (own + SHORT_NOTE.spread_cents**2) * short
    moved = usual * (fit.mean_glide_cents(onset, until) - SHORT_NOTE.mean_above_end_cents)
    return replace(
        fit, f1=fit.f1 * float(np.exp(moved / CENTS)), sigma_cents=float(np.sqrt(1 - usual)) * sigma
    )
