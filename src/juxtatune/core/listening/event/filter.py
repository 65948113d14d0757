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

LOOK_S = 0.3  # what a tone is best told by
LOUDER = 6.0  # in power: what sounds so much louder is no echo of what was heard before
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
    """The candidates at which a string begins, one for each pluck; a ringing start counts as a pluck at 0.

    `hummed`: hum was taken out, and what is left of it is no string.
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
    """Whether a tone falls until the next onset or, above the mains, in the next seconds, or is cut short there, or
    comes and goes: hum stays."""
    looks = (following, c.onset + OPENING_S if c.tone.f1 > ABOVE_MAINS_HZ else following)
    if any(decays(x, rate, c, c.onset, until) for until in looks):
        return True
    if following - c.onset < SHORT_S and is_damped(x, rate, c, following):
        return True
    return comes_and_goes(x, rate, c)


def _following(times: list[float], k: int, end: float) -> float:
    """When the next sound may begin; what comes within a tenth of a second is of the same attack."""
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
    """The tone that begins at an onset; a weak one is looked at once more past the next, if anything begins at all."""
    t = times[k]
    at_once, ringing = t < AT_ONCE_S and not before, tuple(b.tone.f1 for b in before[-3:])
    begun = detect_tone(x, rate, t, following, targets, at_once, ringing)
    c = begun.string
    if begun.new and (c is None or c.tone.score < WEAK) and following - t < LOOK_S and k + 1 < len(times):
        longer = _confirmed_between(x, rate, t, times[k + 1 : k + 3], targets)
        return longer if c is None or (longer and _clearer(longer, c)) else c
    return c


def _clearer(longer: Candidate, c: Candidate) -> bool:
    """Whether a longer look hears another tone clearly better, or another octave by some."""
    octave = is_multiple(longer.tone, c.tone) or is_multiple(c.tone, longer.tone)
    return longer.tone.score > c.tone.score + (BETTER if octave else CLEARLY)


def _known(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool | None:
    """Of a tone of the pitch of the one before: True where it was picked again, False where it began only now, None where
    it just rings on."""
    if c.onset - before.onset < ECHO_S:
        # one pluck, flagged twice: it began at the earlier moment if it sounded between the two
        return None if is_sounding(x, rate, c, before.onset, c.onset) else False
    if before.first and c.onset < LOOK_S:
        return False
    return True if _again(x, rate, c, following, before) else None


def _opening(x: Samples, rate: float, times: list[float], targets: Targets, hummed: bool) -> Candidate | None:
    """A string that rings from the very start, when the first onset comes only later."""
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
    """Whether a tone is another octave or twelfth of the one before, as its attack fades."""
    since = c.onset - before.onset
    soon = since < ECHO_S or (since < LATE_ECHO_S and c.tone.score < FAINT and not c.tone.rich)
    return soon and c.level < LOUDER * before.level and _same_tone(before, c) and not same_pitch(before, c)


def _lower(x: Samples, rate: float, before: Candidate, c: Candidate, targets: Targets) -> Candidate | None:
    """What began as its own octave, which a drum or a band beside it brought out: the lower tone heard a moment later, if a
    longer look hears it too."""
    if before.first or c.onset - before.onset > ECHO_S or not is_multiple(before.tone, c.tone):
        return None
    longer = detect_tone(x, rate, before.onset, before.onset + 2 * LOOK_S, targets).string
    return longer if longer is not None and same_pitch(longer, c) else None


def _confirmed_between(
    x: Samples, rate: float, t: float, after: list[float], targets: Targets
) -> Candidate | None:
    """A tone that needs a longer look than to the next candidate, which is but a turn in its attack."""
    c = detect_tone(x, rate, t, after[1] if len(after) > 1 else len(x) / rate, targets).string
    return c if c is not None and is_sounding(x, rate, c, t, after[0]) else None


def _again(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string heard again a moment later was picked again, and does not just ring on."""
    hz = np.array([f for n, f, _ in c.tone.matched if n <= HIGHEST])
    return _new(x, rate, c, following, before) and not is_phase_continuous(x, rate, hz, c.tone.f1, before.onset, c.onset)


def _new(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string heard again a moment later seems to have begun anew, perhaps but under a noise."""
    if c.level > LOUDER * before.level:
        return True
    since = before.onset
    least = LEAST_JUMP_RISING if c.tone.explained > RISING else LEAST_JUMP
    if c.onset - since > 1.0 and _fresh(c):
        return True
    bright = c.tone.explained > BRIGHT
    return is_repluck(x, rate, c.onset, following, since, least, bright=bright) is not None


def _fresh(c: Candidate) -> bool:
    """Whether one of a tone's low partials is as new as no swelling of a ringing string makes it."""
    return max((w for n, _, w in c.tone.matched if n <= 8), default=0.0) > FRESH


def _swells_in(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a tone is but an octave or twelfth within the one before, some of whose partials grow as it rings."""
    return is_multiple(c.tone, before.tone) and not _fresh(c) and not _again(x, rate, c, following, before)


def same_pitch(a: Candidate, b: Candidate) -> bool:
    return abs(1200 * np.log2(a.tone.f1 / b.tone.f1)) < 80


def _same_tone(a: Candidate, b: Candidate) -> bool:
    """True when one could be taken for a partial of the other."""
    ratio = max(a.tone.f1, b.tone.f1) / min(a.tone.f1, b.tone.f1)
    return ratio < HIGHEST_ECHO and abs(1200 * np.log2(ratio / round(ratio))) < 30
