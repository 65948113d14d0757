"""Inner loops of listening, compiled: scoring a fundamental against peaks, and the robust regression.

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
FAR = 3.5  # in σ: what is further off counts for nothing
LOOSE = 5e-5  # scatter of partials, about a tenth of a cent
DISAGREE = 1.5e-4  # the same of a real guitar's partials, a quarter of a cent
FEW_CENTS, SOME_CENTS = 1e-3, 3e-3  # by which the loud ones may lie off the rest, and one answer off another
LOUDER = 0.7  # power of a partial's loudness by which it then counts more
REAL_UNSURE = 0.7  # by which the pitch is less sure than they say, since it is theirs only on the whole
MUCH_WORSE = 3.0  # times, by which partials scatter more than those of them that agree
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


@_jit
def join(q, relative, variance, faint, fading, free, prior):
    """Robust regression of deviations on (1, q) with scatter beyond their variance: (level, bend, σ of each, how far
    their scatter is their own).

    What disturbs the partials moves all of them alike, as beating does, or each the more the fainter it is (`faint`, at
    least 1), as what sounds beside them does: both count by how likely they are (Bayesian model averaging). Partials
    that disagree by more are a real guitar's: the louder, the more they count. Those that are `fading` count that many
    times less.
    """
    every = np.ones(len(q))
    variance, faint = variance * fading, faint * fading
    alike, trusted = _joined(q, relative, variance, fading, free, prior, FAR, every)
    apart = _begun_twice(q, relative, variance, faint, free, prior, trusted)
    # the more the partials disagree, the less is either quite true of them
    disturbed = _mixed(_chance((apart[4] - alike[4]) / (1 + alike[5] / LOOSE)), apart, alike)
    # none is left out: which it would be is chance where all disagree
    loud, _ = _joined(q, relative, variance, (faint / fading) ** LOUDER * fading, free, prior, np.inf, every)
    # they disagree by a cent or two: what is further off is no partial of this string
    near = _near(loud, disturbed, FEW_CENTS)
    disagree = _disagree(alike[5])
    real = near * disagree
    level, bend, spread, turn = _mixed(real, loud, disturbed)
    # where what one or two partials say is another's, the rest agree by far better than all do
    own = disagree / (1 + (loud[5] / (MUCH_WORSE * alike[5] + 1e-12)) ** 4)
    return level, bend, max(spread, disturbed[2]) * (1 + REAL_UNSURE * real), turn, own


@_jit
def _begun_twice(q, relative, variance, faint, free, prior, trusted):
    """The regression begun with all partials and with those `trusted`: where it ends is chance, so both ends count."""
    one, _ = _joined(q, relative, variance, faint, free, prior, FAR, np.ones(len(q)))
    other, _ = _joined(q, relative, variance, faint, free, prior, FAR, trusted)
    p = _near(other, one, SOME_CENTS) * _chance(other[4] - one[4])
    level, bend, spread, turn = _mixed(p, other, one)
    return level, bend, spread, turn, one[4] + p * (other[4] - one[4]), one[5]


@_jit
def _chance(log_odds):
    return 1 / (1 + np.exp(-min(max(log_odds, -50.0), 50.0)))


@_jit
def agree(q, relative, variance, free, prior):
    """The plain robust regression, for partials among which another string's may be: (level, bend, σ of level)."""
    every = np.ones(len(q))
    alike, _ = _joined(q, relative, variance, every, free, prior, FAR, every)
    return alike[0], alike[1], alike[2] * (1 + REAL_UNSURE * _disagree(alike[5]))


@_jit
def _near(one, other, width):
    """How far two readings are of one string: 0 to 1."""
    return 1 / (1 + ((one[0] - other[0]) / width) ** 4)


@_jit
def _disagree(scatter):
    """How far a scatter of partials is a real guitar's: 0 to 1."""
    return scatter**2 / (scatter**2 + DISAGREE**2)


@_jit
def _mixed(p, one, other):
    """The mean of two readings (level, bend, their spreads), the first of which is true with probability p."""
    level, bend = p * one[0] + (1 - p) * other[0], p * one[1] + (1 - p) * other[1]
    spread = np.sqrt(p * one[2] ** 2 + (1 - p) * other[2] ** 2 + p * (1 - p) * (one[0] - other[0]) ** 2)
    return level, bend, spread, p * one[3] + (1 - p) * other[3]


