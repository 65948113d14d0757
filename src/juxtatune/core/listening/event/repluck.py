"""Detects that a ringing string is picked again: no new partials, but all of them jump in level and phase at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.peaks import new_peaks
from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.event import kernels as event_kernels
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.tone.twm import Tone, likeliest

LOOK_S = 0.2
LEAST_SCORE, RICH_SCORE = 0.5, 0.3
STEP_S = 0.1
LEAST_STEP_S = 0.04
LEAST_JUMP = 0.8  # of a partial's size; beating and glides move it by a third of that in the same time
LEAST_JUMP_RISING = 0.6  # the same where they grow
STEADY_JUMP, STEADY_JUMP_RISING = 0.7, 0.4  # the same where they otherwise move less by this factor:
STEADY_JUMP_MOST, MOST_JUMP = 0.5, 0.9  # the same where it is most partials that jump
STEADIER, STEADY = 3.0, 0.2
# what moved until then, and neither falls nor moves any more, was not picked there
STILL, MOVING = 0.004, 0.04
UNSTEADY = 1.6  # what a pluck's jump has over those of a distorted string that just rings on,
MOST_UNSTEADY = 0.8  # which never jumps so far
LOOK_AROUND_S = 0.8
YOUNG_S = 0.45  # so long after its onset a glide moves partials too, and only a rise in power tells a pluck
DAMPED, DAMPED_OVER, RISEN = 0.2, 0.35, 1.3  # power after by power before
PROPOSING = 6, 9  # a string just picked is loud in its low partials
HIGHEST = 9  # partials looked at: higher ones turn too fast to be foretold
SHORT = 5  # times in a step's length
F = NDArray[np.float64]
Z = NDArray[np.complexfloating]


def is_repluck(
    x: Samples,
    rate: float,
    onset: float,
    following: float,
    since: float = 0.0,
    least: float = LEAST_JUMP,
    over: bool = False,
    bright: bool = False,
) -> Tone | None:
    """The tone whose partials jump together at an onset; None for none.

    `since`: its own onset (s), if known. `least`: the jump asked for, relative. `over`: another tone begins there, which may
    disturb this one. `bright`: many high partials are new, so that the low ones may be softer than before.
    """
    begin = int((onset + 0.018) * rate)
    length = int(min(LOOK_S, max(following - 0.005 - onset - 0.018, 0.1)) * rate)
    if begin + length > len(x):
        return None
    tone = likeliest(new_peaks(x[begin : begin + length], None, rate), proposing=PROPOSING)
    if tone is None or tone.score < (RICH_SCORE if tone.rich else LEAST_SCORE):
        return None
    return tone if _phase_jumps(x, rate, tone, (since, onset, following), least, over, bright) else None


def _phase_jumps(
    x: Samples,
    rate: float,
    tone: Tone,
    times: tuple[float, float, float],
    least: float,
    over: bool,
    bright: bool,
) -> bool:
    """Whether the partials of a tone jump in phase at an onset.

    `times` are its own onset (s, 0 if unknown), the onset, and the next one.
    """
    since, onset, following = times
    hz = np.array([f for n, f, _ in tone.matched if n <= HIGHEST])
    step = min(STEP_S, (onset - since - 0.035) / 2)
    if len(hz) < (4 if tone.f1 < 500 else 3) or step < LEAST_STEP_S:
        return False
    size = int(step * rate)
    begin, last = int((onset + 0.018) * rate), int((onset - 0.015) * rate) - size
    if begin + size > len(x):
        return False
    jump, most, rise = (float(v[0]) for v in _jump(x, rate, hz, np.array([last]), size, begin - last))
    if (not rise > (DAMPED_OVER if over else DAMPED) and not bright) or jump < STEADY_JUMP_RISING:
        return False
    around = [(onset + 0.05, min(following, onset + LOOK_AROUND_S))]
    if since > 0:
        around.append((max(since + 0.05, onset - LOOK_AROUND_S), onset - 0.015))
    after, *before = (_usual_jump(x, rate, hz, size, start, end) for start, end in around)
    if before and 0 < after < STILL and before[0] > MOVING and not rise > RISEN:
        return False
    # one that was steady until then may glide long after
    usual = before[0] if before and 0 < before[0] < STEADY else max([after, *before])
    settled, risen = onset - since >= YOUNG_S, rise > RISEN
    if settled and usual > 0 and jump > STEADIER * usual:
        # the loudest partial of two plucks may happen to meet in phase: then nearly all others jump
        return jump > (STEADY_JUMP_RISING if risen else STEADY_JUMP_MOST if most > MOST_JUMP else STEADY_JUMP)
    unsteady = UNSTEADY * usual if over else min(UNSTEADY * usual, MOST_UNSTEADY)
    return (risen or settled) and jump > max(LEAST_JUMP_RISING if risen else least, unsteady)


def _usual_jump(
    x: Samples, rate: float, hz: NDArray[np.floating], size: int, start: float, end: float
) -> float:
    """Median jump of partials between two moments (s) without an event; 0 if unknown."""
    ahead = size + int(0.033 * rate)
    at = np.arange(int(start * rate), min(int(end * rate), len(x)) - 2 * size - ahead, size // 2)
    if len(at) == 0:
        return 0.0
    return float(np.median(_jump(x, rate, hz, at + size, size, ahead)[0]))


def _jump(
    x: Samples, rate: float, hz: NDArray[np.floating], at: NDArray[np.int64], size: int, ahead: int
) -> tuple[F, F, F]:
    """Relative prediction error of the partials `ahead` samples after each sample of `at` (K,): the lesser of median over
    partials and mean by energy, and the total by power. A drum disturbs many weak partials or one strong one, not both."""
    z = _partials(x, rate, hz, at, size, ahead)
    near, sharp = event_kernels.before(z, hz / rate, size // SHORT)
    for k in np.flatnonzero(sharp):
        z[k] = _partials(x, rate, near[k] * rate, at[k : k + 1], size, ahead)[0]
    less, more, rise = event_kernels.jumps(z, near, size, ahead)
    return less, more, rise


def _partials(
    x: Samples, rate: float, hz: NDArray[np.floating], at: NDArray[np.int64], size: int, ahead: int
) -> Z:
    """Projections (K, 4, P) over `size` samples: one size before each of `at`, a short step before it, there, and `ahead`
    samples later."""
    starts = at[:, None] + np.array([-size, -(size // SHORT), 0, ahead])
    return project(x, starts.ravel(), hann(size), hz, rate).reshape(len(at), 4, len(hz))
