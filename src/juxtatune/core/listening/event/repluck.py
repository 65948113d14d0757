"""Detects that a ringing string is picked again: no new partials, but all of them jump in level and phase at once."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.peaks import new_peaks
from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.event import kernels as event_kernels
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.tone.twm import Tone, likeliest


class RepluckParameters(NamedTuple):
    """Joint phase and level jumps of a string that is picked again."""

    look_s: float = 0.2
    min_score: float = 0.5
    min_rich_score: float = 0.3
    step_s: float = 0.1
    min_step_s: float = 0.04
    min_jump: float = 0.8  # of a partial's size; beating and glides move it by a third of that in the same time
    min_jump_rising: float = 0.6  # the same where they grow
    min_jump_steady: float = 0.7  # the same where they otherwise move less by this factor:
    min_jump_steady_rising: float = 0.4
    min_jump_steady_most: float = 0.5  # the same where it is most partials that jump
    most_jump: float = 0.9
    steady_ratio: float = 3.0
    max_steady_jump: float = 0.2
    # what moved until then, and neither falls nor moves any more, was not picked there
    still_jump: float = 0.004
    moving_jump: float = 0.04
    min_unsteady_ratio: float = 1.6  # what a pluck's jump has over those of a distorted string that just rings on,
    max_unsteady_jump: float = 0.8  # which never jumps so far
    around_s: float = 0.8
    young_s: float = 0.45  # so long after its onset a glide moves partials too, and only a rise in power tells a pluck
    min_power_ratio: float = 0.2  # power after by power before
    min_power_ratio_over: float = 0.35
    risen_power_ratio: float = 1.3
    proposing: tuple[int, int] = 6, 9  # a string just picked is loud in its low partials
    max_partial: int = 9  # partials looked at: higher ones turn too fast to be foretold
    step_divisor: int = 5  # times in a step's length


REPLUCK = RepluckParameters()


F = NDArray[np.float64]
Z = NDArray[np.complexfloating]


def is_repluck(
    signal: Signal,
    onset: float,
    following: float,
    since: float = 0.0,
    least: float = REPLUCK.min_jump,
    over: bool = False,
    bright: bool = False,
) -> Tone | None:
    """The tone whose partials jump together at an onset; None for none.

    `since`: its own onset (s), if known. `least`: the jump asked for, relative. `over`: another tone begins there, which may
    disturb this one. `bright`: many high partials are new, so that the low ones may be softer than before.
    """
    x, rate = signal
    begin = int((onset + 0.018) * rate)
    length = int(min(REPLUCK.look_s, max(following - 0.005 - onset - 0.018, 0.1)) * rate)
    if begin + length > len(x):
        return None
    tone = likeliest(new_peaks(x[begin : begin + length], None, rate), proposing=REPLUCK.proposing)
    if tone is None or tone.score < (REPLUCK.min_rich_score if tone.rich else REPLUCK.min_score):
        return None
    return tone if _phase_jumps(signal, tone, (since, onset, following), least, over, bright) else None


def _phase_jumps(
    signal: Signal,
    tone: Tone,
    times: tuple[float, float, float],
    least: float,
    over: bool,
    bright: bool,
) -> bool:
    """Whether the partials of a tone jump in phase at an onset.

    `times` are its own onset (s, 0 if unknown), the onset, and the next one.
    """
    x, rate = signal
    since, onset, following = times
    hz = np.array([f for n, f, _ in tone.matched if n <= REPLUCK.max_partial])
    step = min(REPLUCK.step_s, (onset - since - 0.035) / 2)
    if len(hz) < (4 if tone.f1 < 500 else 3) or step < REPLUCK.min_step_s:
        return False
    size = int(step * rate)
    begin, last = int((onset + 0.018) * rate), int((onset - 0.015) * rate) - size
    if begin + size > len(x):
        return False
    jump, most, rise = (float(v[0]) for v in _jump(signal, hz, np.array([last]), size, begin - last))
    if not rise > (REPLUCK.min_power_ratio_over if over else REPLUCK.min_power_ratio) and not bright:
        return False
    if jump < REPLUCK.min_jump_steady_rising:
        return False
    around = [(onset + 0.05, min(following, onset + REPLUCK.around_s))]
    if since > 0:
        around.append((max(since + 0.05, onset - REPLUCK.around_s), onset - 0.015))
    after, *before = (_usual_jump(signal, hz, size, start, end) for start, end in around)
    if before and 0 < after < REPLUCK.still_jump and before[0] > REPLUCK.moving_jump and not rise > REPLUCK.risen_power_ratio:
        return False
    # one that was steady until then may glide long after
    usual = before[0] if before and 0 < before[0] < REPLUCK.max_steady_jump else max([after, *before])
    settled, risen = onset - since >= REPLUCK.young_s, rise > REPLUCK.risen_power_ratio
    if settled and usual > 0 and jump > REPLUCK.steady_ratio * usual:
        # the loudest partial of two plucks may happen to meet in phase: then nearly all others jump
        falling = REPLUCK.min_jump_steady_most if most > REPLUCK.most_jump else REPLUCK.min_jump_steady
        return jump > (REPLUCK.min_jump_steady_rising if risen else falling)
    unsteady = REPLUCK.min_unsteady_ratio * usual if over else min(REPLUCK.min_unsteady_ratio * usual, REPLUCK.max_unsteady_jump)
    return (risen or settled) and jump > max(REPLUCK.min_jump_rising if risen else least, unsteady)


def _usual_jump(
    signal: Signal, hz: NDArray[np.floating], size: int, start: float, end: float
) -> float:
    """Median jump of partials between two moments (s) without an event; 0 if unknown."""
    x, rate = signal
    ahead = size + int(0.033 * rate)
    at = np.arange(int(start * rate), min(int(end * rate), len(x)) - 2 * size - ahead, size // 2)
    if len(at) == 0:
        return 0.0
    return float(np.median(_jump(signal, hz, at + size, size, ahead)[0]))


def _jump(
    signal: Signal, hz: NDArray[np.floating], at: NDArray[np.int64], size: int, ahead: int
) -> tuple[F, F, F]:
    """Relative prediction error of the partials `ahead` samples after each sample of `at` (K,): the lesser of median over
    partials and mean by energy, and the total by power. A drum disturbs many weak partials or one strong one, not both."""
    z = _partials(signal, hz, at, size, ahead)
    near, sharp = event_kernels.before(z, hz / signal.rate, size // REPLUCK.step_divisor)
    for k in np.flatnonzero(sharp):
        z[k] = _partials(signal, near[k] * signal.rate, at[k : k + 1], size, ahead)[0]
    less, more, rise = event_kernels.jumps(z, near, size, ahead)
    return less, more, rise


def _partials(
    signal: Signal, hz: NDArray[np.floating], at: NDArray[np.int64], size: int, ahead: int
) -> Z:
    """Projections (K, 4, P) over `size` samples: one size before each of `at`, a short step before it, there, and `ahead`
    samples later."""
    starts = at[:, None] + np.array([-size, -(size // REPLUCK.step_divisor), 0, ahead])
    return project(signal.x, starts.ravel(), hann(size), hz, signal.rate).reshape(len(at), 4, len(hz))
