"""Reads all strings of one strum at once.

Every damped sinusoid of the sound is found, also those that lie within a fraction of a hertz of each other
(`pencil`). They vote for how far each string lies from its target; a string whose partials are its own is
settled first and explains its sinusoids away, so that an octave or a unison above it is read from the rest.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import permutations
from typing import NamedTuple

import numpy as np
from numpy.fft import irfft, rfft, rfftfreq

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.resample import to_working_rate
from juxtatune.core.listening.f0.glide_biexp import CENTS
from juxtatune.core.listening.multipitch.cancellation import cancel_iteratively
from juxtatune.core.listening.multipitch.deglide import DEGLIDE, deglided
from juxtatune.core.listening.multipitch.sinusoids import F, Rows, Sinusoids, sinusoids
from juxtatune.core.listening.multipitch.voting import VotedString
from juxtatune.core.listening.note.reported_pitch import period_offset
from juxtatune.core.listening.offset.note_off import STRUM_END, after_strum
from juxtatune.core.listening.source import Samples, Signal
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.tuning import SAME


class StrumParameters(NamedTuple):
    """All strings at once."""

    settle_s: float = 0.6  # the glide of the attack is left out
    early_settle_s: float = 0.3
    sure_cents: float = 1.5  # what is less sure and found early alone must be doubted far less
    max_doubt_once_nats: float = 0.5  # what is found once must be doubted less
    max_doubt_early_nats: float = -0.4
    same_cents: float = 9.0  # two looks at one string differ by no more
    doubt_margin_nats: float = 2.0  # where two looks differ by more than that, one must be doubted so much less
    wander_cents: float = 4.0  # where they differ by more, neither is better
    rumble_hz: float = 24.0  # what lies below no string makes: an offset, wind, a stage
    real_scatter_cents: float = 0.1  # scatter, of two thirds of a real guitar's strings
    all_real_scatter_cents: float = 0.16
    min_real_strings: int = 3  # strings that say so
    real_sigma_cents: float = 0.9  # the pitch of such a string is defined no better
    prior_nats: float = 2.3  # that a string of a strum is read rightly


STRUM = StrumParameters()


@dataclass(frozen=True)
class StrumReading:
    """One string of a strum; `cents` is None when it cannot be separated (`problem` says why)."""

    string: int
    cents: float | None
    sigma_cents: float | None
    confidence: float
    also: tuple[int, ...] = ()
    problem: str | None = None


def read_strum(samples: Samples, rate: float, targets: Targets) -> list[StrumReading]:
    """A reading for every string of the tuning, highest number first."""
    assert targets.tuning is not None
    signal = _without_rumble(to_working_rate(samples, rate))
    strings = list(targets.tuning.strings)
    goals = {s: targets.target_hz(s) for s in strings}
    before = before_strum(signal)
    settled = _settled_after(signal, STRUM.settle_s, goals, before)
    unsure = [
        f.sigma >= DEGLIDE.glide_sigma_cents or f.doubt >= STRUM.max_doubt_once_nats for f in settled.values()
    ]
    if len(settled) < len(goals) or any(unsure):
        # what is soon lost in noise is heard earlier alone, and a real guitar's pitch moves
        earlier = _as_named(settled, _settled_after(signal, STRUM.early_settle_s, goals, before), goals)
        both = ((s, _of_both(earlier.get(s), settled.get(s))) for s in goals)
        settled = {s: found for s, found in both if found is not None}
    if not settled and after_strum(signal, STRUM.early_settle_s) is None:
        heard = float(np.max(np.abs(signal.x), initial=0.0)) > STRUM_END.silent_level
        problem = "damped too soon: let the strum ring for a second" if heard else "no strings are heard"
        return [StrumReading(s, None, None, 0.0, problem=problem) for s in strings]
    return [_report(s, settled, goals, targets) for s in strings]


def _without_rumble(signal: Signal) -> Signal:
    x, rate = signal
    if len(x) == 0:
        return signal
    times = STRUM.rumble_hz / np.maximum(rfftfreq(len(x), 1 / rate), 1e-3)
    return Signal(np.asarray(irfft(rfft(x) / (1 + times**8), len(x))), rate)


def _as_named(
    first: dict[int, VotedString], second: dict[int, VotedString], goals: dict[int, float]
) -> dict[int, VotedString]:
    """The second analysis with strings of equal target numbered as in the first."""
    named: dict[int, VotedString] = {}
    for goal in set(goals.values()):
        alike = [s for s in goals if goals[s] == goal]
        found = [second[s] for s in alike if s in second]
        ways: list[dict[int, VotedString]] = [
            dict(zip(names, found, strict=True)) for names in permutations(alike, len(found))
        ]
        named.update(min((_unlike(first, way), k, way) for k, way in enumerate(ways))[2])
    return named


def _unlike(first: dict[int, VotedString], second: dict[int, VotedString]) -> float:
    """Difference (cents) of two analyses over the strings that both have."""
    off = [abs(CENTS * float(np.log(first[s].f1 / f.f1))) for s, f in second.items() if s in first]
    return sum(min(cents, STRUM.same_cents) for cents in off) - STRUM.same_cents * len(off)


def _of_both(earlier: VotedString | None, later: VotedString | None) -> VotedString | None:
    """One string from two analyses, weighted by certainty; their difference lowers it.

    What only one of them finds must be more certain.
    """
    if later is None:
        return earlier if earlier is not None and _clear_alone(earlier) else None
    if earlier is None:
        return later if later.doubt < STRUM.max_doubt_once_nats else None
    apart = CENTS * float(np.log(earlier.f1 / later.f1))
    if abs(apart) > STRUM.same_cents:
        likelier, other = sorted((later, earlier), key=lambda found: found.doubt)
        clear = likelier.doubt < other.doubt - STRUM.doubt_margin_nats
        return replace(likelier, sigma=max(likelier.sigma, DEGLIDE.max_sigma_cents)) if clear else None
    share = 0.5 if abs(apart) > STRUM.wander_cents else later.sigma**2 / (later.sigma**2 + earlier.sigma**2)
    sigma = float(np.hypot(np.sqrt(share) * earlier.sigma, abs(apart) / 2))
    return replace(later, f1=later.f1 * float(np.exp(share * apart / CENTS)), sigma=sigma)


def _clear_alone(found: VotedString) -> bool:
    return found.doubt < (STRUM.max_doubt_once_nats if found.sigma < STRUM.sure_cents else STRUM.max_doubt_early_nats)


def _settled_after(
    signal: Signal, settle: float, goals: dict[int, float], before: Samples | None
) -> dict[int, VotedString]:
    """The strings separable in the sound from `settle` s after the strum, without what sounded `before` it."""
    segment = after_strum(signal, settle)
    heard = sinusoids(Signal(segment, signal.rate)) if segment is not None else None
    if heard is None:
        return {}
    others = after_strum_onset(heard, before, signal.rate) if before is not None else None
    found = {s: deglided(heard, f) for s, f in cancel_iteratively(heard, goals, others).items()}
    share = _real(found)
    return {s: _own_pitch(heard, f, share) for s, f in found.items()} if share else found


def _real(found: dict[int, VotedString]) -> float:
    """How far (0 to 1) the partials scatter as a real guitar's do."""
    if len(found) < STRUM.min_real_strings:
        return 0.0
    least = float(np.quantile([f.scatter for f in found.values()], 1 / 3))
    return float(np.clip((least - STRUM.real_scatter_cents) / (STRUM.all_real_scatter_cents - STRUM.real_scatter_cents), 0, 1))


