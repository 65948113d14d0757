"""All strings at once: each string's pitch from a strum, as far as its partials can be told from the others'.

Every damped sinusoid of the sound is found, also those that lie within a fraction of a hertz of each other
(`pencil`). They vote for how far each string lies from its target; a string whose partials are its own is
settled first and explains its sinusoids away, so that an octave or a unison above it is read from the rest.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening import pencil
from juxtatune.core.listening.detect import onsets
from juxtatune.core.listening.frames import to_working_rate
from juxtatune.core.listening.kernels import join
from juxtatune.core.listening.partials import CENTS, Demodulated, partial_hz, solve
from juxtatune.core.listening.peaks import noise_floor, power_spectrum
from juxtatune.core.listening.pluck import Targets
from juxtatune.core.listening.source import Samples
from juxtatune.core.music.tuning import SAME

F = NDArray[np.float64]
REACH = 70.0  # cents either side of a target
GRID = np.arange(-REACH, REACH + 0.25, 0.25)
USUAL_STRETCH = 6e-5
STRETCHES = np.array([0.0, 2e-5, 4e-5, 6e-5, 9e-5, 1.3e-4, 1.8e-4, 2.5e-4, 3.5e-4, 5e-4])
PARTIALS = 16
SETTLE_S, EARLIER_S = 0.6, 0.3  # the glide of the attack is left out
SURE = 0.3  # cents: what is read earlier must be as sure
LONGEST_S = 2.4
PASSES = 2
TOP_HZ = 3600.0
LOOSE = 0.15  # cents: the partials of one string agree better
LOOSEST, LOW = 0.6, 5  # the same where four of the five lowest are there, or
MANY = 8  # as many as this, half of that odd
LIKELY = 55.0  # cents off its target that a string may be told so loosely
BESIDE, UPON = 0.3, 0.6  # Hz
HIGHEST, ABOVE = 40, 1.5  # partial; cents
DOUBTFUL = 3.4  # log odds
STRAY = 4.0
SHARED = 0.5  # what a partial counts that another string may have too
LOWER = 8
LOWEST = 4  # a string that sounds at all is heard in one of so many partials
BENT = 0.25  # cents by which a glide that was not taken out may move a reading
REMAINS = 0.03  # of a neighbour that is taken away, since it glides a little too


@dataclass(frozen=True)
class StrumReading:
    """One string of a strum; `cents` is None when it cannot be told apart (`problem` says why)."""

    string: int
    cents: float | None
    sigma_cents: float | None
    confidence: float
    also: tuple[int, ...] = ()
    problem: str | None = None


@dataclass(frozen=True)
class _Sinusoids:
    """What sounds: Hz, level in dB over the weakest that counts, 1σ in Hz, band. All (k,), rising in Hz.

    `z` (M, bands) are the bands about `centres` they were found in, `noise` the power of noise in one.
    """

    hz: F
    level: F
    sigma: F
    band: NDArray[np.int64]
    parts: tuple[pencil.Component, ...]
    z: NDArray[np.complex128]
    centres: F
    noise: float


@dataclass(frozen=True)
class _Settled:
    f1: float
    stretch: float
    sigma: float  # cents
    votes: int
    used: NDArray[np.int64]  # rows of the sinusoids
    numbers: NDArray[np.int64]  # of the partials they are


def read_strum(samples: Samples, rate: float, targets: Targets) -> list[StrumReading]:
    """A reading for every string of the tuning, highest number first."""
    assert targets.tuning is not None
    x, working = to_working_rate(samples, rate)
    strings = list(targets.tuning.strings)
    goals = {s: targets.target_hz(s) for s in strings}
    settled = _settled_after(x, working, SETTLE_S, goals)
    if len(settled) < len(goals) or any(found.sigma >= BENT for found in settled.values()):
        # a string that is soon lost in noise is looked for earlier, where it bends more
        for s, found in _settled_after(x, working, EARLIER_S, goals).items():
            if _better(found, settled.get(s)):
                settled[s] = found
    if not settled and _after_strum(x, working, EARLIER_S) is None:
        return [StrumReading(s, None, None, 0.0, problem="no strings are heard") for s in strings]
    return [_report(s, settled.get(s), goals, targets) for s in strings]


def _better(earlier: _Settled, later: _Settled | None) -> bool:
    """Whether what was read earlier stands: where nothing was read later, or the same and less surely."""
    if later is None:
        return earlier.sigma < SURE
    same = abs(CENTS * np.log(earlier.f1 / later.f1)) < STRAY
    return bool(same and earlier.sigma < later.sigma / 2)


def _settled_after(x: Samples, rate: float, settle: float, goals: dict[int, float]) -> dict[int, _Settled]:
    """The strings that can be told apart in what sounds from `settle` s after the strum on."""
    segment = _after_strum(x, rate, settle)
    heard = _sinusoids(segment, rate) if segment is not None else None
    if heard is None:
        return {}
    return {s: _unbent(heard, found) for s, found in _settle_all(heard, goals).items()}


def _after_strum(x: Samples, rate: float, settle: float) -> Samples | None:
    if len(x) < 0.2 * rate or not np.max(np.abs(x)) > 1e-6:
        return None
    size = int(0.05 * rate)
    power = np.square(x[: len(x) // size * size]).reshape(-1, size).mean(axis=1)
    loudest = int(np.argmax(power)) * 0.05
    near = [t for t in onsets(x, rate) if abs(t - loudest) < 0.4]
    begin = max([loudest, *near]) + settle
    alive = np.flatnonzero(power > power.max() * 1e-4)
    end = min(begin + LONGEST_S, (alive[-1] + 1) * 0.05, len(x) / rate)
    if end - begin < 0.9:
        begin = max(begin - settle + 0.1, end - 0.9)
    segment = x[int(begin * rate) : int(end * rate)]
    return segment if len(segment) >= 0.5 * rate else None


def _sinusoids(x: Samples, rate: float) -> _Sinusoids | None:
    centres = _bands(x, rate)
    if len(centres) == 0:
        return None
    z = pencil.bands(x, rate, centres)
    quiet = pencil.bands(x, rate, np.arange(30.0, TOP_HZ, 23.0))
    noise = float(np.quantile(np.median(np.abs(quiet) ** 2, axis=0), 0.1)) / np.log(2)
    least = 3e-4 * float(np.max(np.abs(z)))
    edges = np.concatenate([[0.0], (centres[1:] + centres[:-1]) / 2, [np.inf]])
    rows = [
        (c, k)
        for k, centre in enumerate(centres)
        for c in pencil.components(z[:, k], pencil.STEP_S, centre, noise)
        if edges[k] <= c.hz < edges[k + 1] and c.amplitude > least
    ]
    if not rows:
        return None
    rows.sort(key=lambda row: row[0].hz)
    hz, amplitude, sigma = (
        np.array(v) for v in zip(*((c.hz, c.amplitude, c.sigma) for c, _ in rows), strict=True)
    )
    return _Sinusoids(
        hz, 20 * np.log10(amplitude / least), sigma, np.array([k for _, k in rows]), tuple(c for c, _ in rows), z,
        centres, noise,
    )  # fmt: skip


def _bands(x: Samples, rate: float) -> F:
    """Centres (Hz) of the bands in which something sounds, at least 5 Hz apart."""
    size = 1 << int(np.ceil(np.log2(len(x) * 2)))
    power = power_spectrum(x, size)
    step = rate / size
    floor = noise_floor(power, int(180 / step) | 1)
    top = min(len(power) - 2, int(TOP_HZ / step))
    at = np.flatnonzero((power[1:top] > power[: top - 1]) & (power[1:top] >= power[2 : top + 1])) + 1
    strong = at[(power[at] > 12 * floor[at]) & (power[at] > power.max() * 3e-7)]
    chosen: list[float] = []
    for k in strong[np.argsort(-power[strong], kind="stable")]:
        if all(abs(k * step - f) > 5.0 for f in chosen):
            chosen.append(float(k * step))
    return np.sort(np.array(chosen))


def _settle_all(heard: _Sinusoids, goals: dict[int, float]) -> dict[int, _Settled]:
    """Lowest strings first: their odd partials are theirs alone. Each takes its sinusoids away from the rest.

    Then each again from what no other string explains: one may have hidden in the partials of a higher one.
    """
    settled: dict[int, _Settled] = {}
    taken: dict[int, NDArray[np.bool_]] = {}
    for _ in range(PASSES):
        for string in sorted(goals, key=lambda s: goals[s]):
            free = ~np.any([v for s, v in taken.items() if s != string] or [[False]], axis=0)
            found = _vote(heard, goals[string], [g for s, g in goals.items() if s != string], free)
            if found is not None and _rings(heard, found, goals[string], free):
                settled[string], taken[string] = found, _taken(heard, found)
            elif string in settled:
                del settled[string], taken[string]
    return settled


def _taken(heard: _Sinusoids, found: _Settled) -> NDArray[np.bool_]:
    """The sinusoids that a string explains: its partials, what its glide leaves beside them, those above, and stray ones."""
    beside = (np.abs(heard.hz[:, None] - heard.hz[found.used][None, :]) < BESIDE).any(axis=1)
    above = partial_hz(found.f1, found.stretch, np.arange(PARTIALS + 1, HIGHEST + 1))
    taken = beside | (np.abs(CENTS * np.log(heard.hz[:, None] / above[None, :])) < ABOVE).any(axis=1)
    # a partial of a real string may lie off its line, where it is missing
    missing = np.setdiff1d(np.arange(1, PARTIALS + 1), found.numbers)
    off = np.abs(CENTS * np.log(heard.hz[:, None] / partial_hz(found.f1, found.stretch, missing)[None, :]))
    nearest = np.argmin(off, axis=0)
    taken[nearest[off.min(axis=0) < STRAY]] = True
    return np.asarray(taken)


def _rings(heard: _Sinusoids, found: _Settled, goal: float, free: NDArray[np.bool_]) -> bool:
    """Whether a string that was read from the `free` sinusoids (k,) rings; `goal` is its target in Hz."""
    hidden = _hidden(heard, found, free)
    off = abs(CENTS * np.log(found.f1 / goal))
    return _doubt(heard, found, len(hidden)) < DOUBTFUL and _sounds(found, off, hidden)


def _hidden(heard: _Sinusoids, found: _Settled, free: NDArray[np.bool_]) -> NDArray[np.int64]:
    """The low partials that are not heard because they lie upon another string's."""
    missing = np.setdiff1d(np.arange(1, LOW + 1), found.numbers)
    hz, others = partial_hz(found.f1, found.stretch, missing), heard.hz[~np.broadcast_to(free, len(heard.hz))]
    return missing[(np.abs(others[:, None] - hz[None, :]) < UPON).any(axis=0)]


