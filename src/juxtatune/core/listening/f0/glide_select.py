"""Selects the glide model: one exponential, two exponentials, or one driven by the string's own energy.

Compiled, as what it calls, in parts that are led from one that is not: what a compiled function calls is compiled into it
once more, so that few should lie within each other (`_within`: only there). Phases, powers and weights are (P, M), times
`t` (M,) in s; a glide is rows (K, 2) of (size, relative; time, s), those of time 0 none.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.glide_biexp import (
    CENTS,
    ROUNDS,
    STILL,
    STRAY,
    TAUS,
    Lines,
    best_time_constant,
    moved_cents,
    persistence,
    reweighed,
    settled,
    slopes,
    unwrapped,
)
from juxtatune.core.listening.f0.glide_energy import fit_energy_glide, without_energy_glide
from juxtatune.core.listening.f0.glide_two_times import (
    best_pair,
    gauss_newton,
    glide_basis,
    levelled,
    shape,
    shared,
)

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
_within = nb.njit(inline="always", error_model="numpy")
EARNED = 8.0  # independent frames a glide must be worth: two parameters
STEEPER = 0.06  # relative, a semitone: as far no string glides, and what seems to is no string
TOGETHER, LEAST = 0.3, 0.05  # of what is left, a course that all partials share: then one time is not all
USUALLY = 3.0  # is left of a partial, in its noise, where it goes its own way
# time of a glide: up to here it is the attack's; from here on a tension's or a drift
SLOW_S, SLOWER_S = 0.3, 0.4
FASTEST = 0.04  # s: no string's energy is gone sooner
TWICE = 8.0  # as many independent frames another course must be worth
UNLIKELY = 0.02  # that another course is the right one
LEAST_FALL = 1e-4  # relative, a sixth of a cent: of less nothing more is asked
# what may be left where energy leads all partials: times their noise, or of what one time leaves. A real guitar's, which
# go their own ways, leave 1600 times and more, and 0.9
EXPLAINED, MOSTLY = 400.0, 0.5
QUIETEST = 1e-4  # of the noise that is heard
ANOTHER = 0.25  # of what is left by then, such a course: it falls otherwise
# by how much more than by any other's a partial is bent by its own energy: in a plane by half (Kirchhoff and Carrier's
# equation, averaged over a period; Legge and Fletcher 1984), whirling by less
OWN = (0.0, 0.5)
# of what a string's energy moves a reading by, and of what is left of its glide at the end: that is not sure
EXTRAPOLATED, UNHEARD = 0.3, 0.25
F = NDArray[np.floating]


class AudiblePartials(NamedTuple):
    """The audible partials of a pluck, heterodyned."""

    where: NDArray[np.int64]  # (P,) which of those asked for
    n: NDArray[np.int64]  # (P,) their numbers
    hz: F  # (P,) from where they were turned down
    noise: F  # (P,) power of noise alone
    power: F  # (P, M)
    alive: NDArray[np.bool_]  # (P, M) in which frames each is heard
    weight: F  # (P, M) of its phases
    angle: F  # (P, M) rad
    t: F  # (M,) since the first frame, s
    overlap: float  # frames to an independent one


class GlideFit(NamedTuple):
    """The selected glide model and its residuals."""

    lines: Lines
    parts: F  # (K, 2) of the glide
    phase: F  # (P, M) joined up, rad
    weight: F  # (P, M) that what is left asks for
    persistence: float  # how much 1σ grows because what is left persists
    # 1σ that the glide adds to all slopes alike, relative:
    bent: float  # by the noise of the phases
    doubt: float  # whatever that is
    unheard: float  # by what is not heard of it
    energy: bool  # the string's own leads it


def select_glide(heard: AudiblePartials, with_glide: bool) -> GlideFit:
    """The lines through all phases, with the glide model that the data support."""
    t, hz, alive, plain = heard.t, heard.hz, heard.alive, heard.weight
    lag = int(np.ceil(2 * heard.overlap))
    best, parts, phase, weight, frames = _once(heard.angle, t, plain, hz, alive, heard.overlap, with_glide)
    doubt, unheard, energy = 0.0, 0.0, False
    if parts[0, 1] > 0 and best.glide > LEAST_FALL:
        best, parts, weight, doubt, unheard, energy = _otherwise(
            t, phase, heard.power, plain, weight, hz, alive, best, parts, frames, lag
        )
    lasting, noise = persistence(best.residual, weight, lag), shared(t, weight, hz, parts)
    return GlideFit(best, parts, phase, weight, lasting, noise, doubt, unheard, energy)


@_jit
def _once(angle, t, weight, hz, alive, overlap, with_glide):
    """The fit with at most one exponential glide: lines, components, unwrapped phases, robust weights, and the count of
    independent frames."""
    phase, frames = unwrapped(angle, t, weight, hz, with_glide), max(_count(alive), 1) / overlap
    parts = np.zeros((2, 2))
    best = slopes(t, phase, weight, hz, glide_basis(t, 0.0))
    if not with_glide:
        return best, parts, phase, weight, frames
    tau = best_time_constant(TAUS.copy(), t, phase, weight, hz)
    if not _worth(slopes(t, phase, weight, hz, glide_basis(t, tau)).cost, best.cost, EARNED, frames):
        tau = 0.0
    plain = weight
    best, tau, weight = settled(t, phase, plain, hz, alive, tau)
    if abs(best.glide) > STEEPER:
        best, tau, weight = settled(t, phase, plain, hz, alive, 0.0)
    parts[0, 0], parts[0, 1] = best.glide, tau
    return best, parts, phase, weight, frames


@_within
def _worth(less, more, count, frames):
    """Whether a smaller residual (`less`) is significant for `count` independent frames."""
    return more / max(less, 1e-30) >= 1 + count / frames


@_jit
def _otherwise(t, phase, power, plain, weight, hz, alive, once, parts, frames, lag):
    """The fit with a two-exponential or energy-driven glide, mixed with that of `once` by likelihood: its components and
    weights; 1σ of all slopes (relative) from the model and from what lies beyond the data; and whether it is energy-driven."""
    fit, found, energy, own = _likeliest(t, phase, power, plain, weight, hz, alive, once, parts, frames)
    # frames `lag` apart that are bent one way say less
    free = frames / persistence(fit.residual, weight, lag) ** 2
    odds = min(max(((once.cost / max(fit.cost, 1e-30) - 1) * free - TWICE) / 2, -50.0), 50.0)
    likely = 1 / (1 + np.exp(-odds))
    plainly = UNHEARD * _left(t, parts, False)
    before = once, parts, weight, plainly
    if likely < UNLIKELY or not fit.cost < once.cost:
        moved = moved_cents(fit, once, hz, weight) / CENTS
        return once, parts, weight, likely * moved, plainly, False
    for _ in range(ROUNDS):
        weight = reweighed(fit.residual, plain, alive, STRAY)
        level, noise = levelled(t, phase, weight), max(fit.cost / frames, QUIETEST)
        again = fit_energy_glide(t, power, alive, level, hz, noise, own) if energy else gauss_newton(t, level, hz, found)
        if len(again) > 0 and again[0, 1] > 0:
            found = again
        last, fit = fit, _fit(t, phase, weight, hz, found, own)
        if moved_cents(fit, last, hz, weight) < STILL:
            break
    found = _of_size(found, fit.glide)
    moved = moved_cents(fit, once, hz, weight) / CENTS
    another = _common(fit.residual, weight, hz) > ANOTHER
    unheard, doubt = UNHEARD * _left(t, found, energy), 0.0
    if energy:
        share = max(EXTRAPOLATED, min(np.sqrt(fit.cost / once.cost), 1.0)) if another else EXTRAPOLATED
        unheard = np.hypot(unheard, share * moved)
    elif another:
        doubt = moved
    if likely < 1 - UNLIKELY:
        unsure = shared(t, before[2], hz, parts)
        return _of_both(before, (fit, found, weight, unheard), likely, moved, unsure, doubt, energy)
    return fit, found, weight, doubt, unheard, energy


@_within
def _of_both(once, other, likely, moved, unsure, doubt, energy):
    """The mixture of two glide models neither of which is far likelier."""
    a, a_parts, a_weight, a_unheard = once
    b, b_parts, b_weight, b_unheard = other
    rest = 1 - likely
    mixed = Lines(
        rest * a.cost + likely * b.cost, _mixed(a.slope, b.slope, likely), _mixed(a.variance, b.variance, likely),
        rest * a.glide + likely * b.glide, _mixed(a.offset, b.offset, likely),
        _mixed_rows(a.residual, b.residual, likely),
    )  # fmt: skip
    doubt = np.sqrt((likely * doubt) ** 2 + (rest * unsure) ** 2 + likely * rest * moved**2)
    return (
        mixed, _side_by_side(a_parts, b_parts, likely), _mixed_rows(a_weight, b_weight, likely), doubt,
        rest * a_unheard + likely * b_unheard, energy and likely > 0.5,
    )  # fmt: skip


# loops, not expressions of arrays nor assignments to slices: those take far longer to compile


@_jit
def _mixed(a, b, share):
    """Weighted mean of two rows (P,); `share` is the second's."""
    out = np.empty(len(a))
    for j in range(len(a)):
        out[j] = (1 - share) * a[j] + share * b[j]
    return out