def _own_pitch(heard: Sinusoids, found: VotedString, share: float) -> VotedString:
    """A string with its reported pitch between first partial and period, as for single plucks."""
    parts = [heard.parts[row] for row in found.used]
    amplitude, decay = np.array([(c.amplitude, c.decay) for c in parts]).T
    above = share * period_offset(found.f1, found.numbers, heard.hz[found.used], amplitude, decay)
    return replace(found, f1=found.f1 * float(np.exp(above / CENTS)), own=share)


def _report(
    string: int, settled: dict[int, VotedString], goals: dict[int, float], targets: Targets
) -> StrumReading:
    assert targets.tuning is not None
    here = targets.tuning.pitch(string)
    also = tuple(s for s in goals if s != string and abs(targets.tuning.pitch(s) - here) <= SAME)
    found = settled.get(string)
    if found is None:
        return StrumReading(string, None, None, 0.0, also, _why_not([s for s in also if s in settled]))
    cents = 1200 * float(np.log2(found.f1 / goals[string]))
    confidence = float(1 / (1 + np.exp(found.doubt - STRUM.prior_nats)))
    sigma = float(np.hypot(found.sigma, STRUM.real_sigma_cents * found.own))
    return StrumReading(string, cents, sigma, min(confidence, 0.999), also)


def _why_not(heard_alike: list[int]) -> str:
    """Why a string has no reading; `heard_alike` are those of the same target that have one."""
    if heard_alike:
        return f"does not ring, or rings in unison with string {heard_alike[0]}: play it alone"
    return "cannot be told apart from the other strings: play it alone"


class SegmentParameters(NamedTuple):
    """The sound before a strum."""

    block_s: float = 0.05
    blocks: int = 4
    min_power_rise: float = 4.0  # by which the power rises where a strum begins
    search_s: float = 2.0  # before the loudest moment
    look_s: float = 0.3
    min_s: float = 0.1
    gap_s: float = 0.08  # between what is looked at and the jump, where the first strings may begin
    same_size_ratio: float = 0.25  # of its size in the strum: what was so large before already is not of the strum


SEGMENT = SegmentParameters()


def before_strum(signal: Signal) -> Samples | None:
    """The sound just before a strum (N,); None where it does not stand out, or the sound begins with it."""
    x, rate = signal
    size = int(SEGMENT.block_s * rate)
    power = np.square(x[: len(x) // size * size]).reshape(-1, size).mean(axis=1)
    if not np.any(power > 0):
        return None
    loudest = int(np.argmax(power))
    starts = range(max(2, loudest - int(SEGMENT.search_s / SEGMENT.block_s)), min(loudest, len(power) - SEGMENT.blocks) + 1)
    if not starts:
        return None
    rise = [
        power[k : k + SEGMENT.blocks].mean() / (power[max(0, k - SEGMENT.blocks) : k].mean() + 1e-5 * power[loudest])
        for k in starts
    ]
    if max(rise) < SEGMENT.min_power_rise:
        return None
    end = int((starts[int(np.argmax(rise))] * SEGMENT.block_s - SEGMENT.gap_s) * rate)
    stretch = x[max(0, end - int(SEGMENT.look_s * rate)) : max(0, end)]
    return stretch if len(stretch) >= SEGMENT.min_s * rate else None


def after_strum_onset(heard: Sinusoids, before: Samples, rate: float) -> Rows:
    """Flags the sinusoids (k,) of a strum that sounded `before` (N,) already."""
    size = np.abs(project(before, np.zeros(1, np.int64), hann(len(before)), heard.hz, rate))[0]
    amplitude: F = np.array([c.amplitude for c in heard.parts])
    return np.asarray(size > SEGMENT.same_size_ratio * amplitude)
