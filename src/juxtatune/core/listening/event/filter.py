"""Filters onsets: each candidate is confirmed; attacks, octaves and strings that ring on are rejected."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.event.continuity import is_modulated_continuation, is_phase_continuous
from juxtatune.core.listening.event.detect import DETECTION, Candidate, detect_tone, is_multiple
from juxtatune.core.listening.event.repluck import REPLUCK, is_repluck
from juxtatune.core.listening.event.sustain import (
    comes_and_goes,
    decays,
    is_sounding,
    of_the_mains,
)
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Targets


class FilterParameters(NamedTuple):
    """Rejection of false onsets."""

    look_s: float = 0.3  # window in which a tone is scored best
    max_echo_power_ratio: float = 6.0  # power ratio: a tone so much louder is no echo of the one before
    echo_s: float = 0.16  # after the onset of the tone before
    late_echo_s: float = 0.27  # the same of a tone with a low score
    max_late_echo_score: float = 0.6
    max_echo_multiple: float = 6.5  # times the pitch: higher up any tone is near one of another's partials
    at_once_s: float = 0.02
    min_opening_s: float = 0.12
    opening_decay_s: float = 2.0  # in which a string that rings from the start falls
    long_opening_s: float = 0.5
    above_mains_hz: float = 90.0
    fresh_weight: float = 0.3  # weight of a low partial that no swelling of a ringing string reaches
    rising_weight: float = 2.0  # weight of new partials that only a pluck brings: beating brings a third of it


FILTER = FilterParameters()


def filter_onsets(
    signal: Signal, times: list[float], targets: Targets, hummed: bool = False
) -> list[Candidate]:
    """The onsets (s) among `times` at which a string begins, one for each pluck; a string that sounds from the start
    counts as a pluck at 0.

    `hummed`: hum was removed, so that a steady tone near the mains may be its residual.
    """
    out: list[Candidate] = []
    opening = _opening(signal, times, targets, hummed)
    if opening is not None:
        out.append(opening)
    for k in range(len(times)):
        out = with_onset(signal, times, k, targets, out)
    return out


def with_onset(
    signal: Signal, times: list[float], k: int, targets: Targets, before: list[Candidate]
) -> list[Candidate]:
    """The candidates confirmed `before` the onset times[k] (s), and that onset's if a string begins there; it may also
    correct or replace the last one."""
    t, following = times[k], _following(times, k, signal.length_s)
    at_once, sounding_f0s = t < FILTER.at_once_s and not before, tuple(b.tone.f1 for b in before[-3:])
    c = detect_tone(signal, t, following, targets, at_once, sounding_f0s)
    if c is None or (of_the_mains(c) and not has_note_off(signal, c, following)):
        return before
    if not before:
        return [c]
    *earlier, last = before
    if (lower := _lower(signal, last, c, targets)) is not None:
        return [*earlier, lower]
    if is_modulated_continuation(signal, c) or _echoes(last, c):
        return before
    if not same_pitch(last, c):
        return [*before, c]
    known = _known(signal, c, following, last)
    return before if known is None else [*(before if known else earlier), c]


def has_note_off(signal: Signal, c: Candidate, following: float) -> bool:
    """Whether a tone decays until the next onset (or, above the mains, within seconds), or comes and goes; hum does neither."""
    looks = (following, c.onset + FILTER.opening_decay_s if c.tone.f1 > FILTER.above_mains_hz else following)
    return any(decays(signal, c, c.onset, until) for until in looks) or comes_and_goes(signal, c)


def _following(times: list[float], k: int, end: float) -> float:
    """The next onset (s); one within 0.1 s belongs to the same attack and is skipped."""
    following = times[k + 1] if k + 1 < len(times) else end
    if following - times[k] < 0.1 and k + 2 <= len(times):
        following = times[k + 2] if k + 2 < len(times) else end
    return following


def _known(signal: Signal, c: Candidate, following: float, before: Candidate) -> bool | None:
    """For a tone at the pitch of the one before: True if it was picked again, False if only now it began and replaces that
    one, None if it just rings on."""
    if c.onset - before.onset < FILTER.echo_s:
        # one pluck, flagged twice: it began at the earlier moment if it sounded between the two
        return None if is_sounding(signal, c, before.onset, c.onset) else False
    if before.first and c.onset < FILTER.look_s:
        return False
    return True if _again(signal, c, following, before) else None


def _opening(signal: Signal, times: list[float], targets: Targets, hummed: bool) -> Candidate | None:
    """The string that sounds from the start of the recording, before the first onset; None for none."""
    if times and times[0] < FILTER.at_once_s:
        return None
    first = next((t for t in times if t > FILTER.min_opening_s), signal.length_s)
    if first <= FILTER.min_opening_s:
        return None
    c = detect_tone(signal, 0.0, first, targets, opening=True)
    if c is None or not is_sounding(signal, c, 0.0, min(first, FILTER.look_s) / 2):
        return None
    # until a first noise it may hardly fall; what is tuned like hum must fall before there is any
    looks: tuple[float, ...] = (first, FILTER.opening_decay_s)
    if of_the_mains(c):
        looks = (first,) if first > FILTER.long_opening_s and not hummed else ()
    return c if any(decays(signal, c, 0.0, until) for until in looks) else None


def _echoes(before: Candidate, c: Candidate) -> bool:
    """Whether a tone is an octave or twelfth of the one before, brought out as that one's attack decays."""
    since = c.onset - before.onset
    soon = since < FILTER.echo_s or (since < FILTER.late_echo_s and c.tone.score < FILTER.max_late_echo_score and not c.tone.rich)
    return soon and c.level < FILTER.max_echo_power_ratio * before.level and _same_tone(before, c) and not same_pitch(before, c)


