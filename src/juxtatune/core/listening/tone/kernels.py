"""Compiled kernels of the two-way mismatch: the partials of a candidate f0 among peaks, and their score.

They run dozens of times for every 20 ms of live sound, on arrays too small for numpy to pay.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from juxtatune.core.listening.dsp.peaks import HIGHER
from juxtatune.core.listening.dsp.statistics import copy, order, rising

_jit = nb.njit(cache=True, nogil=True, error_model="numpy")
COMMON_INHARMONICITY, MOST_INHARMONICITY = 3e-4, 1e-3  # largest inharmonicity coefficients B that are looked for, in turn
# partials matched first, and then: a stiff string's 25th lies where an unstretched 27th would
LOW, MORE, MOST_NUMBER = np.int64(7), (14, 30, 60), 60
UNSURE = 0.2  # of the resolution, by which a peak may lie off its partial
KNOWN_SHARE, KNOWN_REACH = 0.1, 0.08  # how far sharp (of the greatest inharmonicity, of f1) once some tell of it
TOP = 10  # partials whose absence counts
STIFFER = 0.02  # by which a stiff string must score better than a common one
HOPELESS = 0.3  # what scores so much less than the best is not looked at as another string
BEST = 24  # tones kept
TRACE, LITTLE = 100.0, 10.0  # in power
HIGHEST_RAISE = 8  # times the pitch
OUT_OF_TUNE = 0.003  # of a pitch: five cents
MISSING = 0.55  # penalty for partials that should be there and are not
# a partial so much stronger (in power) has ripples beside it, in parts of f1
SKIRT, SKIRT_REACH = 30.0, 0.2


@_jit
def match(hz, weight, resolution, tone, stiffest, most, number):
    """Writes each peak's partial number, to `most`, into `number` (0: none); a partial takes its heaviest peak.

    `tone` is (f1, B). Returns whether all peaks were looked at, and none was beyond `most`.
    """
    f1, inharmonicity = tone
    highest = (most + 1) * f1 * np.sqrt((1 + inharmonicity * (most + 1) ** 2) / (1 + inharmonicity))
    nearest = np.empty(np.searchsorted(hz, highest))
    known = most > MORE[0]
    share = KNOWN_SHARE if known else 1.0 if inharmonicity == 0.0 else 0.3
    room = share, (KNOWN_REACH if known else 0.25) * f1
    _nearest(hz, resolution, tone, stiffest, room, nearest)
    number[:] = 0
    last, owner = 0, -1
    for k in range(len(nearest)):
        n = int(nearest[k])
        if abs(n) > most:
            return False
        if n > 0 and (n != last or weight[k] > weight[owner]):
            if n == last:
                number[owner] = 0
            last, owner = n, k
            number[k] = n
    return len(nearest) == len(hz)


@_jit
def _nearest(hz, resolution, tone, stiffest, room, nearest):
    """The number of the partial next to each peak, below 0 where it does not lie upon it; no branches, so that the
    processor takes several at once. `room`: what share of the greatest inharmonicity it may be sharp by, and how many Hz."""
    f1, inharmonicity = tone
    half, reach, widest = 0.35 * resolution, 0.006 * f1, 0.2 * f1
    share, sharpest = room
    per_f1, p, q = 1 / f1, 1 / (1 + inharmonicity), inharmonicity / (1 + inharmonicity)
    for k in range(len(nearest)):
        n = hz[k] * per_f1
        n = max(1.0, np.rint(n / np.sqrt(p + q * n * n)))
        off = hz[k] - n * f1 * np.sqrt(p + q * n * n)
        slack = min(half + reach * np.sqrt(n), widest)
        sharp = min(n * f1 * (np.sqrt(1 + stiffest * n * n) - 1) * share, sharpest)
        nearest[k] = n if (off > -slack) & (off < slack + sharp) else -n


@_jit
def refine(hz, weight, number, f1, stiffest, unsure):
    """Weighted least squares of (f_n / n)² = f0² (1 + B n²), linear in f0² and f0² B. Returns (f1, B).

    `unsure` (Hz): how far a peak may lie off its partial, so that a few low ones say little against a B that is usual.
    """
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
    if stiffest == 0.0:
        return np.sqrt(y0 / s0), 0.0
    s2 += 4 * unsure**2 / (y0 / s0) / (0.5 * stiffest) ** 2
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
    common = begin(hz, weight, resolution, f1, COMMON_INHARMONICITY, number)
    usual = _score(hz, weight, power, resolution, common, COMMON_INHARMONICITY, number)
    return _go_on(hz, weight, power, resolution, usual, common[0], number)


@_jit
def begin(hz, weight, resolution, f1, stiffest, number):
    """(f1, B) by the low partials alone."""
    match(hz, weight, resolution, (f1, 0.0), stiffest, LOW, number)
    return refine(hz, weight, number, f1, stiffest, UNSURE * resolution)


@_jit
def _go_on(hz, weight, power, resolution, usual, begun, number):
    """The better of a tone (score, f1, B) of common inharmonicity and a stiffer or a perfectly harmonic one, as distortion
    makes. `begun` (Hz): f1 by the low partials."""
    value, refined, inharmonicity = usual
    least, other = value + STIFFER, np.zeros(len(hz), np.int64)
    most = begin(hz, weight, resolution, begun, MOST_INHARMONICITY, other)
    stiff = _score(hz, weight, power, resolution, most, MOST_INHARMONICITY, other)
    if stiff[0] > least:
        copy(other, number)
        value, refined, inharmonicity = stiff
        least = value
    flat = begin(hz, weight, resolution, begun, 0.0, other)
    harmonic = _score(hz, weight, power, resolution, flat, 0.0, other)
    if harmonic[0] > least:
        copy(other, number)
        return harmonic
    return value, refined, inharmonicity


@_jit
def _settle(hz, weight, resolution, tone, stiffest, number):
    """Matches and refines in turn, up to higher and higher partials. Returns (f1, B)."""
    before = np.zeros(len(hz), np.int64)
    for most in MORE:
        whole = match(hz, weight, resolution, tone, stiffest, most, number)
        f1, inharmonicity = refine(hz, weight, number, tone[0], stiffest, 0.0)
        tone = f1, inharmonicity
        if whole and _equal(number, before):
            return tone  # nothing would move any more
        copy(number, before)
    match(hz, weight, resolution, tone, stiffest, np.int64(MOST_NUMBER), number)
    return tone


@_jit
def _equal(a, b):
    for k in range(len(a)):
        if a[k] != b[k]:
            return False
    return True


@_jit
def _score(hz, weight, power, resolution, tone, stiffest, number):
    f1, inharmonicity = _settle(hz, weight, resolution, tone, stiffest, number)
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
        return -1.0, f1, inharmonicity
    expected = missing = 0.0
    for n in range(1, min(top, TOP) + 1):
        around = 0.0
        for m in range(max(1, n - 2), n + 3):
            around = max(around, present[m])
        expected += around
        if present[n] == 0:
            missing += around
    lack = missing / expected if expected > 0 else 1.0
    return explained / total - MISSING * lack, f1, inharmonicity


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
def proposed(hz, weight, strongest, numbers, lowest, highest):
    """Fundamentals (Hz, rising) that the strongest peaks propose, the low ones rather, as the first so many partials each."""
    rank = np.empty(len(hz))
    for k in range(len(hz)):
        rank[k] = HIGHER * np.log2(hz[k]) - weight[k]
    peaks = order(rank)[:strongest]
    out, count = np.empty(len(peaks) * numbers), 0
    for k in peaks:
        for n in range(1, numbers + 1):
            if lowest < hz[k] / n < highest:
                out[count] = hz[k] / n
                count += 1
    return rising(out[:count])


@_jit
def best_tones(hz, weight, power, resolution, proposals):
    """Scores every proposal and keeps the best that differ. Returns (f1, B, score, power, partial numbers (k, peaks)).

    Each is moved up to the octave, twelfth or double octave that carries all but a trace of its power: a lower string
    that rings along lends a strong tone the partials between; no picked string lacks them so.
    """
    scores, refined, bends, matched = _scored(hz, weight, power, resolution, proposals)
    count, kept = np.int64(0), 0
    found, place = np.empty(BEST), np.empty(BEST)
    f1, inharmonicity, value, carried = np.empty(BEST), np.empty(BEST), np.empty(BEST), np.empty(BEST)
    numbers = np.zeros((BEST, len(hz)), np.int64)
    falling = np.empty(len(scores))
    for k in range(len(scores)):
        falling[k] = -scores[k]
    for k in order(falling)[:BEST]:
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
            f1[row], inharmonicity[row], value[row], place[row] = up, bend, this, where
            copy(number, numbers[row])
            carried[row] = 0.0
            for j in range(len(hz)):
                carried[row] += power[j] if number[j] > 0 else 0.0
            kept = max(kept, row + 1)
    return f1[:kept], inharmonicity[:kept], value[:kept], carried[:kept], numbers[:kept]


@_jit
def _scored(hz, weight, power, resolution, proposals):
    """The score, f1, B and partial numbers (K, peaks) of every proposal."""
    scores, refined, bends = np.empty(len(proposals)), np.empty(len(proposals)), np.empty(len(proposals))
    matched = np.zeros((len(proposals), len(hz)), np.int64)
    begun, first = np.empty((len(proposals), 2)), np.empty(len(proposals), np.int64)
    for k in range(len(proposals)):
        common = begin(hz, weight, resolution, proposals[k], COMMON_INHARMONICITY, matched[k])
        begun[k, 0], begun[k, 1] = common
        first[k] = _same_row(begun, k)
        if first[k] == k:
            scores[k], refined[k], bends[k] = _score(
                hz, weight, power, resolution, common, COMMON_INHARMONICITY, matched[k]
            )
        else:  # what begins alike ends alike
            scores[k] = scores[first[k]]
    best = -np.inf
    for k in range(len(proposals)):
        best = max(best, scores[k])
    for k in range(len(proposals)):
        if first[k] == k and scores[k] > best - HOPELESS:
            usual = scores[k], refined[k], bends[k]
            scores[k], refined[k], bends[k] = _go_on(
                hz, weight, power, resolution, usual, begun[k, 0], matched[k]
            )
        elif first[k] < k:
            scores[k], refined[k], bends[k] = scores[first[k]], refined[first[k]], bends[first[k]]
            copy(matched[first[k]], matched[k])
    return scores, refined, bends, matched


@_jit
def _same_row(rows, k):
    """The first row that equals row k, which may be itself."""
    for j in range(k):
        if rows[j, 0] == rows[k, 0] and rows[j, 1] == rows[k, 1]:
            return j
    return k


@_jit
def _known(known, count, x, width):
    for k in range(count):
        if abs(known[k] - x) < width:
            return True
    return False


@_jit
def _raised(hz, weight, power, resolution, tone, number):
    """A tone (score, f1, B), or its multiple, when the partials between carry only a trace, or little and out of tune."""
    value, f1, inharmonicity = tone
    carried, out_of_tune = np.zeros(MOST_NUMBER + 1), np.zeros(MOST_NUMBER + 1)
    highest = _by_number(hz, power, number, f1, inharmonicity, carried, out_of_tune)
    for m in range(min(HIGHEST_RAISE, highest), 1, -1):
        on = off = sharp = flat = 0.0
        multiple = m
        for n in range(1, highest + 1):
            if n == multiple:
                on += carried[n]
                sharp += out_of_tune[n]
                multiple += m
            else:
                off += carried[n]
                flat += out_of_tune[n]
        apart = abs(sharp / on - flat / off) if on > 0 and off > 0 else 0.0
        trace = TRACE if m <= 4 else np.inf
        if on > 0 and on >= (LITTLE if apart > OUT_OF_TUNE else trace) * off:
            other = np.zeros(len(hz), np.int64)
            up, f1_up, stretch_up = score(hz, weight, power, resolution, m * f1, other)
            if other.any():
                copy(other, number)
                return max(up, value), f1_up, stretch_up
    return value, f1, inharmonicity


@_jit
def _by_number(hz, power, number, f1, inharmonicity, carried, out_of_tune):
    """Writes what each partial carries, and that times how far it lies off the tone's (in parts of it). Returns the
    highest number."""
    highest = 0
    for k in range(len(hz)):
        n = number[k]
        if n > 0:
            away = hz[k] / (n * f1 * np.sqrt((1 + inharmonicity * n * n) / (1 + inharmonicity))) - 1
            carried[n], out_of_tune[n] = power[k], power[k] * away
            highest = max(highest, n)
    return highest
