"""Refines an uncertain first fit by further estimates, and combines them by their certainty."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.dsp.statistics import mixture_sigma
from juxtatune.core.listening.f0.estimate import F0Estimate, fit_pluck
from juxtatune.core.listening.multipitch.cancellation import separate
from juxtatune.core.listening.multipitch.voting import VotedString
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY, heterodyne
from juxtatune.core.listening.source import Signal


class FusionParameters(NamedTuple):
    """Combination of estimates; ratios are those of their 1σ."""

    unsure_cents: float = 0.4
    agree_cents: float = 40.0
    weight_power: float = 8.0  # power by which a less sure fit counts less
    glide_mean_share: float = 0.5  # of a glide's mean is what is not sure without it
    max_separation_s: float = 2.4
    min_separation_sigma_cents: float = 0.07  # what is less sure is taken apart from what sounds beside it
    surer_ratio: float = 1.5  # from where the separated estimate counts
    surely_ratio: float = 2.7  # from where it counts alone
    stray_sigmas: float = 7.0  # in 1σ: further off it is another's
    far_sigmas: float = 2.5  # so is what is this far off, however unsure the fit
    far_cents: float = 1.0
    slipped_cents: float = 20.0  # from where a tone began: it slipped on to a string that rings
    astray_cents: float = 30.0  # from where a tone began: whatever a fit says that is lost among other strings
    lost_cents: float = 1.5  # among strings that ring, what is less sure says only that one lies near
    # times as sure, and cents from where a tone began: a fit that is elsewhere has slipped
    far_surer_ratio: float = 20.0
    onset_tone_cents: float = 5.0
    own_scatter_ratio: float = 2.5  # times as unsure as the fit is another reading where the partials disagree of themselves
    beyond_ratio: float = 15.0  # times as sure: such a reading found partials that agree
    # own scatter from where nothing read of what is left was ever so sure, up to so much 1σ, as measured in benchmarks/
    all_own_scatter: float = 0.6
    all_own_cents: float = 5.0
    largely_own_scatter: float = 0.42  # the same where nothing else rings
    largely_own_cents: float = 1.5
    # times as unsure as a first look, from where and by where that counts alone, and 1σ; and so far off it, in `STRAYS`
    spoilt_ratio_range: tuple[float, float] = (3.0, 4.5)
    spoilt_cents: float = 1.0
    far_off_width: float = 0.5
    # of a first look's partials: so a real guitar's do, whatever sounds beside them
    first_scatter_range: tuple[float, float] = (0.1, 0.3)


FUSION = FusionParameters()


def reject_astray(
    signal: Signal, fit: F0Estimate, first: F0Estimate, onset: float, until: float, tone: float
) -> F0Estimate:
    """As `refine` for a pluck alone; where an estimate is far less certain than a `first` look whose partials agree, and
    remains so or ends far off it, that look: the longer window was misled by what began since."""
    best = refine(signal, fit, onset, until, (), tone)
    agree, disagree = FUSION.first_scatter_range
    share = _spoilt(fit, first) * ramp(disagree - first.excess_scatter, disagree - agree)
    if share > 0:
        reach = FUSION.stray_sigmas * float(np.hypot(best.sigma_cents, first.sigma_cents))
        far = ramp(abs(1200 * np.log2(best.f1 / first.f1)) / reach - 1, FUSION.far_off_width)
        share *= max(_spoilt(best, first), far)
    return blend(best, refine(signal, first, onset, until, (), tone), share) if share > 0 else best


def _spoilt(fit: F0Estimate, first: F0Estimate) -> float:
    """How much less certain a fit is than a first look: 0 not at all, 1 by far."""
    low, high = FUSION.spoilt_ratio_range
    times = fit.sigma_cents / max(first.sigma_cents, FUSION.spoilt_cents / low)
    return ramp(float(np.log(max(times / low, 1e-9))), float(np.log(high / low)))


def ramp(beyond: float, whole: float) -> float:
    """0 to 1, linear in `beyond` from 0 to `whole`."""
    return min(max(beyond / whole, 0.0), 1.0)


def blend(a: F0Estimate, b: F0Estimate, share: float) -> F0Estimate:
    """Mixture of two estimates; `share` is the second's."""
    if share in (0.0, 1.0):
        return b if share else a
    moved = float(1200 * np.log2(b.f1 / a.f1))
    sigma = mixture_sigma(share, a.sigma_cents, b.sigma_cents, moved)
    own = (1 - share) * a.intrinsic_scatter + share * b.intrinsic_scatter
    inharmonicity = (1 - share) * a.inharmonicity + share * b.inharmonicity
    return replace(
        a if share < 0.5 else b, f1=a.f1 * 2 ** (share * moved / 1200), sigma_cents=float(sigma), inharmonicity=inharmonicity,
        intrinsic_scatter=own,
    )  # fmt: skip