def _lower(signal: Signal, before: Candidate, c: Candidate, targets: Targets) -> Candidate | None:
    """Octave correction downward: the tone before was detected an octave too high, if a longer window there confirms the
    lower one heard now; else None."""
    if before.first or c.onset - before.onset > FILTER.echo_s or not is_multiple(before.tone, c.tone):
        return None
    longer = detect_tone(signal, before.onset, before.onset + 2 * FILTER.look_s, targets)
    return longer if longer is not None and same_pitch(longer, c) else None


def _again(signal: Signal, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string detected again was re-plucked: new energy without phase continuity."""
    hz = np.array([f for n, f, _ in c.tone.matched if n <= REPLUCK.max_partial])
    return _new(signal, c, following, before) and not is_phase_continuous(signal, hz, c.tone.f1, before.onset, c.onset)


def _new(signal: Signal, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string detected again shows new energy; a noise over it can do that too."""
    if c.level > FILTER.max_echo_power_ratio * before.level:
        return True
    since = before.onset
    least = REPLUCK.min_jump_rising if c.tone.explained > FILTER.rising_weight else REPLUCK.min_jump
    if c.onset - since > 1.0 and _fresh(c):
        return True
    bright = c.tone.explained > DETECTION.bright_weight
    return is_repluck(signal, c.onset, following, since, least, bright=bright) is not None


def _fresh(c: Candidate) -> bool:
    """Whether a low partial is so new that no beating of a ringing string explains it."""
    return max((w for n, _, w in c.tone.matched if n <= 8), default=0.0) > FILTER.fresh_weight


def same_pitch(a: Candidate, b: Candidate) -> bool:
    return abs(1200 * np.log2(a.tone.f1 / b.tone.f1)) < 80


def _same_tone(a: Candidate, b: Candidate) -> bool:
    """True when one could be taken for a partial of the other."""
    ratio = max(a.tone.f1, b.tone.f1) / min(a.tone.f1, b.tone.f1)
    return ratio < FILTER.max_echo_multiple and abs(1200 * np.log2(ratio / round(ratio))) < 30
