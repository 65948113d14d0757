"""Filters onsets: each candidate is confirmed; attacks, octaves and strings that ring on are rejected."""

from __future__ import annotations

import numpy as np

from juxtatune.core.listening.event.continuity import is_phase_continuous
from juxtatune.core.listening.event.detect import BETTER, BRIGHT, Candidate, detect_tone, is_multiple
from juxtatune.core.listening.event.modulation import is_modulated_continuation
from juxtatune.core.listening.event.repluck import HIGHEST, LEAST_JUMP, LEAST_JUMP_RISING, is_repluck
from juxtatune.core.listening.event.sustain import (
    comes_and_goes,
    decays,
    is_damped,
    is_sounding,
    of_the_mains,
)
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.types import Targets

LOOK_S = 0.3  # window in which a tone is scored best
LOUDER = 6.0  # power ratio: a tone so much louder is no echo of the one before
ECHO_S, LATE_ECHO_S, FAINT = 0.16, 0.27, 0.6  # after its onset, and below which score
HIGHEST_ECHO = 6.5  # times the pitch: higher up any tone is near one of another's partials
WEAK, CLEARLY = 0.45, 0.2  # in score: what a longer look may hear as another tone, and by how much better
AT_ONCE_S, SHORTEST_OPENING_S = 0.02, 0.12
OPENING_S, LONG_OPENING_S = 2.0, 0.5  # in which a string that rings from the start falls
ABOVE_MAINS_HZ = 90.0
SHORT_S = 0.6  # in which a string may not have begun to fall
FRESH = 0.3  # weight of a low partial that no swelling of a ringing string reaches
RISING = 2.0  # weight of new partials that only a pluck brings: beating brings a third of it


def filter_onsets(
    x: Samples, rate: float, times: list[float], targets: Targets, hummed: bool = False
) -> list[Candidate]:
    """The onsets (s) among `times` at which a string begins, one for each pluck; a string that sounds from the start
    counts as a pluck at 0.

    `hummed`: hum was removed, so that a steady tone near the mains may be its residual.
    """
    out: list[Candidate] = []
    opening = _opening(x, rate, times, targets, hummed)
    if opening is not None:
        out.append(opening)
    for k in range(len(times)):
        following = _following(times, k, len(x) / rate)
        c = _heard_at(x, rate, times, k, following, targets, out)
        if c is None or (of_the_mains(c) and not has_note_off(x, rate, c, following)):
            continue
        if out and (lower := _lower(x, rate, out[-1], c, targets)) is not None:
            out[-1] = lower
            continue
        if out and is_modulated_continuation(x, rate, c):
            continue
        if out and _echoes(out[-1], c):
            continue
        if out and _swells_in(x, rate, c, following, out[-1]):
            continue
        if out and same_pitch(out[-1], c):
            known = _known(x, rate, c, following, out[-1])
            if known is None:
                continue
            if not known:
                out.pop()
        out.append(c)
    return out


def has_note_off(x: Samples, rate: float, c: Candidate, following: float) -> bool:
    """Whether a tone decays until the next onset (or, above the mains, within seconds), is damped there, or comes and goes;
    hum does none of these."""
    looks = (following, c.onset + OPENING_S if c.tone.f1 > ABOVE_MAINS_HZ else following)
    if any(decays(x, rate, c, c.onset, until) for until in looks):
        return True
    if following - c.onset < SHORT_S and is_damped(x, rate, c, following):
        return True
    return comes_and_goes(x, rate, c)


def _following(times: list[float], k: int, end: float) -> float:
    """The next onset (s); one within 0.1 s belongs to the same attack and is skipped."""
    following = times[k + 1] if k + 1 < len(times) else end
    if following - times[k] < 0.1 and k + 2 <= len(times):
        following = times[k + 2] if k + 2 < len(times) else end
    return following


def _heard_at(
    x: Samples,
    rate: float,
    times: list[float],
    k: int,
    following: float,
    targets: Targets,
    before: list[Candidate],
) -> Candidate | None:
    """The tone detected at an onset; a weak one is scored again over a window that reaches past the next onset."""
    t = times[k]
    at_once, sounding_f0s = t < AT_ONCE_S and not before, tuple(b.tone.f1 for b in before[-3:])
    begun = detect_tone(x, rate, t, following, targets, at_once, sounding_f0s)
    c = begun.string
    if begun.new and (c is None or c.tone.score < WEAK) and following - t < LOOK_S and k + 1 < len(times):
        longer = _confirmed_between(x, rate, t, times[k + 1 : k + 3], targets)
        return longer if c is None or (longer and _clearer(longer, c)) else c
    return c


