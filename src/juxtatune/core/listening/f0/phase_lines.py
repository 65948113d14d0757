"""The common pitch of all partials of a pluck, from their phases: a few compiled calls."""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.statistics import mixture_sigma
from juxtatune.core.listening.f0.glide_biexp import CENTS, gains, left_over, peak, slopes
from juxtatune.core.listening.f0.glide_select import SLOW_S, SLOWER_S, AudiblePartials, GlideFit, select_glide
from juxtatune.core.listening.f0.glide_two_times import glide_basis
from juxtatune.core.listening.f0.membership import partial_membership
from juxtatune.core.listening.f0.regression import fit_line
from juxtatune.core.listening.partials.kernels import decays, faint_and_fading, standing_out

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
_within = nb.njit(inline="always", error_model="numpy")
F = NDArray[np.floating]
ANY_TAU = np.geomspace(0.022, 1.4, 32)
FURTHEST = 0.03  # of a pitch, off which a partial is another's
STRETCHABLE = 4  # partials from which B is asked for
# B seldom differs by more than 1e-4 from a start value; with few partials it is not asked for
PRIOR, FIRM_PRIOR = 1e8, 1e10
ONE_PARTIAL = 0.3 / CENTS
TENSION = 5.0  # log odds by which a string's own energy must be the likelier cause of a slow glide
OWN = 0.25  # of partials' scatter, from where they tell of no tension
USUALLY_LEFT = 0.85  # of noise, after frames that stray count less
SOME_FREE, STILLEST = 8.0, 0.02
# partials from which, and 1σ from where, it is asked whose they are; the least and the share of them that must be own
SEVERAL, UNSURE, LEAST_OWN, MOST_OWN = 5, 0.03 / CENTS, 4.0, 0.6
OWN_ROUNDS, CLEARLY = 3, 0.9
STEEPEST = 25.0 / CENTS  # of such a fit's glide: as far hardly any string glides
# times as sure, from where a fit without another's partials counts, and counts alone; 1σ from where it is hardly a string's
SURER, SURELY, CLEAR = 1.25, 2.0, 4.0 / CENTS


@_jit
def powers(z):
    """|z|² (P, M), by parts."""
    out = np.empty(z.shape)
    for j in range(len(z)):
        for i in range(z.shape[1]):
            out[j, i] = z[j, i].real ** 2 + z[j, i].imag ** 2
    return out


class Pitch(NamedTuple):
    """What all partials together say; relative where nothing else is said."""

    relative_shift: float  # Δf1/f1
    delta_b: float  # ΔB
    sigma: float  # 1σ of the shift
    sigma_scatter: float  # the same by the scatter among partials alone
    sigma_b: float  # 1σ of the bend
    intrinsic_scatter: float  # 0 to 1: how far the partials' scatter is their own
    excess_scatter: float  # 0 to 1: how far they disagree, whatever the cause
    drift_probability: float  # 0 to 1: how likely the glide is a drift
    extrapolation_sigma: float  # of the glide


class PhaseEstimate(NamedTuple):
    """The pitch of a pluck and what its partials, (Q,), are."""

    where: NDArray[np.int64]  # (Q,) which of those asked for
    pitch: Pitch
    glide: F  # (K, 2) its parts
    snr: float  # of the loudest partial, dB
    relative: F  # (Q,) deviation
    offset: F  # (Q,) phase at the first frame, rad
    amplitude: F  # (Q,) there
    decay: F  # (Q,) 1/s; 0 without a glide
    vaguer: float = 1.0  # times as unsure as the string's own partials are all of them


def fit_phase_lines(
    z: NDArray[np.complex128], noise: F, every: NDArray[np.int64], hz: F, t: F,
    overlap: float, inharmonicity: float, with_glide: bool,
) -> PhaseEstimate | None:  # fmt: skip
    """The common pitch of partials `z` (P, M), heterodyned at `hz` (P,); their numbers are `every`. None if none is audible.

    `t` (M,): times since the first frame, s. `noise` (P,): power of z from noise alone. `overlap`: frames per independent
    frame.
    """
    heard = _begun(z, noise, every, hz, t, overlap)
    if len(heard.where) == 0:
        return None
    course = select_glide(heard, with_glide)
    told = _phase_estimate(course, heard, inharmonicity, with_glide)
    if told is None or not with_glide or len(heard.where) < SEVERAL or told.pitch.sigma < UNSURE:
        return told
    return _own_partials_only(course, told, heard, inharmonicity)


