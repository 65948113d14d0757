"""The pitch that all partials of a pluck have in common, from their phases: a few compiled calls."""

from __future__ import annotations

from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.course import SLOW_S, SLOWER_S, fitted
from juxtatune.core.listening.fading import decays, faint_and_fading, heard
from juxtatune.core.listening.glides import CENTS, gains, peak, slopes
from juxtatune.core.listening.kernels import join
from juxtatune.core.listening.strangers import belonging
from juxtatune.core.listening.twofold import bend

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
_within = nb.njit(inline="always", error_model="numpy")
F = NDArray[np.floating[Any]]
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
def turned_down(z, t, hz):
    """Projections (M, P) at times `t` (s) as rows (P, M) without the turns of steady partials of `hz` (P,)."""
    out = np.empty((len(hz), len(t)), np.complex128)
    for j in range(len(hz)):
        for i in range(len(t)):
            turns = hz[j] * t[i]
            angle = -2 * np.pi * (turns - np.rint(turns))
            out[j, i] = z[i, j] * (np.cos(angle) + 1j * np.sin(angle))
    return out


@_jit
def powers(z):
    """|z|², by parts."""
    return z.real**2 + z.imag**2


def solved(
    z: NDArray[np.complex128], noise: F, every: NDArray[np.int64], hz: F, t: F,
    overlap: float, stretch: float, with_glide: bool,
) -> Any:  # fmt: skip
    """The common pitch of partials `z` (P, M), turned down to zero from `hz` (P,), their numbers `every`.

    `t` (M,) are times since the first frame, s; `noise` (P,) is the power of z from noise alone. Returns a flag whether
    any is heard; which (P,); Δf1/f1, ΔB, 1σ of the first, by the scatter among partials alone too, and of the other; how
    far their scatter is their own and how far they disagree; how likely the glide is a drift, and what is not heard of it;
    the glide's parts (K, 2); the loudest partial over its noise, dB; and of each that is heard (Q,) its deviation, phase at
    the first frame, amplitude there and decay (1/s; 0 without a glide). Last, how many times as unsure
    all of them are as those that are the string's own.
    """
    where, power, alive, hz, noise, weight, angle = _begun(z, noise, hz)
    if len(where) == 0:
        none, pitch = np.zeros(0), (0.0,) * 9
        return False, where, pitch, np.zeros((2, 2)), 0.0, none, none, none, none, 1.0
    heard_so = angle, power, t, weight, hz, alive, overlap, with_glide
    rest = every[where], t, power, alive, hz, noise, overlap, stretch, with_glide
    course = fitted(*heard_so)
    told = _told(course, where, rest)
    if not with_glide or len(where) < SEVERAL or told[2][2] < UNSURE:
        return told
    return _own(course, told, heard_so, rest)


def _told(course: Any, where: NDArray[np.int64], rest: Any) -> Any:
    """What `solved` returns of a `fitted` course."""
    some, pitch, loudest, relative, amplitude, decay = _concluded(course, *rest)
    return some, where, pitch, course[1], loudest, relative, course[0][4], amplitude, decay, 1.0


def _own(course: Any, told: Any, heard_so: Any, rest: Any) -> Any:
    """What those partials say that are the string's own, where that is rather so than what all do."""
    angle, power, t, weight, hz, alive, overlap, with_glide = heard_so
    where, q, trust, chosen = told[1], lever(rest[0], rest[-2]), np.ones(len(hz)), told
    for _ in range(OWN_ROUNDS):
        best, parts, _, counts, persistence = course[:5]
        spread = best[2] * trust
        trust = belonging(q, t, counts, hz, alive, best[1], spread, best[5], parts, overlap, persistence)
        if trust.min() > CLEARLY or trust.sum() < max(LEAST_OWN, MOST_OWN * len(hz)):
            break
        course = fitted(angle, power, t, weight * trust[:, None], hz, alive, overlap, with_glide)
        # what is left of a partial is what it is, however much it counts
        course = *course[:3], course[3] / trust[:, None], *course[4:]
        chosen = _rather(told, _told(course, where, rest))
        if chosen is told:
            break
    return chosen


def _rather(every: Any, own: Any) -> Any:
    """What all partials say, or those that are the string's own, as far as they are surer, agree and are clear: a real
    guitar's own may lie far off the rest, and a drum's partials anywhere."""
    before, after = every[2], own[2]
    if not own[0] or abs(own[3][:, 0].sum()) > STEEPEST:
        return every
    surer = before[2] / max(after[2], 1e-12)
    share = min(np.log(surer / SURER) / np.log(SURELY / SURER), 1.0) * (1 - after[6])
    share /= 1 + (after[2] / CLEAR) ** 4
    if not share > 0:
        return every
    mixed = [share * b + (1 - share) * a for a, b in zip(before, after, strict=True)]
    apart = share * (1 - share) * (before[0] - after[0]) ** 2
    mixed[2] = float(np.sqrt(share * after[2] ** 2 + (1 - share) * before[2] ** 2 + apart))
    chosen = own if share > 0.5 else every
    return *chosen[:2], tuple(mixed), *chosen[3:-1], max(float(before[2] / mixed[2]), 1.0)


