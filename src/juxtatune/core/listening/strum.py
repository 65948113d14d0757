"""All strings at once: each string's pitch from a strum, as far as its partials can be told from the others'.

Peaks of a long spectrum vote for how far each string lies from its target; a string whose partials are
its own is settled first and explains its peaks away, so that an octave or a unison above it is read from
what is left.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.detect import onsets
from juxtatune.core.listening.frames import to_working_rate
from juxtatune.core.listening.partials import CENTS, partial_hz
from juxtatune.core.listening.peaks import noise_floor, power_spectrum
from juxtatune.core.listening.pluck import Targets
from juxtatune.core.listening.source import Samples
from juxtatune.core.music.tuning import SAME

F = NDArray[np.float64]
REACH = 70.0  # cents either side of a target
USUAL_STRETCH = 6e-5
PARTIALS = 12
SETTLE_S = 0.12
LONGEST_S = 2.4


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
class _Spectrum:
    hz: F
    level: F  # dB over the floor
    resolution: float


@dataclass(frozen=True)
class _Settled:
    f1: float
    stretch: float
    sigma: float
    votes: int


def read_strum(samples: Samples, rate: float, targets: Targets) -> list[StrumReading]:
    """A reading for every string of the tuning, highest number first."""
    assert targets.tuning is not None
    x, working = to_working_rate(samples, rate)
    spectrum = _after_strum(x, working)
    strings = list(targets.tuning.strings)
    if spectrum is None or len(spectrum.hz) == 0:
        return [StrumReading(s, None, None, 0.0, problem="no strings are heard") for s in strings]
    goals = {s: targets.target_hz(s) for s in strings}
    settled = _settle_all(spectrum, goals, targets)
    return [_report(s, settled.get(s), goals, targets) for s in strings]


def _after_strum(x: Samples, rate: float) -> _Spectrum | None:
    if len(x) < 0.2 * rate or not np.max(np.abs(x)) > 1e-6:
        return None
    size = int(0.05 * rate)
    power = np.square(x[: len(x) // size * size]).reshape(-1, size).mean(axis=1)
    times = onsets(x, rate)
    loudest = int(np.argmax(power)) * 0.05
    near = [t for t in times if abs(t - loudest) < 0.4]
    begin = max([loudest, *near]) + SETTLE_S
    alive = np.flatnonzero(power > power.max() * 1e-4)
    end = min(begin + LONGEST_S, (alive[-1] + 1) * 0.05, len(x) / rate)
    segment = x[int(begin * rate) : int(end * rate)]
    if len(segment) < 0.25 * rate:
        return None
    return _peaks(segment, rate)


def _peaks(x: Samples, rate: float) -> _Spectrum:
    size = 1 << int(np.ceil(np.log2(len(x) * 4)))
    power = power_spectrum(x, size)
    step = rate / size
    floor = noise_floor(power, int(180 / step) | 1)
    top = min(len(power) - 2, int(4500 / step))
    at = np.flatnonzero((power[1:top] > power[: top - 1]) & (power[1:top] >= power[2 : top + 1])) + 1
    strong = at[(power[at] > 12 * floor[at]) & (power[at] > power.max() * 3e-7)]
    a, b, c = (np.log(power[strong + k] + 1e-30) for k in (-1, 0, 1))
    shift = 0.5 * (a - c) / np.minimum(a - 2 * b + c, -1e-9)
    level = 10 * np.log10(power[strong] / floor[strong])
    return _Spectrum((strong + np.clip(shift, -0.5, 0.5)) * step, level, rate / len(x))


def _settle_all(spectrum: _Spectrum, goals: dict[int, float], targets: Targets) -> dict[int, _Settled]:
    """Lowest strings first: their odd partials are theirs alone; unisons share what both could be."""
    settled: dict[int, _Settled] = {}
    assert targets.tuning is not None
    for string in sorted(goals, key=lambda s: goals[s]):
        explained = np.zeros(len(spectrum.hz), bool)
        for other in settled.values():
            own = partial_hz(other.f1, other.stretch, np.arange(1, 40))
            near = np.abs(spectrum.hz[:, None] - own[None, :]).min(axis=1)
            explained |= near < 0.75 * spectrum.resolution
        found = _vote(spectrum, goals[string], ~explained)
        if found is None or found.votes < 2:
            shared = _vote(spectrum, goals[string], np.ones(len(explained), bool))
            twin = any(abs(goals[string] - goals[s]) < 0.01 for s in settled)
            found = _doubted(shared) if shared is not None and (twin or shared.votes >= 3) else None
        if found is not None:
            settled[string] = found
    return settled


def _doubted(found: _Settled) -> _Settled:
    """Read from peaks that another string explains too: it lies there or is not told apart."""
    return _Settled(found.f1, found.stretch, max(found.sigma, 0.6) * 1.5, found.votes)


def _vote(spectrum: _Spectrum, goal: float, free: NDArray[np.bool_]) -> _Settled | None:
    """The place near a target where most partials agree."""
    n = np.arange(1, PARTIALS + 1)
    expected = partial_hz(goal, USUAL_STRETCH, n)
    off = CENTS * np.log(spectrum.hz[:, None] / expected[None, :])
    rows, columns = np.nonzero((np.abs(off) < REACH) & free[:, None])
    if len(rows) == 0:
        return None
    cents = off[rows, columns]
    width = np.maximum(0.35 * spectrum.resolution / expected[columns] * CENTS, 0.6)
    weight = np.clip(spectrum.level[rows], 0, 40) / 40
    grid = np.arange(-REACH, REACH + 0.25, 0.5)
    density = np.zeros(len(grid))
    for k in range(1, PARTIALS + 1):
        mine = columns == k - 1
        if np.any(mine):
            bump = weight[mine] * np.exp(-0.5 * ((grid[:, None] - cents[mine]) / (width[mine] + 1.0)) ** 2)
            density += bump.max(axis=1) / np.sqrt(k)
    centre = grid[int(np.argmax(density))]
    return _regress(spectrum, goal, rows, columns, cents, width, centre)


def _regress(
    spectrum: _Spectrum, goal: float, rows: NDArray, columns: NDArray, cents: F, width: F, centre: float
) -> _Settled | None:
    """Least squares for f1 and B through the partials that agree with the centre."""
    chosen: dict[int, int] = {}
    for k in np.flatnonzero(np.abs(cents - centre) < 2.5 * width + 2.0):
        n = int(columns[k])
        if n not in chosen or spectrum.level[rows[k]] > spectrum.level[rows[chosen[n]]]:
            chosen[n] = int(k)
    if not chosen:
        return None
    pick = np.array(list(chosen.values()))
    n = columns[pick] + 1.0
    y, w = (
        cents[pick] / CENTS,
        1 / (width[pick] / CENTS * (0.15 + 3 / np.maximum(spectrum.level[rows[pick]], 3))),
    )
    q = (n * n - 1) / 2
    a = np.stack([np.ones_like(n), q], axis=1)
    normal = (a * w[:, None] ** 2).T @ a
    normal[1, 1] += 1 / 5e-5**2 if len(n) >= 3 else 1e14
    shift, bend = np.linalg.solve(normal, (a * w[:, None] ** 2).T @ y)
    left = y - a @ np.array([shift, bend])
    scatter = np.sqrt(max(1.0, float(np.sum((left * w) ** 2)) / max(1, len(n) - 2)))
    sigma = float(np.sqrt(np.linalg.inv(normal)[0, 0])) * scatter * CENTS
    return _Settled(goal * (1 + shift), max(0.0, USUAL_STRETCH + bend), sigma, len(n))


def _report(string: int, found: _Settled | None, goals: dict[int, float], targets: Targets) -> StrumReading:
    assert targets.tuning is not None
    here = targets.tuning.pitch(string)
    also = tuple(s for s in goals if s != string and abs(targets.tuning.pitch(s) - here) <= SAME)
    if found is None or found.sigma > 8:
        return StrumReading(
            string, None, None, 0.0, also, "cannot be told apart from the other strings: play it alone"
        )
    cents = 1200 * float(np.log2(found.f1 / goals[string]))
    confidence = min(0.99, 0.5 + 0.1 * found.votes) if found.sigma < 2 else 0.5
    return StrumReading(string, cents, found.sigma, confidence, also)
