"""Compiled kernels: robust regression of partial frequencies on (1, q), which gives f0 and inharmonicity.

They run dozens of times for every 20 ms of live sound, on arrays too small for numpy to pay.
"""

from __future__ import annotations

from typing import NamedTuple

import numba as nb
import numpy as np

from juxtatune.core.listening.dsp.statistics import median, mixture_sigma

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
_mixture_sigma = _jit(mixture_sigma)
FAR = 3.5  # in σ: what is further off counts for nothing
LOOSE = 5e-5  # scatter of partials, about a tenth of a cent
DISAGREE = 1.5e-4  # the same of a real guitar's partials, a quarter of a cent
FEW_CENTS, SOME_CENTS = 1e-3, 3e-3  # by which the loud ones may lie off the rest, and one answer off another
LOUDER = 0.7  # power of a partial's loudness by which it then counts more
REAL_UNSURE = 0.7  # by which the pitch is less sure than they say, since it is theirs only on the whole
MUCH_WORSE = 3.0  # times, by which partials scatter more than those of them that agree


class Line(NamedTuple):
    """Deviations as a line on (1, q), with 1σ of its level and slope."""

    level: float
    bend: float
    spread: float
    turn: float
    likely: float  # logarithm
    scatter: float  # beyond their variance


@_jit
def fit_line(q, relative, variance, faint, fading, free, prior):
    """Robust regression of deviations on (1, q) with excess scatter: (level, slope, σ of each, intrinsic scatter, excess
    scatter).

    What disturbs the partials moves all alike, as beating does, or the faint ones more (`faint`, at least 1), as noise does:
    both models count by likelihood (Bayesian model averaging). Larger scatter is a real string's inharmonic partials: the
    louder, the more they count. `fading` partials count that many times less.
    """
    every = np.ones(len(q))
    variance, faint = variance * fading, faint * fading
    alike, trusted = _joined(q, relative, variance, fading, free, prior, FAR, every)
    apart = _begun_twice(q, relative, variance, faint, free, prior, trusted)
    # the more the partials disagree, the less is either quite true of them
    disturbed = _mixed(_chance((apart.likely - alike.likely) / (1 + alike.scatter / LOOSE)), apart, alike)
    # none is left out: which it would be is chance where all disagree
    loud, _ = _joined(q, relative, variance, (faint / fading) ** LOUDER * fading, free, prior, np.inf, every)
    # they disagree by a cent or two: what is further off is no partial of this string
    near = _near(loud, disturbed, FEW_CENTS)
    disagree = _excess_scatter(alike.scatter)
    real = near * disagree
    mixed = _mixed(real, loud, disturbed)
    # where what one or two partials say is another's, the rest agree by far better than all do
    own = disagree / (1 + (loud.scatter / (MUCH_WORSE * alike.scatter + 1e-12)) ** 4)
    spread = max(mixed.spread, disturbed.spread) * (1 + REAL_UNSURE * real)
    return mixed.level, mixed.bend, spread, mixed.turn, own, disagree


@_jit
def _begun_twice(q, relative, variance, faint, free, prior, trusted):
    """The regression started from all partials and from those `trusted`; as the end may depend on the start, both count."""
    one, _ = _joined(q, relative, variance, faint, free, prior, FAR, np.ones(len(q)))
    other, _ = _joined(q, relative, variance, faint, free, prior, FAR, trusted)
    return _mixed(_near(other, one, SOME_CENTS) * _chance(other.likely - one.likely), other, one)


@_jit
def _chance(log_odds):
    return 1 / (1 + np.exp(-min(max(log_odds, -50.0), 50.0)))


@_jit
def agree(q, relative, variance, free, prior):
    """Robust regression without scatter models, for partials among which another string's may be: (level, slope, σ of level,
    excess scatter)."""
    every = np.ones(len(q))
    alike, _ = _joined(q, relative, variance, every, free, prior, FAR, every)
    spread = alike.spread * (1 + REAL_UNSURE * _excess_scatter(alike.scatter))
    return alike.level, alike.bend, spread, alike.scatter