@_jit
def _mixed_rows(a, b, share):
    """The same for arrays (P, M)."""
    out = np.empty(a.shape)
    for j in range(len(a)):
        for i in range(a.shape[1]):
            out[j, i] = (1 - share) * a[j, i] + share * b[j, i]
    return out


@_jit
def _side_by_side(one, other, share):
    """The components of two glide models together, each scaled by its share."""
    out = np.empty((1 + len(other), 2))
    out[0, 0], out[0, 1] = (1 - share) * one[0, 0], one[0, 1]
    for k in range(len(other)):
        out[k + 1, 0], out[k + 1, 1] = share * other[k, 0], other[k, 1]
    return out


@_jit
def _of_size(parts, glide):
    """The positive components of a glide, scaled to one total size."""
    count, size, out = 0, 0.0, np.empty(parts.shape)
    for k in range(len(parts)):
        if parts[k, 0] > 0:
            out[count, 0], out[count, 1] = parts[k, 0], parts[k, 1]
            size += parts[k, 0]
            count += 1
    for k in range(count):
        out[k, 0] *= glide / size
    return out[:count]


@_jit
def _count(alive):
    """Number of audible frames of all partials."""
    total = 0
    for j in range(len(alive)):
        for i in range(alive.shape[1]):
            total += alive[j, i]
    return total