def refine(
    signal: Signal, fit: F0Estimate, onset: float, until: float, sounding_f0s: tuple[float, ...], tone: float
) -> F0Estimate:
    """The estimate, or where it is uncertain its mixture with other fits and with estimates from the separated sound.

    Where other strings sound (`sounding_f0s`, Hz) separation comes first, near the first `tone` (Hz): fits may lock on to
    those.
    """
    end = min(until, onset + FUSION.max_separation_s)
    if sounding_f0s and fit.sigma_cents > FUSION.unsure_cents:
        if abs(1200 * np.log2(fit.f1 / tone)) > FUSION.slipped_cents:
            fit = replace(fit, sigma_cents=max(fit.sigma_cents, FUSION.slipped_cents))
        left = _apart(signal, fit, onset, end, sounding_f0s, tone, tone)
        if left is not fit:
            return left
    fit = _reconsidered(signal, fit, onset + 0.002, min(until, onset + 4.0))
    sure = fit.sigma_cents <= FUSION.min_separation_sigma_cents
    return fit if sure else _apart(signal, fit, onset, end, sounding_f0s, fit.f1, tone)


def _reconsidered(signal: Signal, fit: F0Estimate, start: float, end: float) -> F0Estimate:
    """The estimate, or when uncertain its mixture with fits of other inharmonicity and partial counts, with and without
    glide.

    Fits nearly as certain as the best count too, so that chance does not choose between them.
    """
    if fit.scatter_sigma_cents < FUSION.unsure_cents:
        return fit
    others = [
        other
        for inharmonicity, partials in ((USUAL_INHARMONICITY, 6), (3 * USUAL_INHARMONICITY, 14))
        for other in _with_and_without_glide(signal, start, end, fit.f1, inharmonicity, partials)
    ]
    near = [o for o in others if o is not None and abs(1200 * np.log2(o.f1 / fit.f1)) < FUSION.agree_cents]
    every = [fit, *near]
    # what takes the pitch for steady reads the mean of a glide
    above = fit.mean_glide_cents(start, end)
    own = [
        np.hypot(_owned(fit, o.sigma_cents, o.scatter_sigma_cents), FUSION.glide_mean_share * above if o.glide[0, 1] == 0 else 0.0)
        for o in near
    ]
    sigma = np.array([fit.sigma_cents, *own])
    best = every[int(np.argmin(sigma))]
    share = (sigma.min() / sigma) ** FUSION.weight_power
    off = np.array([np.log(f.f1 / best.f1) for f in every])
    scatter = fit.intrinsic_scatter / _beyond(fit, best.scatter_sigma_cents)
    steady = best is not fit and best.glide[0, 1] == 0
    claim = float(np.hypot(best.sigma_cents, FUSION.glide_mean_share * above)) if steady else best.sigma_cents
    f1 = best.f1 * float(np.exp(share @ off / share.sum()))
    return replace(best, f1=f1, sigma_cents=claim, intrinsic_scatter=scatter)