def _phase_estimate(course: GlideFit, heard: AudiblePartials, inharmonicity: float, with_glide: bool) -> PhaseEstimate | None:
    """The estimate under one glide model; None where no partial lies near enough to be the string's."""
    some, pitch, snr, relative, amplitude, decay = _concluded(course, heard, inharmonicity, with_glide)
    if not some:
        return None
    return PhaseEstimate(heard.where, pitch, course.parts, snr, relative, course.lines.offset, amplitude, decay)


def _own_partials_only(course: GlideFit, told: PhaseEstimate, heard: AudiblePartials, inharmonicity: float) -> PhaseEstimate:
    """The estimate from the string's own partials (by membership), where that is likelier than the one from all."""
    q, trust, chosen = lever(heard.n, inharmonicity), np.ones(len(heard.n)), told
    for _ in range(OWN_ROUNDS):
        trust = partial_membership(q, heard, course, trust)
        if trust.min() > CLEARLY or trust.sum() < max(LEAST_OWN, MOST_OWN * len(trust)):
            break
        course = select_glide(heard._replace(weight=heard.weight * trust[:, None]), True)
        # what is left of a partial is what it is, however much it counts
        course = course._replace(weight=course.weight / trust[:, None])
        chosen = _likelier(told, _phase_estimate(course, heard, inharmonicity, True))
        if chosen is told:
            break
    return chosen


def _likelier(every: PhaseEstimate, own: PhaseEstimate | None) -> PhaseEstimate:
    """A mixture of the estimates from every partial and from the string's own, by how much more certain and consistent the
    latter is: on real guitars the two may differ, and a drum's partials lie anywhere."""
    if own is None or abs(own.glide[:, 0].sum()) > STEEPEST:
        return every
    before, after = every.pitch, own.pitch
    surer = before.sigma / max(after.sigma, 1e-12)
    share = min(np.log(surer / SURER) / np.log(SURELY / SURER), 1.0) * (1 - after.excess_scatter)
    share /= 1 + (after.sigma / CLEAR) ** 4
    if not share > 0:
        return every
    sigma = float(mixture_sigma(share, before.sigma, after.sigma, before.relative_shift - after.relative_shift))
    mixed = Pitch(*(share * b + (1 - share) * a for a, b in zip(before, after, strict=True)))
    chosen = own if share > 0.5 else every
    return chosen._replace(pitch=mixed._replace(sigma=sigma), vaguer=max(before.sigma / sigma, 1.0))


@_jit
def _begun(z, noise, n, hz, t, overlap):
    """The audible partials, with the weight (inverse phase variance) of every frame."""
    power = powers(z)
    good, alive = standing_out(power, noise)
    where, frames = np.flatnonzero(good), z.shape[1]
    count = len(where)
    numbers, some_hz, quiet = np.empty(count, np.int64), np.empty(count), np.empty(count)
    loud, heard = np.empty((count, frames)), np.empty((count, frames), np.bool_)
    weight, angle = np.empty((count, frames)), np.empty((count, frames))
    for j in range(count):
        k = where[j]
        numbers[j], some_hz[j], quiet[j] = n[k], hz[k], noise[k]
        for i in range(frames):
            loud[j, i], heard[j, i] = power[k, i], alive[k, i]
            angle[j, i] = np.arctan2(z[k, i].imag, z[k, i].real)
            weight[j, i] = 1 / (noise[k] / (2 * power[k, i] + 1e-30) + 1e-7) if alive[k, i] else 0.0
    return AudiblePartials(where, numbers, some_hz, quiet, loud, heard, weight, angle, t, overlap)


@_jit
def _concluded(course, heard, inharmonicity, with_glide):
    """(usable, pitch, SNR of the loudest partial in dB, relative deviation, amplitude and decay of each) under a glide model."""
    hz, alive, power, overlap = heard.hz, heard.alive, heard.power, heard.overlap
    persistence = course.persistence
    relative, variance, still = _off(course, heard)
    faint, fades = faint_and_fading(power, alive, heard.noise)
    none = np.zeros(len(hz))
    decay, amplitude = decays(heard.t, power, alive) if with_glide else (none, none)
    some, shift, bend, sigma, turn, own, disagree = _joined(
        _usable(lever(heard.n, inharmonicity), relative, variance, faint, fades)
    )
    among = sigma * persistence
    sigma = np.hypot(np.hypot(sigma, course.bent * np.sqrt(overlap * still)) * persistence, course.doubt)
    slow = 0.0
    if course.parts[0, 1] > 0:
        # partials that disagree of themselves tell of no tension
        agree = max(1 - own / OWN, 0.0) if course.energy else 0.0
        frames = overlap * persistence**2
        slow = _slow(heard.t, course.phase, course.weight, hz, frames, course.lines.cost, agree)
    loudest = 0.0
    for j in range(len(hz)):
        for i in range(power.shape[1]):
            loudest = max(loudest, power[j, i] / heard.noise[j])
    pitch = Pitch(shift, bend, sigma, among, turn, own, disagree, slow, course.unheard)
    return some, pitch, 10 * np.log10(loudest), relative, amplitude, decay