@_jit
def _begun(z, noise, hz):
    """Which partials are heard, and of them: power, in which frames they are, frequency, noise, weights of their phases,
    and these."""
    power = powers(z)
    good, alive = heard(power, noise)
    where = np.flatnonzero(good)
    power, alive, noise = power[where], alive[where], noise[where]
    weight = np.where(alive, 1 / (noise.reshape(-1, 1) / (2 * power + 1e-30) + 1e-7), 0.0)
    return where, power, alive, hz[where], noise, weight, np.angle(z[where])


@_jit
def _concluded(course, every, t, power, alive, hz, noise, overlap, stretch, with_glide):
    """What `solved` says, from a `fitted` course."""
    best, parts, phase, weight, persistence, bent, doubt, unheard, energy = course
    _, slope, variance, _, _, residual = best
    left = (weight * residual**2).sum(axis=1) / np.maximum(alive.sum(axis=1) - 2, 1)
    full, none = 2 * np.pi * hz, np.zeros(len(hz))
    relative = slope / full
    still = _stiller(left, full**2 / variance, alive)
    variance = variance * np.maximum(left, 1.0) * overlap * still / full**2
    faint, fades = faint_and_fading(power, alive, noise)
    decay, amplitude = decays(t, power, alive) if with_glide else (none, none)
    some, shift, bend, sigma, turn, own, disagree = _joined(every, relative, variance, faint, fades, stretch)
    among = sigma * persistence
    sigma = np.hypot(np.hypot(sigma, bent * np.sqrt(overlap * still)) * persistence, doubt)
    slow = 0.0
    if parts[0, 1] > 0:
        # partials that disagree of themselves tell of no tension
        agree = max(1 - own / OWN, 0.0) if energy else 0.0
        slow = _slow(t, phase, weight, hz, overlap * persistence**2, best[0], agree)
    loudest = 0.0
    for j in range(len(hz)):
        loudest = max(loudest, power[j].max() / noise[j])
    pitch = shift, bend, sigma, among, turn, own, disagree, slow, unheard
    return some, pitch, 10 * np.log10(loudest), relative, amplitude, decay


@_jit
def lever(n, stretch):
    """What B moves partials `n` (P,) by, against the first."""
    return (n * n / (1 + stretch * n * n) - 1 / (1 + stretch)) / 2


@_within
def _stiller(left, certain, alive):
    """How many times less than the noise that was heard between partials is left (P,) of their phases, in power: partials
    that fade reach there too. Each counts as it is `certain` (P,)."""
    free = (alive.sum(axis=1) - 2).sum()
    usual = (left * certain).sum() / certain.sum() / USUALLY_LEFT
    return min(max((usual * free + SOME_FREE) / (free + SOME_FREE), STILLEST), 1.0)


@_within
def _joined(n, relative, variance, faint, fades, stretch):
    """Robust regression of the partials' deviations on f1 and B: whether any is usable, Δf1/f1, ΔB, 1σ of both, how far
    their scatter is their own, and how far they disagree."""
    q = lever(n, stretch)
    ok = np.flatnonzero(np.isfinite(relative) & np.isfinite(variance) & (np.abs(relative) < FURTHEST))
    if len(ok) == 0:
        return False, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    if len(ok) == 1:
        k = ok[0]
        return True, relative[k], 0.0, np.sqrt(variance[k] + ONE_PARTIAL**2), 1.0, 0.0, 0.0
    free = len(ok) >= STRETCHABLE
    told = join(q[ok], relative[ok], variance[ok], faint[ok], fades[ok], free, PRIOR if free else FIRM_PRIOR)
    return True, told[0], told[1], told[2], told[3], told[4], told[5]


@_within
def _slow(t, phase, weight, hz, frames, by_energy, agree):
    """How likely the glide is a slow one, one independent frame in so many: 0 to 1. Where the string's energy leads it,
    as far as partials `agree`, and leaves far less (`by_energy`), it is that."""
    gained = gains(ANY_TAU, t, phase, weight, hz)
    # one of the times tried is the likeliest of all, which may be far likelier than its neighbours
    times = ANY_TAU * (peak(ANY_TAU, gained) / ANY_TAU[np.argmax(gained)])
    if times[np.argmax(gained)] > SLOW_S / 2:
        gained = gains(times, t, phase, weight, hz)
    likely = np.exp((gained - gained.max()) / (2 * frames))
    share = np.minimum(np.maximum((times - SLOW_S) / (SLOWER_S - SLOW_S), 0.0), 1.0)
    slow = (likely * share).sum() / likely.sum()
    if agree > 0:
        left = slopes(t, phase, weight, hz, bend(t, 0.0))[0] - gained.max()
        odds = min(max((left - by_energy) / (2 * frames) - TENSION, -50.0), 50.0)
        slow *= 1 - agree / (1 + np.exp(-odds))
    return slow
