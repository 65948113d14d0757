"""Removes the rest of the attack glide from one string of a strum."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.f0.estimate import estimate_f0
from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.multipitch import matrix_pencil
from juxtatune.core.listening.multipitch.sinusoids import F, Sinusoids
from juxtatune.core.listening.multipitch.voting import VotedString
from juxtatune.core.listening.partials.demodulate import Heterodyned, partial_hz


class DeglideParameters(NamedTuple):
    """The rest of the attack glide of a string in a strum."""

    glide_sigma_cents: float = 0.25  # by which a glide that was not taken out may move a reading
    max_sigma_cents: float = 2.0
    sigma_factor: float = 1.5  # to 1σ, as measured in benchmarks/: neighbours leave more than the fit knows
    around_cents: float = 8.0  # what lies so near a partial and dies no sooner is of the same string
    max_decay_per_s: float = 6.0
    min_decay_per_s: float = 0.3
    usual_spread_cents: float = 0.2  # strands of one partial that beat
    # of a string that sinusoids make which die at once: from which share of them and by where in doubt, by so much (log odds)
    fast_share_range: tuple[float, float] = (0.4, 0.6)  # and 1σ
    fast_doubt_nats: float = 2.5
    fast_sigma_cents: float = 2.0
    thin_string_hz: float = 200.0
    residual_share: float = 0.03  # of a neighbour that is taken away, since it glides a little too


DEGLIDE = DeglideParameters()


def deglided(heard: Sinusoids, found: VotedString) -> VotedString:
    """The string with its attack glide removed; less certain where its partials have no one frequency, as on real guitars."""
    straight = _straightened(heard, found)
    wide = max(0.0, _spread(heard, found.used) - DEGLIDE.usual_spread_cents)
    quick = _quick(heard, found)
    sigma = float(np.sqrt(straight.sigma**2 + wide**2 + (DEGLIDE.fast_sigma_cents * quick) ** 2))
    return replace(straight, sigma=sigma, doubt=straight.doubt + DEGLIDE.fast_doubt_nats * quick)


def _quick(heard: Sinusoids, found: VotedString) -> float:
    """How far (0 to 1) a string's sinusoids decay at once: other sounds do, and residues of other strings; thin nylon too."""
    decay = np.array([heard.parts[row].decay for row in found.used])
    at_once = decay >= DEGLIDE.max_decay_per_s * max(1.0, (found.f1 / DEGLIDE.thin_string_hz) ** 2)
    share = np.average(at_once, weights=10 ** (heard.level[found.used] / 10))
    return float(np.clip((share - DEGLIDE.fast_share_range[0]) / (DEGLIDE.fast_share_range[1] - DEGLIDE.fast_share_range[0]), 0, 1))


def _spread(heard: Sinusoids, rows: NDArray[np.int64]) -> float:
    """Energy-weighted spread of a string's partials about their mean, in cents."""
    decay = np.array([c.decay for c in heard.parts])
    energy = np.array([c.amplitude**2 for c in heard.parts]) / np.maximum(2 * decay, DEGLIDE.min_decay_per_s)
    off = CENTS * np.log(heard.hz[None, :] / heard.hz[rows][:, None])
    near = (np.abs(off) < DEGLIDE.around_cents) & (decay < DEGLIDE.max_decay_per_s)[None, :]
    near[np.arange(len(rows)), rows] = True
    share = np.where(near, energy[None, :] + 1e-300, 0.0)
    share = share / share.sum(axis=1, keepdims=True)
    mean = (share * off).sum(axis=1, keepdims=True)
    spread = np.sqrt((share * (off - mean) ** 2).sum(axis=1))
    return float(np.average(spread, weights=10 ** (heard.level[rows] / 10)))


def _straightened(heard: Sinusoids, found: VotedString) -> VotedString:
    """The string with the rest of the attack glide removed, from the phases of its own sinusoids.

    Only those well separated from their neighbours are used: the glide of the others looks like a beat.
    """
    others = [_neighbours(heard, int(row)) for row in found.used]
    crowd = np.array([sum(c.amplitude**2 for c in o) for o in others])
    clear = _power(heard, found) > 16 * crowd
    if clear.sum() < 3:
        clear = _power(heard, found) > crowd
    bent = replace(found, sigma=max(found.sigma, DEGLIDE.glide_sigma_cents))
    if clear.sum() < 2:
        return bent
    numbers, rows = found.numbers[clear], found.used[clear]
    hz = partial_hz(found.f1, found.inharmonicity, numbers)
    t = np.arange(len(heard.z)) * matrix_pencil.PENCIL.step_s
    bands = heard.band[rows]
    own = np.stack([matrix_pencil.without(heard.z[:, heard.band[r]], _neighbours(heard, int(r))) for r in rows])
    own = own * np.exp(2j * np.pi * (heard.centres[bands] - hz)[:, None] * t)
    noise = heard.noise + 1e-16 + DEGLIDE.residual_share**2 * crowd[clear]
    overlap = matrix_pencil.PENCIL.window_s / matrix_pencil.PENCIL.step_s / 2.5
    fit = estimate_f0(Heterodyned(t, own, noise, numbers, hz, overlap), found.f1, found.inharmonicity, True)
    if fit is None:
        return bent
    moved = abs(CENTS * np.log(fit.f1 / found.f1))
    if fit.sigma_cents > 2 * DEGLIDE.glide_sigma_cents or moved > 1.5 + 3 * found.sigma:
        # partials that will not be joined disagree by more than a glide
        return replace(bent, sigma=max(bent.sigma, min(max(fit.sigma_cents, moved / 2), DEGLIDE.max_sigma_cents)))
    sigma = float(np.hypot(DEGLIDE.sigma_factor * max(fit.sigma_cents, found.sigma), fit.extrapolation_sigma))
    return replace(found, f1=fit.f1, inharmonicity=fit.inharmonicity, sigma=sigma)


def _power(heard: Sinusoids, found: VotedString) -> F:
    return np.array([heard.parts[row].amplitude ** 2 for row in found.used])


def _neighbours(heard: Sinusoids, row: int) -> list[matrix_pencil.DampedSinusoid]:
    """The other sinusoids in a band; what decays at once beside a sinusoid is its own glide."""
    me = heard.parts[row]
    return [
        c
        for j, c in enumerate(heard.parts)
        if j != row and heard.band[j] == heard.band[row] and (c.decay < 5.0 or abs(c.hz - me.hz) > 2.0)
    ]