def _with_and_without_glide(
    signal: Signal, start: float, end: float, f1: float, inharmonicity: float, partials: int
) -> list[F0Estimate | None]:
    turned = heterodyne(signal, start, end, f1, inharmonicity, partials=partials)
    return [
        fit_pluck(signal, start, end, f1, inharmonicity, glide, rounds=2, partials=partials, turned=turned)
        for glide in (True, False)
    ]


def _owned(fit: F0Estimate, sigma: float, among: float) -> float:
    """1σ of another estimate, enlarged where the scatter is the string's own and no other sound is to blame.

    One still more certain found partials that do agree: then the first fit has lost them.
    """
    own = FUSION.own_scatter_ratio * fit.intrinsic_scatter**1.5 * fit.sigma_cents / _beyond(fit, among)
    return float(np.hypot(sigma, own))


def _beyond(fit: F0Estimate, among: float) -> float:
    """Factor by which the intrinsic scatter of a fit is reduced, given another estimate's certainty."""
    return float(1 + (fit.scatter_sigma_cents / (among * FUSION.beyond_ratio)) ** 4)


def _apart(
    signal: Signal,
    fit: F0Estimate,
    start: float,
    end: float,
    sounding_f0s: tuple[float, ...],
    tone: float,
    began: float,
) -> F0Estimate:
    """The estimate, or the one from the separated sound near a tone (Hz), if far more certain.

    Further off it belongs to another source (a band plays the same notes), except where the tone `began` (Hz), which a vague
    fit lost. Where somewhat more certain, both count.
    """
    own = fit.intrinsic_scatter
    if (own > FUSION.all_own_scatter and fit.sigma_cents < FUSION.all_own_cents) or (
        not sounding_f0s and own > FUSION.largely_own_scatter and fit.sigma_cents < FUSION.largely_own_cents
    ):
        return fit
    found = separate(signal, start, end, tone, sounding_f0s)
    if found is None:
        return fit
    found = replace(found, sigma=_owned(fit, found.sigma, found.sigma))
    if found.sigma > fit.sigma_cents / FUSION.surer_ratio:
        return fit
    moved = 1200 * np.log2(found.f1 / fit.f1)
    # all partials say how vague it is: those left of them may have been chosen wrongly
    vague = fit.sigma_all_partials > FUSION.lost_cents
    lost = vague and bool(sounding_f0s) and abs(1200 * np.log2(found.f1 / tone)) < FUSION.astray_cents
    if not lost and abs(moved) > min(FUSION.agree_cents, _near(fit.sigma_all_partials)):
        surely = vague and found.sigma < fit.sigma_all_partials / FUSION.far_surer_ratio
        return _found_again(fit, found) if surely and abs(1200 * np.log2(found.f1 / began)) < FUSION.onset_tone_cents else fit
    share = min(np.log(fit.sigma_cents / found.sigma / FUSION.surer_ratio) / np.log(FUSION.surely_ratio / FUSION.surer_ratio), 1.0)
    sigma = mixture_sigma(share, fit.sigma_cents, found.sigma, moved)
    inharmonicity = share * found.inharmonicity + (1 - share) * fit.inharmonicity
    # what was found is surer than its partials' scatter would allow: that was another's
    return replace(
        fit, f1=fit.f1 * 2 ** (share * moved / 1200), inharmonicity=inharmonicity, sigma_cents=float(sigma),
        intrinsic_scatter=(1 - share) * fit.intrinsic_scatter, vaguer=fit.vaguer ** (1 - share),
    )  # fmt: skip


def _found_again(fit: F0Estimate, found: VotedString) -> F0Estimate:
    """The estimate from the separated sound in place of one that locked on to another source, with its glide."""
    return replace(
        fit,
        f1=found.f1,
        inharmonicity=found.inharmonicity,
        sigma_cents=found.sigma,
        intrinsic_scatter=0.0,
        vaguer=1.0,
        glide=np.zeros((1, 2)),
    )


def _near(sigma: float) -> float:
    """Largest difference (cents) of two estimates of one string."""
    return min(FUSION.stray_sigmas * sigma, FUSION.far_sigmas * sigma + FUSION.far_cents)