@_jit
def _near(one, other, width):
    """How alike (0 to 1) two readings are."""
    return 1 / (1 + ((one.level - other.level) / width) ** 4)


@_jit
def _excess_scatter(scatter):
    """How far (0 to 1) a scatter is that of a real string's inharmonic partials."""
    return scatter**2 / (scatter**2 + DISAGREE**2)


@_jit
def _mixed(p, one, other):
    """Mixture of two readings, the first with probability p; the scatter is the second's."""
    level, bend = p * one.level + (1 - p) * other.level, p * one.bend + (1 - p) * other.bend
    spread = _mixture_sigma(p, other.spread, one.spread, one.level - other.level)
    likely = other.likely + p * (one.likely - other.likely)
    return Line(level, bend, spread, p * one.turn + (1 - p) * other.turn, likely, other.scatter)


@_jit
def _joined(q, relative, variance, faint, free, prior, far, trusted):
    """Regression with Tukey's biweight (zero weight from `far` σ on); the extra variance grows until the scatter is
    explained.

    Starts from the partials `trusted` (k,). Returns the line and the weights.
    """
    count = len(q)
    trust = trusted.copy()
    left, off, least = np.zeros(count), np.zeros(count), variance[0]
    for k in range(1, count):
        least = min(least, variance[k])
    extra = 0.0
    level = bend = spread = turn = 0.0
    for _ in range(12):
        a = b = c = u = v = 0.0
        for k in range(count):
            w = trust[k] / (variance[k] + extra * faint[k])
            a += w
            b += w * q[k]
            c += w * q[k] * q[k]
            u += w * relative[k]
            v += w * q[k] * relative[k]
        c += prior
        det = a * c - b * b
        level, bend = (u * c - v * b) / det, (a * v - b * u) / det
        spread, turn = np.sqrt(c / det), np.sqrt(a / det)
        for k in range(count):
            left[k] = relative[k] - level - bend * q[k]
            off[k] = abs(left[k]) / np.sqrt(variance[k] + extra * faint[k])
        scale = max(1.0, median(off) / 0.6745)
        chi = 0.0
        for k in range(count):
            away = abs(left[k]) / (np.sqrt(variance[k] + extra * faint[k]) * scale) / far
            trust[k] = (1 - away * away) ** 2 if away < 1 else 1e-4
            chi += trust[k] * left[k] ** 2 / (variance[k] + extra * faint[k])
        chi /= max(count - (2 if free else 1), 1)
        if chi > 1.05:
            extra = (chi - 1) * least if extra == 0 else extra * chi
    likely = 0.0
    for k in range(count):
        each = variance[k] + extra * faint[k]
        likely -= 0.5 * (np.log(each) + min(left[k] ** 2 / each, far**2))
    return Line(level, bend, spread, turn, likely, np.sqrt(extra)), trust


_jit = nb.njit(cache=True, nogil=True, error_model="numpy")


@_jit
def solve(square, right):
    """x (K,) of square @ x = right, by elimination with partial pivoting (Golub and Van Loan, from memory)."""
    a, x = square.copy(), right.copy()
    n = len(x)
    for k in range(n):
        best = k
        for r in range(k + 1, n):
            if abs(a[r, k]) > abs(a[best, k]):
                best = r
        if best != k:
            for c in range(k, n):
                a[k, c], a[best, c] = a[best, c], a[k, c]
            x[k], x[best] = x[best], x[k]
        for r in range(k + 1, n):
            factor = a[r, k] / a[k, k]
            for c in range(k + 1, n):
                a[r, c] -= factor * a[k, c]
            x[r] -= factor * x[k]
    for k in range(n - 1, -1, -1):
        for c in range(k + 1, n):
            x[k] -= a[k, c] * x[c]
        x[k] /= a[k, k]
    return x
