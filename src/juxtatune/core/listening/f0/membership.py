"""Partial membership: partials far off the common line, or that do not glide with the rest, are another source's.

A band's steady partials lie among a string's, and a glide that all share is led astray by them before any regression
can leave them out. Compiled; phases, weights and what is left of them are (P, M), times `t` (M,) in s.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.f0.glide_biexp import CENTS, left_over
from juxtatune.core.listening.f0.glide_two_times import shape

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
FAR = 5.0  # σ, from where a partial is another's
# what a string's own partials scatter by, where little and where much disturbs them, and the least 1σ that is theirs (cents)
SCATTERS = np.array([0.3, 1.0]) / CENTS
LEAST = 1.0 / CENTS
CAPPED = 3.5  # σ: further off says no more
PRIOR = 1e8  # of B, as the inverse of a variance
ROUNDS = 4, 8  # times weighed anew, on the line and about the common glide
NOT_AT_ALL = 1e-6


@_jit
def partial_membership(q, heard, course, trust):
    """Probability-like weight (P,), 0 to 1, that each partial is the string's own, given a fit in which they had weights
    `trust` (P,).

    `q` (P,) is d ln f_n / dB.
    """
    lines, count = course.lines, len(q)
    left = left_over(course.weight, lines.residual, heard.alive)
    relative, spread, noisy = np.empty(count), np.empty(count), np.empty(count)
    for j in range(count):
        full = 2 * np.pi * heard.hz[j]
        relative[j] = lines.slope[j] / full
        noisy[j] = max(left[j], 1.0) * heard.overlap / full**2
        spread[j] = lines.variance[j] * trust[j] * noisy[j]
    own = _on_the_line(q, relative, spread)
    if course.parts[0, 1] == 0:
        return own
    excess, strength = _own_glides(heard.t, course.weight, lines.residual, shape(heard.t, course.parts))
    for j in range(count):
        excess[j] /= 2 * np.pi * heard.hz[j]
        noisy[j] *= course.persistence**2 / strength[j]
    alike = _alike(excess, noisy, own)
    for j in range(count):
        own[j] = max(own[j] * alike[j], NOT_AT_ALL)
    return own


@_jit
def _trust(off, variance):
    """Tukey's biweight."""
    away = min(off**2 / (variance * FAR**2), 1.0)
    return max((1 - away) ** 2, NOT_AT_ALL)


@_jit
def _on_the_line(q, relative, variance):
    """Weights of partials (P,) by distance from the line on (1, q) that most lie on; begun with the likeliest of all lines
    through one or two of them (Fischler and Bolles 1981), since outliers mislead a fit to all."""
    count = len(q)
    likely, level, bend, scatter = -np.inf, 0.0, 0.0, 0.0
    for i in range(count):
        for j in range(i, count):
            turn = (relative[j] - relative[i]) / (q[j] - q[i]) if j > i else 0.0
            at = relative[i] - turn * q[i]
            for each in SCATTERS:
                chance = _chance(q, relative, at, turn, variance, each) - 0.5 * PRIOR * turn**2
                if chance > likely:
                    likely, level, bend, scatter = chance, at, turn, each
    for _ in range(ROUNDS[0]):
        a, b, c, u, v = 0.0, 0.0, PRIOR, 0.0, 0.0
        for k in range(count):
            each = variance[k] + scatter**2
            counts = _trust(relative[k] - level - bend * q[k], each) / each
            a += counts
            b += counts * q[k]
            c += counts * q[k] * q[k]
            u += counts * relative[k]
            v += counts * q[k] * relative[k]
        level, bend = (u * c - v * b) / (a * c - b * b), (a * v - b * u) / (a * c - b * b)
    out = np.empty(count)
    for k in range(count):
        out[k] = _trust(relative[k] - level - bend * q[k], variance[k] + max(scatter, LEAST) ** 2)
    return out


@_jit
def _chance(q, relative, level, bend, variance, scatter):
    """Log-likelihood of deviations (P,) from a line under a mixture with outliers."""
    total = 0.0
    for k in range(len(q)):
        each = variance[k] + scatter**2
        total -= 0.5 * (np.log(each) + min((relative[k] - level - bend * q[k]) ** 2 / each, CAPPED**2))
    return total


@_jit
def _own_glides(t, weight, residual, course):
    """Glide of each partial in excess of the common `course` (M,), and its 1σ."""
    excess, strength, frames = np.empty(len(weight)), np.empty(len(weight)), len(t)
    for j in range(len(weight)):
        w, total, mean, mid = weight[j], 0.0, 0.0, 0.0
        for i in range(frames):
            total += w[i]
            mean += w[i] * t[i]
            mid += w[i] * course[i]
        mean, mid = mean / total, mid / total
        along, across = 1e-30, 0.0
        for i in range(frames):
            along += w[i] * (t[i] - mean) ** 2
            across += w[i] * (t[i] - mean) * course[i]
        strength[j], further = 1e-30, 0.0
        for i in range(frames):
            bare = course[i] - mid - (t[i] - mean) * across / along
            strength[j] += w[i] * bare**2
            further += w[i] * bare * residual[j, i]
        excess[j] = further / strength[j]
    return excess, strength


@_jit
def _alike(excess, variance, own):
    """Weights of partials (P,) by how alike they glide to the string's `own` (P,)."""
    trust = own.copy()
    for _ in range(ROUNDS[1]):
        total = mean = 0.0
        for k in range(len(own)):
            counts = trust[k] / (variance[k] + LEAST**2)
            total += counts
            mean += counts * excess[k]
        for k in range(len(own)):
            trust[k] = _trust(excess[k] - mean / total, variance[k] + LEAST**2)
    return trust