@_jit
def _squares(weight, residual):
    """Weighted sum of squared residuals (P, M)."""
    total = 0.0
    for j in range(len(weight)):
        for i in range(weight.shape[1]):
            total += weight[j, i] * residual[j, i] ** 2
    return total


@_within
def _left(t, parts, energy):
    """Relative pitch change that a glide of these components makes after the last frame, if energy-driven or as slow."""
    left = 0.0
    for k in range(len(parts)):
        if parts[k, 1] > 0:
            share = 1.0 if energy else min(max((parts[k, 1] - SLOW_S) / (SLOWER_S - SLOW_S), 0.0), 1.0)
            left += share * parts[k, 0] * np.exp(-t[-1] / parts[k, 1])
    return left


@_within
def _likeliest(t, phase, power, plain, weight, hz, alive, once, parts, frames):
    """The best of one exponential (`once`, `parts`), two, and energy-driven: the fit, its components, whether it is
    energy-driven, and by how much more each partial is bent by its own energy."""
    level, noise = levelled(t, phase, weight), max(once.cost / frames, QUIETEST)
    fit, found, energy, itself = once, parts, False, 0.0
    count = _count(alive)
    left = _squares(plain, once.residual) / count
    # what noise leaves hides such a course, and what partials do each by itself is none
    if _common(once.residual, weight, hz) > max(TOGETHER * left / (left + USUALLY), LEAST):
        two = best_pair(t, level, hz)
        if two[0, 1] > 0:
            fit, found = slopes(t, phase, weight, hz, shape(t, two)), two
    for own in OWN:
        led_so = fit_energy_glide(t, power, alive, level, hz, noise, own) if parts[0, 1] > FASTEST else parts[:0]
        if len(led_so) > 0:
            by_own = _fit(t, phase, weight, hz, led_so, own)
            explained = _squares(plain, by_own.residual) < max(EXPLAINED, MOSTLY * left) * count
            if by_own.cost < fit.cost and explained:
                fit, found, energy, itself = by_own, led_so, True, own
    return fit, found, energy, itself


@_jit
def _fit(t, phase, weight, hz, parts, own):
    """The lines through all phases with a glide of these components, each partial bent by its own too."""
    return slopes(t, without_energy_glide(t, phase, parts, hz, own), weight, hz, shape(t, parts))


@_jit
def _common(residual, weight, hz):
    """How far (0 to 1) the residuals (P, M) are a course shared by all partials, beyond chance."""
    count = len(hz)
    if count < 2:
        return 0.0
    every = shares = 0.0
    for i in range(residual.shape[1]):
        along = strength = 0.0
        for j in range(len(hz)):
            w = weight[j, i]
            along += w * hz[j] * residual[j, i]
            strength += w * hz[j] ** 2
            every += w * residual[j, i] ** 2
        shares += along**2 / max(strength, 1e-30)
    return (count * shares / max(every, 1e-30) - 1) / (count - 1)