@_jit
def _joined(q, relative, variance, faint, free, prior, far, trusted):
    """Tukey's biweight, for which nothing counts from `far` σ on; the extra variance grows until the scatter is explained.

    Begins with the partials `trusted` (k,). Returns (level, bend, σ of each, log-likelihood, scatter) and the trust.
    """
    count = len(q)
    trust = trusted.copy()
    left = np.zeros(count)
    least = variance.min()
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
        scale = max(1.0, np.median(np.abs(left) / np.sqrt(variance + extra * faint)) / 0.6745)
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
    return (level, bend, spread, turn, likely, np.sqrt(extra)), trust


@_jit
def gains(times, t, phase, weight, hz):
    """What a glide of each time (s) takes off the weighted squares of the phases (M, P) about a line each."""
    out = np.empty(len(times))
    along = np.empty(phase.shape)
    total, mean, spread = _moments(t, weight)
    for j in range(len(hz)):
        level = (weight[:, j] * phase[:, j]).sum() / total[j]
        tilt = 0.0
        for i in range(len(t)):
            tilt += weight[i, j] * (t[i] - mean[j]) * phase[i, j]
        for i in range(len(t)):
            away = t[i] - mean[j]
            along[i, j] = weight[i, j] * (phase[i, j] - level - tilt / spread[j] * away)
    for k in range(len(times)):
        tau = times[k]
        shape = tau * (1 - np.exp(-t / tau))
        gain = strength = 0.0
        for j in range(len(hz)):
            level = tilt = square = reach = 0.0
            for i in range(len(t)):
                bent = weight[i, j] * shape[i]
                level += bent
                tilt += bent * (t[i] - mean[j])
                square += bent * shape[i]
                reach += along[i, j] * shape[i]
            gain += hz[j] * reach
            strength += hz[j] ** 2 * (square - level**2 / total[j] - tilt**2 / spread[j])
        out[k] = gain**2 / max(strength, 1e-30)
    return out


@_jit
def _moments(t, weight):
    """Sum of the weights (M, P) of each partial, its mean time and its spread about it."""
    count = weight.shape[1]
    total, mean, spread = np.zeros(count), np.zeros(count), np.full(count, 1e-12)
    for i in range(len(t)):
        for j in range(count):
            total[j] += weight[i, j]
            mean[j] += weight[i, j] * t[i]
    mean /= total
    for i in range(len(t)):
        for j in range(count):
            spread[j] += weight[i, j] * (t[i] - mean[j]) ** 2
    return total, mean, spread


@_jit
def slopes(t, phase, weight, hz, tau):
    """A line through each partial's phases (M, P), with one glide of time `tau` (s) for all; 0 for none.

    Returns (cost, slope (P,), its variance (P,), glide, offset (P,), residual (M, P), 1σ that an error of the glide
    adds to all slopes alike, relative).
    """
    count = len(hz)
    total, mean, spread = _moments(t, weight)
    level, slope = np.zeros(count), np.zeros(count)
    high, along = np.zeros(count), np.zeros(count)
    shape = tau * (1 - np.exp(-t / max(tau, 1e-9)))
    for j in range(count):
        for i in range(len(t)):
            level[j] += weight[i, j] * phase[i, j]
            high[j] += weight[i, j] * shape[i]
        level[j] /= total[j]
        high[j] /= total[j]
        for i in range(len(t)):
            w = weight[i, j] * (t[i] - mean[j])
            slope[j] += w * (phase[i, j] - level[j])
            along[j] += w * (shape[i] - high[j])
        slope[j] /= spread[j]
        along[j] *= 2 * np.pi * hz[j] / spread[j]
    rest, bare = np.empty(phase.shape), np.empty(phase.shape)
    strength = reach = 0.0
    for i in range(len(t)):
        for j in range(count):
            away = t[i] - mean[j]
            rest[i, j] = phase[i, j] - level[j] - slope[j] * away
            bare[i, j] = 2 * np.pi * hz[j] * (shape[i] - high[j]) - along[j] * away
            strength += weight[i, j] * bare[i, j] ** 2
            reach += weight[i, j] * bare[i, j] * rest[i, j]
    glide = reach / strength if tau > 0 and strength > 0 else 0.0
    rest -= glide * bare
    slope -= glide * along
    shared = 0.0
    if tau > 0 and strength > 0:
        pull = (along * spread * hz).sum() / (spread * hz**2).sum()
        shared = abs(pull) / (2 * np.pi * np.sqrt(strength))
    offset = level - slope * mean - glide * 2 * np.pi * hz * high
    return (weight * rest**2).sum(), slope, 1 / spread, glide, offset, rest, shared