@_jit
def _off(course, heard):
    """Relative deviation and variance (P,) of each partial, and the ratio of residual phase noise to the noise measured
    between partials (decaying partials leak into that estimate), weighted by certainty."""
    lines, count = course.lines, len(heard.hz)
    left = left_over(course.weight, lines.residual, heard.alive)
    relative, variance = np.empty(count), np.empty(count)
    free = usual = certain = 0.0
    for j in range(count):
        full = 2 * np.pi * heard.hz[j]
        relative[j], variance[j] = lines.slope[j] / full, lines.variance[j] / full**2
        usual += left[j] / variance[j]
        certain += 1 / variance[j]
        free -= 2
        for i in range(heard.alive.shape[1]):
            free += heard.alive[j, i]
    still = (usual / certain / USUALLY_LEFT * free + SOME_FREE) / (free + SOME_FREE)
    still = min(max(still, STILLEST), 1.0)
    for j in range(count):
        variance[j] *= max(left[j], 1.0) * heard.overlap * still
    return relative, variance, still


@_jit
def lever(n, inharmonicity):
    """d ln f_n / dB of partials `n` (P,), relative to the first (Fletcher 1964)."""
    out = np.empty(len(n))
    for j in range(len(n)):
        out[j] = (n[j] ** 2 / (1 + inharmonicity * n[j] ** 2) - 1 / (1 + inharmonicity)) / 2
    return out


@_jit
def _usable(q, relative, variance, faint, fades):
    """The rows (q, deviation, variance, faint, fades) of partials near enough to be the string's: (5, Q)."""
    good, count = np.zeros(len(q), np.bool_), 0
    for k in range(len(q)):
        good[k] = np.isfinite(relative[k]) and np.isfinite(variance[k]) and abs(relative[k]) < FURTHEST
        count += good[k]
    out, at = np.empty((5, count)), 0
    for k in range(len(q)):
        if good[k]:
            out[0, at], out[1, at], out[2, at] = q[k], relative[k], variance[k]
            out[3, at], out[4, at] = faint[k], fades[k]
            at += 1
    return out


@_within
def _joined(usable):
    """Robust regression of the partials' deviations on f1 and B: whether any is usable, Δf1/f1, ΔB, 1σ of both, how far
    their scatter is their own, and how far they disagree."""
    q, relative, variance, faint, fades = usable[0], usable[1], usable[2], usable[3], usable[4]
    if len(q) == 0:
        return False, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    if len(q) == 1:
        return True, relative[0], 0.0, np.sqrt(variance[0] + ONE_PARTIAL**2), 1.0, 0.0, 0.0
    free = len(q) >= STRETCHABLE
    told = fit_line(q, relative, variance, faint, fades, free, PRIOR if free else FIRM_PRIOR)
    return True, told[0], told[1], told[2], told[3], told[4], told[5]


@_within
def _slow(t, phase, weight, hz, frames, by_energy, agree):
    """Probability (0 to 1) that the glide is a slow drift, from the likelihood of every time constant; reduced where an
    energy-driven glide, as far as partials `agree`, leaves a much smaller residual (`by_energy`)."""
    times = ANY_TAU.copy()
    gained = gains(times, t, phase, weight, hz)
    # one of the times tried is the likeliest of all, which may be far likelier than its neighbours
    further = peak(times, gained) / times[np.argmax(gained)]
    for k in range(len(times)):
        times[k] *= further
    if times[np.argmax(gained)] > SLOW_S / 2:
        gained = gains(times, t, phase, weight, hz)
    most, slow, every = gained[np.argmax(gained)], 0.0, 0.0
    for k in range(len(times)):
        likely = np.exp((gained[k] - most) / (2 * frames))
        slow += likely * min(max((times[k] - SLOW_S) / (SLOWER_S - SLOW_S), 0.0), 1.0)
        every += likely
    slow /= every
    if agree > 0:
        left = slopes(t, phase, weight, hz, glide_basis(t, 0.0)).cost - most
        odds = min(max((left - by_energy) / (2 * frames) - TENSION, -50.0), 50.0)
        slow *= 1 - agree / (1 + np.exp(-odds))
    return slow
