"""Inner loops of listening, compiled: scoring a fundamental against peaks, and the robust regression.

They run dozens of times for every 20 ms of live sound, on arrays too small for numpy to pay.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_jit = nb.njit(cache=True, nogil=True)
COMMON_STRETCH, MOST_STRETCH = 3e-4, 1e-3  # largest inharmonicity coefficients B that are looked for, in turn
MOST_NUMBER = 60
TOP = 10  # partials whose absence counts
STIFFER = 0.02  # by which a stiff string must score better than a common one
MISSING = 0.55  # penalty for partials that should be there and are not


@_jit
def match(hz, weight, resolution, f1, stretch, stiffest, most, number):
    """Writes each peak's partial number, to `most`, into `number` (0: none); a partial takes its heaviest peak."""
    owner = np.full(MOST_NUMBER + 1, -1, np.int64)
    for k in range(len(hz)):
        number[k] = 0
        ratio = hz[k] / f1
        n = max(1, int(round(ratio / np.sqrt((1 + stretch * ratio * ratio) / (1 + stretch)))))
        if n > most:
            continue
        off = hz[k] - n * f1 * np.sqrt((1 + stretch * n * n) / (1 + stretch))
        sharp = n * f1 * (np.sqrt(1 + stiffest * n * n) - 1) * (1.0 if stretch == 0.0 else 0.3)
        slack = min(0.35 * resolution + 0.006 * f1 * np.sqrt(n), 0.2 * f1)
        if -slack < off < slack + min(sharp, 0.25 * f1) and (owner[n] < 0 or weight[k] > weight[owner[n]]):
            if owner[n] >= 0:
                number[owner[n]] = 0
            owner[n] = k
            number[k] = n


@_jit
def refine(hz, weight, number, f1, stiffest):
    """Weighted least squares of (f_n / n)² = f0² (1 + B n²), linear in f0² and f0² B. Returns (f1, B)."""
    s0 = s1 = s2 = y0 = y1 = 0.0
    count = 0
    for k in range(len(hz)):
        n = number[k]
        if n == 0:
            continue
        w = (weight[k] * n) ** 2
        y = (hz[k] / n) ** 2
        m = float(n * n)
        s0 += w
        s1 += w * m
        s2 += w * m * m
        y0 += w * y
        y1 += w * m * y
        count += 1
    if count == 0 or s0 <= 0:
        return f1, 0.0
    det = s0 * s2 - s1 * s1
    if count >= 3 and det > 1e-12 * s0 * s2:
        p = (y0 * s2 - y1 * s1) / det
        q = (s0 * y1 - s1 * y0) / det
        if p > 0 and 0 <= q <= stiffest * p:
            return np.sqrt(p + q), q / p
    return np.sqrt(y0 / s0), 0.0


@_jit
def score(hz, weight, resolution, f1, number):
    """Refines f1 on the peaks and scores it. Returns (score, f1, B); `number` holds the match.

    A string of common stiffness first: where any is allowed, stray peaks are taken for partials.
    """
    value, refined, stretch = _score(hz, weight, resolution, f1, COMMON_STRETCH, number)
    stiff = np.zeros(len(hz), np.int64)
    other, refined_stiff, stretch_stiff = _score(hz, weight, resolution, f1, MOST_STRETCH, stiff)
    if other > value + STIFFER:
        number[:] = stiff
        return other, refined_stiff, stretch_stiff
    return value, refined, stretch


@_jit
def _score(hz, weight, resolution, f1, stiffest, number):
    stretch = 0.0
    # low partials first: a stiff string's 25th lies where an unstretched 27th would
    for most in (7, 14, 30, MOST_NUMBER):
        match(hz, weight, resolution, f1, stretch, stiffest, most, number)
        f1, stretch = refine(hz, weight, number, f1, stiffest)
    match(hz, weight, resolution, f1, stretch, stiffest, MOST_NUMBER, number)
    present = np.zeros(MOST_NUMBER + 4)
    total = explained = 0.0
    top = 0
    for k in range(len(hz)):
        total += weight[k]
        if number[k] > 0:
            explained += weight[k]
            present[number[k]] = max(weight[k], 1e-9)
            top = max(top, number[k])
    if top == 0 or total <= 0:
        return -1.0, f1, stretch
    expected = missing = 0.0
    for n in range(1, min(top, TOP) + 1):
        around = 0.0
        for m in range(max(1, n - 2), n + 3):
            around = max(around, present[m])
        expected += around
        if present[n] == 0:
            missing += around
    lack = missing / expected if expected > 0 else 1.0
    return explained / total - MISSING * lack, f1, stretch


@_jit
def score_all(hz, weight, resolution, proposals, scores, refined):
    """Scores every proposal."""
    number = np.zeros(len(hz), np.int64)
    for k in range(len(proposals)):
        scores[k], refined[k], _ = score(hz, weight, resolution, proposals[k], number)


@_jit
def join(q, relative, variance, free, prior):
    """Robust regression of deviations on (1, q) with scatter beyond their variance.

    Tukey's biweight; the extra variance grows until the scatter is explained. Returns (level, bend, σ of level).
    """
    count = len(q)
    trust = np.ones(count)
    left = np.zeros(count)
    least = variance.min()
    extra = 0.0
    level = bend = spread = 0.0
    for _ in range(12):
        a = b = c = u = v = 0.0
        for k in range(count):
            w = trust[k] / (variance[k] + extra)
            a += w
            b += w * q[k]
            c += w * q[k] * q[k]
            u += w * relative[k]
            v += w * q[k] * relative[k]
        c += prior
        det = a * c - b * b
        level, bend = (u * c - v * b) / det, (a * v - b * u) / det
        spread = np.sqrt(c / det)
        for k in range(count):
            left[k] = relative[k] - level - bend * q[k]
        scale = max(1.0, np.median(np.abs(left) / np.sqrt(variance + extra)) / 0.6745)
        chi = 0.0
        for k in range(count):
            away = abs(left[k]) / (np.sqrt(variance[k] + extra) * scale) / 3.5
            trust[k] = (1 - away * away) ** 2 if away < 1 else 1e-4
            chi += trust[k] * left[k] ** 2 / (variance[k] + extra)
        chi /= max(count - (2 if free else 1), 1)
        if chi > 1.05:
            extra = (chi - 1) * least if extra == 0 else extra * chi
    return level, bend, spread
