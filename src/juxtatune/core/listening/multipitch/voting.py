"""Hough vote of sinusoids for each string's offset and inharmonicity, refined by a robust line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.f0.regression import agree
from juxtatune.core.listening.multipitch.kernels import density
from juxtatune.core.listening.multipitch.sinusoids import F, Rows, Sinusoids
from juxtatune.core.listening.partials.demodulate import partial_hz


class VotingParameters(NamedTuple):
    """The vote of sinusoids for a string's offset and inharmonicity."""

    reach_cents: float = 70.0  # either side of a target
    usual_inharmonicity: float = 6e-5
    partials: int = 16
    shared_weight: float = 0.5  # what a partial counts that another string may have too
    cents_per_db: float = 0.15  # cents off the line that a sinusoid makes up for by each dB


VOTING = VotingParameters()


GRID = np.arange(-VOTING.reach_cents, VOTING.reach_cents + 0.25, 0.25)
STRETCHES = np.array([0.0, 2e-5, 4e-5, 6e-5, 9e-5, 1.3e-4, 1.8e-4, 2.5e-4, 3.5e-4, 5e-4])


@dataclass(frozen=True)
class VotedString:
    """Where a string lies, from its partials: f1 in Hz as they ring, B, 1σ in cents."""

    f1: float
    inharmonicity: float
    sigma: float
    used: NDArray[np.int64]  # rows of the sinusoids
    numbers: NDArray[np.int64]  # of the partials they are
    scatter: float  # cents by which partials disagree beyond what each is unsure
    own: float = 0.0  # 0 to 1: how far that is theirs, as a real guitar's
    doubt: float = 0.0  # log odds that it was read into what others leave


def vote(heard: Sinusoids, goal: float, others: list[float], free: Rows) -> VotedString | None:
    """The offset near a target on which most partials agree."""
    n = np.arange(1, VOTING.partials + 1)
    expected = partial_hz(goal, VOTING.usual_inharmonicity, n)
    off = CENTS * np.log(heard.hz[:, None] / expected[None, :])
    most = CENTS * STRETCHES[-1] * _lever(n.astype(float))
    rows, columns = np.nonzero((off > -VOTING.reach_cents - 1.0) & (off < VOTING.reach_cents + most) & free[:, None])
    if len(rows) == 0:
        return None
    cents = off[rows, columns]
    # what is left of a neighbour moves a partial; so does what the stretches tried leave between them
    width = 1.0 + 0.0015 * (columns + 1.0) ** 2 + heard.sigma[rows] / expected[columns] * CENTS
    weight = np.clip(heard.level[rows], 3, 60) / 60 * np.where(_shared(goal, others, n), VOTING.shared_weight, 1.0)[columns]
    q = _lever(columns + 1.0)
    votes = [
        density(cents - CENTS * (b - VOTING.usual_inharmonicity) * q, width, weight, columns, VOTING.partials, GRID)
        for b in STRETCHES
    ]
    bend, centre = np.unravel_index(np.argmax(votes), (len(votes), len(GRID)))
    return _regress(heard, goal, rows, columns, cents, width, GRID[centre], STRETCHES[bend] - VOTING.usual_inharmonicity)


def stretches(goal: float) -> list[tuple[float, float]]:
    """Frequency ranges (Hz) in which partials of a string near a target may lie."""
    n = np.arange(1, VOTING.partials + 1)
    off = CENTS * STRETCHES[-1] * _lever(n.astype(float))
    expected = partial_hz(goal, VOTING.usual_inharmonicity, n)
    low, high = np.exp((-VOTING.reach_cents - 1.0) / CENTS), np.exp((VOTING.reach_cents + off) / CENTS)
    return list(zip(expected * low, expected * high, strict=True))


def _shared(goal: float, others: list[float], n: NDArray) -> Rows:
    """Which partials another string may share, both being detuned: they are weak evidence."""
    ratio = n[:, None] * goal / np.array([*others, np.inf])[None, :]
    near = np.maximum(np.round(ratio), 1.0)
    return np.asarray((np.abs(CENTS * np.log(np.maximum(ratio, 1e-9) / near)) < VOTING.reach_cents).any(axis=1))


def _lever(n: NDArray[np.floating]) -> NDArray[np.floating]:
    """d ln f_n / dB about the usual B, relative to the first partial."""
    return (n * n / (1 + VOTING.usual_inharmonicity * n * n) - 1 / (1 + VOTING.usual_inharmonicity)) / 2


def _regress(
    heard: Sinusoids,
    goal: float,
    rows: NDArray,
    columns: NDArray,
    cents: F,
    width: F,
    centre: float,
    bent: float,
) -> VotedString | None:
    """f1 and B through the partials that agree: low ones first, which B hardly moves, then upward."""
    n_all = columns + 1.0
    q_all = _lever(n_all)
    line, reach = centre + CENTS * bent * q_all, 2.0 * width + 1.0
    settled, known = None, 0
    for most in (5, 8, 12, VOTING.partials, VOTING.partials):
        ahead = np.where(n_all > known, 0.12 * (n_all - known), 0.0) if known else 0.0
        pick = _nearest(
            np.abs(cents - line), np.where(n_all <= most, reach + ahead, -1.0), heard.level[rows], columns
        )
        if len(pick) < (3 if most < VOTING.partials else 1):
            continue
        n, q = n_all[pick], q_all[pick]
        y = cents[pick] / CENTS - bent * q
        variance = (heard.sigma[rows[pick]] / (n * goal)) ** 2 + (0.02 / CENTS) ** 2
        free = len(n) >= 4
        level, bend, sigma, scatter = agree(q, y, variance, free, 1e8 if free else 1e10)
        settled = VotedString(
            goal * (1 + level), float(np.clip(VOTING.usual_inharmonicity + bent + bend, 0, 2e-3)), float(sigma) * CENTS,
            rows[pick], columns[pick] + 1, float(scatter) * CENTS,
        )  # fmt: skip
        line = CENTS * (level + (bent + bend) * q_all)
        reach, known = np.full(len(rows), 0.7 + min(3.0, 3 * sigma * CENTS)), int(n.max())
    return settled


def _nearest(off: F, reach: F, level: F, columns: NDArray) -> NDArray[np.int64]:
    """For each partial the sinusoid nearest to the line, within reach; of near equals the louder."""
    chosen: dict[int, int] = {}
    for k in np.flatnonzero(off < reach):
        c = int(columns[k])
        if c not in chosen or off[k] - VOTING.cents_per_db * level[k] < off[chosen[c]] - VOTING.cents_per_db * level[chosen[c]]:
            chosen[c] = int(k)
    return np.array(list(chosen.values()), np.int64)