def _clearer(longer: Candidate, c: Candidate) -> bool:
    """Whether the longer window's tone scores clearly better, or, for another octave, somewhat better."""
    octave = is_multiple(longer.tone, c.tone) or is_multiple(c.tone, longer.tone)
    return longer.tone.score > c.tone.score + (BETTER if octave else CLEARLY)


def _known(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool | None:
    """For a tone at the pitch of the one before: True if it was picked again, False if only now it began and replaces that
    one, None if it just rings on."""
    if c.onset - before.onset < ECHO_S:
        # one pluck, flagged twice: it began at the earlier moment if it sounded between the two
        return None if is_sounding(x, rate, c, before.onset, c.onset) else False
    if before.first and c.onset < LOOK_S:
        return False
    return True if _again(x, rate, c, following, before) else None


def _opening(x: Samples, rate: float, times: list[float], targets: Targets, hummed: bool) -> Candidate | None:
    """The string that sounds from the start of the recording, before the first onset; None for none."""
    if times and times[0] < AT_ONCE_S:
        return None
    first = next((t for t in times if t > SHORTEST_OPENING_S), len(x) / rate)
    if first <= SHORTEST_OPENING_S:
        return None
    c = detect_tone(x, rate, 0.0, first, targets, opening=True).string
    if c is None or not is_sounding(x, rate, c, 0.0, min(first, LOOK_S) / 2):
        return None
    # until a first noise it may hardly fall; what is tuned like hum must fall before there is any
    looks: tuple[float, ...] = (first, OPENING_S)
    if of_the_mains(c):
        looks = (first,) if first > LONG_OPENING_S and not hummed else ()
    return c if any(decays(x, rate, c, 0.0, until) for until in looks) else None


def _echoes(before: Candidate, c: Candidate) -> bool:
    """Whether a tone is an octave or twelfth of the one before, brought out as that one's attack decays."""
    since = c.onset - before.onset
    soon = since < ECHO_S or (since < LATE_ECHO_S and c.tone.score < FAINT and not c.tone.rich)
    return soon and c.level < LOUDER * before.level and _same_tone(before, c) and not same_pitch(before, c)


def _lower(x: Samples, rate: float, before: Candidate, c: Candidate, targets: Targets) -> Candidate | None:
    """Octave correction downward: the tone before was detected an octave too high, if a longer window there confirms the
    lower one heard now; else None."""
    if before.first or c.onset - before.onset > ECHO_S or not is_multiple(before.tone, c.tone):
        return None
    longer = detect_tone(x, rate, before.onset, before.onset + 2 * LOOK_S, targets).string
    return longer if longer is not None and same_pitch(longer, c) else None


def _confirmed_between(
    x: Samples, rate: float, t: float, after: list[float], targets: Targets
) -> Candidate | None:
    """A tone scored over a window beyond the next onset, which is only part of its attack."""
    c = detect_tone(x, rate, t, after[1] if len(after) > 1 else len(x) / rate, targets).string
    return c if c is not None and is_sounding(x, rate, c, t, after[0]) else None


def _again(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string detected again was re-plucked: new energy without phase continuity."""
    hz = np.array([f for n, f, _ in c.tone.matched if n <= HIGHEST])
    return _new(x, rate, c, following, before) and not is_phase_continuous(x, rate, hz, c.tone.f1, before.onset, c.onset)


def _new(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string detected again shows new energy; a noise over it can do that too."""
    if c.level > LOUDER * before.level:
        return True
    since = before.onset
    least = LEAST_JUMP_RISING if c.tone.explained > RISING else LEAST_JUMP
    if c.onset - since > 1.0 and _fresh(c):
        return True
    bright = c.tone.explained > BRIGHT
    return is_repluck(x, rate, c.onset, following, since, least, bright=bright) is not None


def _fresh(c: Candidate) -> bool:
    """Whether a low partial is so new that no beating of a ringing string explains it."""
    return max((w for n, _, w in c.tone.matched if n <= 8), default=0.0) > FRESH


def _swells_in(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a tone is a subset of the partials of the one before, which grow as they beat."""
    return is_multiple(c.tone, before.tone) and not _fresh(c) and not _again(x, rate, c, following, before)


def same_pitch(a: Candidate, b: Candidate) -> bool:
    return abs(1200 * np.log2(a.tone.f1 / b.tone.f1)) < 80


def _same_tone(a: Candidate, b: Candidate) -> bool:
    """True when one could be taken for a partial of the other."""
    ratio = max(a.tone.f1, b.tone.f1) / min(a.tone.f1, b.tone.f1)
    return ratio < HIGHEST_ECHO and abs(1200 * np.log2(ratio / round(ratio))) < 30