def _doubt(heard: _Sinusoids, found: _Settled, hidden: int = 0) -> float:
    """How likely a string was read into what others leave: log odds, where both are as frequent.

    A logistic regression over the strums of benchmarks/: its partials are weak, few, agree loosely, and low ones are missing.
    """
    quiet = heard.level.max() - np.median(heard.level[found.used])
    low = np.isin(np.arange(1, LOW + 1), found.numbers).sum() + 0.5 * hidden
    return float(
        13.1 + 0.17 * quiet - 0.51 * min(found.votes, 12) + 2.5 * np.log(found.sigma + 0.02) - 2.2 * low
    )


def _sounds(found: _Settled, off: float, hidden: NDArray[np.int64]) -> bool:
    """Tells a string that rings from one read into the partials of others.

    Those agree loosely, since every string is off by its own amount, or they are even ones alone, an octave's, or
    high ones alone. `off` is how far from its target (cents) it would be.
    """
    n = found.numbers
    own = np.sum((n % 3 != 0) & (n % 4 != 0))  # no fifth's or octave's above
    # partials of a real string disagree by some cents: then it is told by having most of the low ones, or many
    odd = n % 2 == 1
    full = np.isin(np.arange(1, LOW + 1), n).sum() >= LOW - 1 or (len(n) >= MANY and odd.sum() >= MANY // 2)
    agrees = (
        found.votes >= 3
        and found.sigma <= (LOOSEST if full and off < LIKELY else LOOSE)
        and min([n.min(), *hidden]) <= LOWEST
    )
    alone = np.any(odd & (n % 3 != 0))
    low = odd[n <= LOWER]
    return bool(agrees and own >= 2 and alone and np.mean(odd) >= 0.25 and np.mean(low) >= 0.25)


def _vote(heard: _Sinusoids, goal: float, others: list[float], free: NDArray[np.bool_]) -> _Settled | None:
    """The place near a target where most partials agree."""
    n = np.arange(1, PARTIALS + 1)
    expected = partial_hz(goal, USUAL_STRETCH, n)
    off = CENTS * np.log(heard.hz[:, None] / expected[None, :])
    most = CENTS * STRETCHES[-1] * _lever(n.astype(float))
    rows, columns = np.nonzero(
        (off > -REACH - 1.0) & (off < REACH + most) & np.broadcast_to(free, len(off))[:, None]
    )
    if len(rows) == 0:
        return None
    cents = off[rows, columns]
    # what is left of a neighbour moves a partial; so does what the stretches tried leave between them
    width = 1.0 + 0.0015 * (columns + 1.0) ** 2 + heard.sigma[rows] / expected[columns] * CENTS
    weight = np.clip(heard.level[rows], 3, 60) / 60 * np.where(_shared(goal, others, n), SHARED, 1.0)[columns]
    q = _lever(columns + 1.0)
    votes = [_density(cents - CENTS * (b - USUAL_STRETCH) * q, width, weight, columns) for b in STRETCHES]
    bend, centre = np.unravel_index(np.argmax(votes), (len(votes), len(GRID)))
    return _regress(heard, goal, rows, columns, cents, width, GRID[centre], STRETCHES[bend] - USUAL_STRETCH)


def _shared(goal: float, others: list[float], n: NDArray) -> NDArray[np.bool_]:
    """Which partials of a string another string may have too, both being off: they say little about whose they are."""
    ratio = n[:, None] * goal / np.array([*others, np.inf])[None, :]
    near = np.maximum(np.round(ratio), 1.0)
    return np.asarray((np.abs(CENTS * np.log(np.maximum(ratio, 1e-9) / near)) < REACH).any(axis=1))


def _lever(n: NDArray[np.floating]) -> NDArray[np.floating]:
    """How far a partial moves with B, against the first: d ln f_n / dB about the usual stretch."""
    return (n * n / (1 + USUAL_STRETCH * n * n) - 1 / (1 + USUAL_STRETCH)) / 2


def _density(cents: F, width: F, weight: F, columns: NDArray) -> F:
    """How many partials agree on each place of the grid: each gives its best sinusoid's vote."""
    bumps = weight * np.exp(-0.5 * ((GRID[:, None] - cents) / width) ** 2)
    density = np.zeros(len(GRID))
    for k in range(PARTIALS):
        mine = columns == k
        if np.any(mine):
            density += bumps[:, mine].max(axis=1)
    return density


def _regress(
    heard: _Sinusoids,
    goal: float,
    rows: NDArray,
    columns: NDArray,
    cents: F,
    width: F,
    centre: float,
    bent: float,
) -> _Settled | None:
    """f1 and B through the partials that agree: low ones first, since stretch hardly moves them, then upward."""
    n_all = columns + 1.0
    q_all = _lever(n_all)
    line, reach = centre + CENTS * bent * q_all, 2.0 * width + 1.0
    settled, known = None, 0
    for most in (5, 8, 12, PARTIALS, PARTIALS):
        ahead = np.where(n_all > known, 0.12 * (n_all - known), 0.0) if known else 0.0
        pick = _nearest(
            np.abs(cents - line), np.where(n_all <= most, reach + ahead, -1.0), heard.level[rows], columns
        )
        if len(pick) < (3 if most < PARTIALS else 1):
            continue
        n, q = n_all[pick], q_all[pick]
        y = cents[pick] / CENTS - bent * q
        variance = (heard.sigma[rows[pick]] / (n * goal)) ** 2 + (0.02 / CENTS) ** 2
        free = len(n) >= 4
        level, bend, sigma, _ = join(q, y, variance, free, 1e8 if free else 1e10)
        settled = _Settled(
            goal * (1 + level), float(np.clip(USUAL_STRETCH + bent + bend, 0, 2e-3)), float(sigma) * CENTS, len(n), rows[pick],
            columns[pick] + 1,
        )  # fmt: skip
        line = CENTS * (level + (bent + bend) * q_all)
        reach, known = np.full(len(rows), 0.7 + min(3.0, 3 * sigma * CENTS)), int(n.max())
    return settled


def _unbent(heard: _Sinusoids, found: _Settled) -> _Settled:
    """The reading with the rest of the attack glide taken out, from the phases of the string's own sinusoids.

    Those that stand clear of their neighbours are asked; the glide of the others cannot be told from a beat.
    """
    others = [_neighbours(heard, int(row)) for row in found.used]
    crowd = np.array([sum(c.amplitude**2 for c in o) for o in others])
    clear = _power(heard, found) > 16 * crowd
    if clear.sum() < 3:
        clear = _power(heard, found) > crowd
    bent = replace(found, sigma=max(found.sigma, BENT))
    if clear.sum() < 2:
        return bent
    numbers, rows = found.numbers[clear], found.used[clear]
    hz = partial_hz(found.f1, found.stretch, numbers)
    t = np.arange(len(heard.z)) * pencil.STEP_S
    bands = heard.band[rows]
    own = np.stack(
        [pencil.without(heard.z[:, heard.band[r]], _neighbours(heard, int(r))) for r in rows], axis=1
    )
    own = own * np.exp(2j * np.pi * (heard.centres[bands] - hz) * t[:, None])
    noise = heard.noise + 1e-16 + REMAINS**2 * crowd[clear]
    overlap = pencil.WINDOW_S / pencil.STEP_S / 2.5
    fit = solve(Demodulated(t, own, noise, numbers, hz, overlap), found.f1, found.stretch, True)
    if (
        fit is None
        or fit.sigma_cents > 2 * BENT
        or abs(CENTS * np.log(fit.f1 / found.f1)) > 1.5 + 3 * found.sigma
    ):
        return bent
    return replace(found, f1=fit.f1, stretch=fit.stretch, sigma=max(fit.sigma_cents, found.sigma))


def _power(heard: _Sinusoids, found: _Settled) -> F:
    return np.array([heard.parts[row].amplitude ** 2 for row in found.used])


def _neighbours(heard: _Sinusoids, row: int) -> list[pencil.Component]:
    """What else rings in a sinusoid's band. What dies at once beside it is its own glide."""
    me = heard.parts[row]
    return [
        c
        for j, c in enumerate(heard.parts)
        if j != row and heard.band[j] == heard.band[row] and (c.decay < 5.0 or abs(c.hz - me.hz) > 2.0)
    ]


def _nearest(off: F, reach: F, level: F, columns: NDArray) -> NDArray[np.int64]:
    """For each partial the sinusoid nearest to the line, within reach; of near equals the louder."""
    chosen: dict[int, int] = {}
    for k in np.flatnonzero(off < reach):
        c = int(columns[k])
        if c not in chosen or off[k] - 0.15 * level[k] < off[chosen[c]] - 0.15 * level[chosen[c]]:
            chosen[c] = int(k)
    return np.array(list(chosen.values()), np.int64)


def _report(string: int, found: _Settled | None, goals: dict[int, float], targets: Targets) -> StrumReading:
    assert targets.tuning is not None
    here = targets.tuning.pitch(string)
    also = tuple(s for s in goals if s != string and abs(targets.tuning.pitch(s) - here) <= SAME)
    if found is None:
        return StrumReading(
            string, None, None, 0.0, also, "cannot be told apart from the other strings: play it alone"
        )
    cents = 1200 * float(np.log2(found.f1 / goals[string]))
    confidence = min(0.99, 0.5 + 0.1 * found.votes) if found.sigma < 2 else 0.5
    return StrumReading(string, cents, found.sigma, confidence, also)
