"""Which partials of a pluck are another's: they lie far off the line that most lie on, or do not glide as they do.

A band's steady partials lie among a string's, and a glide that all share is led astray by them before any regression
can leave them out. Compiled; phases, weights and what is left of them are (P, M), times `t` (M,) in s.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.glides import CENTS
from juxtatune.core.listening.twofold import shape

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
def belonging(q, heard, course, trust):
    """How far each partial (P,) is the string's own, 0 to 1, by a course in which they counted by so much `trust` (P,).

    `q` (P,) is what B moves them by.
    """
    t, alive, weight, residual = heard.t, heard.alive, course.weight, course.lines.residual
    left = (weight * residual**2).sum(axis=1) / np.maximum(alive.sum(axis=1) - 2, 1)
    noisy, full = np.maximum(left, 1.0) * heard.overlap, 2 * np.pi * heard.hz
    spread = course.lines.variance * trust * noisy / full**2
    own = _on_the_line(q, course.lines.slope / full, spread)
    if course.parts[0, 1] == 0:
        return own
    excess, strength = _own_glides(t, weight, residual, shape(t, course.parts))
    alike = _alike(excess / full, noisy * course.persistence**2 / (strength * full**2), own)
    return np.maximum(own * alike, NOT_AT_ALL)


@_jit
def _trust(off, variance):
    """Tukey's biweight."""
    away = np.minimum(off**2 / (variance * FAR**2), 1.0)
    return np.maximum((1 - away) ** 2, NOT_AT_ALL)


@_jit
def _on_the_line(q, relative, variance):
    """How far partials (P,) lie on the line of (1, q) that most lie on. Begun with the likeliest of all lines through two
    of them, or one (Fischler and Bolles 1981), since those that are far off lead one through all astray."""
    likely, level, bend, scatter = -np.inf, 0.0, 0.0, 0.0
    for i in range(len(q)):
        for j in range(i, len(q)):
            turn = (relative[j] - relative[i]) / (q[j] - q[i]) if j > i else 0.0
            at = relative[i] - turn * q[i]
            for each in SCATTERS:
                chance = _chance(relative - at - turn * q, variance + each**2) - 0.5 * PRIOR * turn**2
                if chance > likely:
                    likely, level, bend, scatter = chance, at, turn, each
    for _ in range(ROUNDS[0]):
        counts = _trust(relative - level - bend * q, variance + scatter**2) / (variance + scatter**2)
        a, b, c = counts.sum(), (counts * q).sum(), (counts * q * q).sum() + PRIOR
        u, v = (counts * relative).sum(), (counts * q * relative).sum()
        level, bend = (u * c - v * b) / (a * c - b * b), (a * v - b * u) / (a * c - b * b)
    return _trust(relative - level - bend * q, variance + max(scatter, LEAST) ** 2)


@_jit
def _chance(off, variance):
    """The logarithm of how likely partials lie so far off (P,), where some may be another's."""
    total = 0.0
    for k in range(len(off)):
        total -= 0.5 * (np.log(variance[k]) + min(off[k] ** 2 / variance[k], CAPPED**2))
    return total


@_jit
def _own_glides(t, weight, residual, course):
    """By how much more than the common `course` (M,) each partial glides, as it was fitted, and how well that is told."""
    excess, strength = np.empty(len(weight)), np.empty(len(weight))
    for j in range(len(weight)):
        w = weight[j]
        total = w.sum()
        away = t - (w * t).sum() / total
        bare = course - (w * course).sum() / total
        bare -= away * (w * away * course).sum() / ((w * away**2).sum() + 1e-30)
        strength[j] = (w * bare**2).sum() + 1e-30
        excess[j] = (w * bare * residual[j]).sum() / strength[j]
    return excess, strength


@_jit
def _alike(excess, variance, own):
    """How far partials (P,) glide as those do that are the string's `own` (P,)."""
    variance = variance + LEAST**2
    trust = own
    for _ in range(ROUNDS[1]):
        counts = trust / variance
        trust = _trust(excess - (counts * excess).sum() / counts.sum(), variance)
    return trust
