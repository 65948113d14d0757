"""Inner loops of listening, compiled: the partials of a fundamental among peaks, and how well they explain them.

They run dozens of times for every 20 ms of live sound, on arrays too small for numpy to pay.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_jit = nb.njit(cache=True, nogil=True)
COMMON_STRETCH, MOST_STRETCH = 3e-4, 1e-3  # largest inharmonicity coefficients B that are looked for, in turn
MOST_NUMBER = 60
_N = np.arange(MOST_NUMBER + 1.0)
ROOT = np.sqrt(_N)
SHARPER_COMMON, SHARPER_MOST = (np.sqrt(1 + b * _N * _N) - 1 for b in (COMMON_STRETCH, MOST_STRETCH))
TOP = 10  # partials whose absence counts
STIFFER = 0.02  # by which a stiff string must score better than a common one
BEST = 24  # tones kept
TRACE = 100.0  # in power
MISSING = 0.55  # penalty for partials that should be there and are not
# a partial so much stronger (in power) has ripples beside it, in parts of f1
SKIRT, SKIRT_REACH = 30.0, 0.2


@_jit
def match(hz, weight, resolution, f1, stretch, stiffest, most, number):
    """Writes each peak's partial number, to `most`, into `number` (0: none); a partial takes its heaviest peak."""
    owner = np.full(MOST_NUMBER + 1, -1, np.int64)
    number[:] = 0
    sharper = SHARPER_COMMON if stiffest == COMMON_STRETCH else SHARPER_MOST
    share = 1.0 if stretch == 0.0 else 0.3
    for k in range(len(hz)):
        n = hz[k] / f1
        if stretch > 0.0:
            n /= np.sqrt((1 + stretch * n * n) / (1 + stretch))
        n = max(1, int(round(n)))
        if n > most:
            break
        partial = n * f1
        if stretch > 0.0:
            partial *= np.sqrt((1 + stretch * n * n) / (1 + stretch))
        off = hz[k] - partial
        slack = min(0.35 * resolution + 0.006 * f1 * ROOT[n], 0.2 * f1)
        sharp = n * f1 * sharper[n] * share
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
def score(hz, weight, power, resolution, f1, number):
    """Refines f1 on the peaks and scores it. Returns (score, f1, B); `number` holds the match.

    A string of common stiffness first: where any is allowed, stray peaks are taken for partials.
    """
    value, refined, stretch = _score(hz, weight, power, resolution, f1, COMMON_STRETCH, number)
    stiff = np.zeros(len(hz), np.int64)
    other, refined_stiff, stretch_stiff = _score(hz, weight, power, resolution, f1, MOST_STRETCH, stiff)
    if other > value + STIFFER:
        number[:] = stiff
        return other, refined_stiff, stretch_stiff
    return value, refined, stretch


@_jit
def _score(hz, weight, power, resolution, f1, stiffest, number):
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
        if number[k] > 0 or not _in_skirt(hz, power, number, k, SKIRT_REACH * f1):
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
def _in_skirt(hz, power, number, k, reach):
    """Whether a peak is a ripple of a much stronger partial near it, as a pick or distortion makes."""
    for step in (-1, 1):
        j = k + step
        while 0 <= j < len(hz) and abs(hz[j] - hz[k]) < reach:
            if number[j] > 0 and power[j] > SKIRT * power[k]:
                return True
            j += step
    return False


@_jit
def best_tones(hz, weight, power, resolution, proposals):
    """Scores every proposal and keeps the best that differ. Returns (f1, B, score, partial numbers (k, peaks)).

    Each is moved up to the octave, twelfth or double octave that carries all but a trace of its power: a lower string
    that rings along lends a strong tone the partials between; no picked string lacks them so.
    """
    scores, refined, bends = np.empty(len(proposals)), np.empty(len(proposals)), np.empty(len(proposals))
    matched = np.zeros((len(proposals), len(hz)), np.int64)
    for k in range(len(proposals)):
        scores[k], refined[k], bends[k] = score(hz, weight, power, resolution, proposals[k], matched[k])
    count = kept = 0
    found, place = np.empty(BEST), np.empty(BEST)
    f1, stretch, value = np.empty(BEST), np.empty(BEST), np.empty(BEST)
    numbers = np.zeros((BEST, len(hz)), np.int64)
    for k in np.argsort(-scores, kind="mergesort")[:BEST]:
        if _known(found, count, refined[k], 0.003 * refined[k]):
            continue
        number = matched[k]
        if not number.any():
            continue
        this, up, bend = _raised(hz, weight, power, resolution, (scores[k], refined[k], bends[k]), number)
        found[count] = refined[k]
        count += 1
        where = np.round(120 * np.log2(up))
        row = 0
        while row < kept and place[row] != where:
            row += 1
        if row == kept or value[row] < this:
            f1[row], stretch[row], value[row], place[row] = up, bend, this, where
            numbers[row] = number
            kept = max(kept, row + 1)
    return f1[:kept], stretch[:kept], value[:kept], numbers[:kept]


@_jit
def _known(known, count, x, width):
    for k in range(count):
        if abs(known[k] - x) < width:
            return True
    return False


@_jit
def _raised(hz, weight, power, resolution, tone, number):
    """A tone (score, f1, B), or its multiple, when partials that are none of it are but a trace."""
    value, f1, stretch = tone
    other = np.zeros(len(hz), np.int64)
    for m in (4, 3, 2):
        on = off = 0.0
        for k in range(len(hz)):
            if number[k] > 0:
                if number[k] % m == 0:
                    on += power[k]
                else:
                    off += power[k]
        if on > 0 and on >= TRACE * off:
            up, f1_up, stretch_up = score(hz, weight, power, resolution, m * f1, other)
            if other.any():
                number[:] = other
                return max(up, value), f1_up, stretch_up
    return value, f1, stretch
