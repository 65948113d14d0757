"""A whole sound, from candidates to readings; the same steps that live listening takes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from juxtatune.core.listening.again import LEAST_JUMP, LEAST_JUMP_RISING, picked_again
from juxtatune.core.listening.bleed import without_bleed, without_strays
from juxtatune.core.listening.confirm import Candidate, confirm
from juxtatune.core.listening.damped import until_damped
from juxtatune.core.listening.damping import damping
from juxtatune.core.listening.detect import onsets
from juxtatune.core.listening.ending import envelope
from juxtatune.core.listening.frames import to_working_rate
from juxtatune.core.listening.hum import MAINS_HZ, without_hum
from juxtatune.core.listening.measure import read
from juxtatune.core.listening.partials import partial_hz
from juxtatune.core.listening.pluck import Reading, Targets
from juxtatune.core.listening.project import hann, project
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.whose import told_apart

LOOK_S = 0.3  # what a tone is best told by
UNREAD_DB = 8.0
ALONE_S = 0.3
LOUDER = 6.0  # in power: what sounds so much louder is no echo of what was heard before
ECHO_S, LATE_ECHO_S, FAINT = 0.16, 0.27, 0.6  # after its onset, and below which score
WEAK, CLEARLY = 0.45, 0.2  # in score: what a longer look may hear as another tone, and by how much better
AT_ONCE_S, SHORTEST_OPENING_S = 0.02, 0.12
OPENING_S, LONG_OPENING_S = 2.0, 0.5  # in which a string that rings from the start falls
OF_MAINS, OF_MAINS_HZ, NEARLY_ALL = 0.003, 1.5, 0.8  # from a multiple; of the weight
FRESH = 0.3  # weight of a low partial that no swelling of a ringing string reaches
RISING = 2.0  # weight of new partials that only a pluck brings: beating brings a third of it
HUM_DECAY_DB = 1.0  # a string loses at least this much in a second


def analyse(samples: Samples, rate: float, targets: Targets) -> list[Reading]:
    """All plucks of one channel, in order. Times count from the first sample."""
    x, working = to_working_rate(samples, rate)
    return analyse_working(x, working, targets)


def analyse_working(x: Samples, rate: float, targets: Targets) -> list[Reading]:
    length = len(x) / rate
    peak = float(np.max(np.abs(x))) if len(x) else 0.0
    if peak < 1e-6:
        return []
    raw, x = x, without_hum(x, rate)
    found = confirmed(x, rate, onsets(x, rate), targets, x is not raw)
    found = without_bleed(found, targets)
    readings: list[Reading | None] = []
    for k, c in enumerate(found):
        later = found[k + 1 :]
        same = next((d.onset for d in later if _same_pitch(c, d)), length)
        crowd = later[0].onset if later else length
        still = tuple(r.f1 for r in readings if r is not None and r.f1 is not None and r.end > c.onset + 0.1)
        r = read(x, rate, c, min(same, length), crowd, targets, still)
        if r is not None:
            r = until_damped(x, rate, r, later)
        readings.append(
            _with_timbre(x, rate, r, crowd) if r is not None and targets.source is not None else r
        )
    heard = [r for r in readings if r is not None]
    # what cannot be read is worth saying of a pluck, not of every sound beside one
    loudest = max((r.level_db for r in heard), default=0.0)
    heard = [r for r in heard if r.f1 is not None or r.level_db > loudest - UNREAD_DB]
    return without_strays(told_apart(heard, targets), targets)


def _with_timbre(x: Samples, rate: float, r: Reading, crowd: float) -> Reading:
    """The reading with what tells its string from another that may have this pitch; `crowd` is when another joins (s)."""
    if r.f1 is None or r.stretch is None:
        return r
    until = min(r.end, crowd) if crowd - r.start > ALONE_S else r.end
    return replace(r, damping=damping(x, rate, r.start, until, r.f1, r.stretch))


def _same_pitch(a: Candidate, b: Candidate) -> bool:
    return abs(1200 * np.log2(a.tone.f1 / b.tone.f1)) < 80


def _same_tone(a: Candidate, b: Candidate) -> bool:
    """True when one could be taken for a partial of the other."""
    ratio = max(a.tone.f1, b.tone.f1) / min(a.tone.f1, b.tone.f1)
    return abs(1200 * np.log2(ratio / round(ratio))) < 30


def confirmed(
    x: Samples, rate: float, times: list[float], targets: Targets, hummed: bool = False
) -> list[Candidate]:
    """The candidates at which a string begins, one for each pluck; a ringing start counts as a pluck at 0.

    `hummed`: hum was taken out, and what is left of it is no string.
    """
    out: list[Candidate] = []
    opening = _opening(x, rate, times, targets, hummed)
    if opening is not None:
        out.append(opening)
    for k, t in enumerate(times):
        following = times[k + 1] if k + 1 < len(times) else len(x) / rate
        if following - t < 0.1 and k + 2 <= len(times):
            following = times[k + 2] if k + 2 < len(times) else len(x) / rate
        c = confirm(
            x, rate, t, following, targets, t < AT_ONCE_S and not out, tuple(o.tone.f1 for o in out[-3:])
        )
        if (c is None or c.tone.score < WEAK) and following - t < LOOK_S and k + 1 < len(times):
            longer = _confirmed_over(x, rate, t, times[k + 1 : k + 3], targets)
            c = longer if c is None or (longer and longer.tone.score > c.tone.score + CLEARLY) else c
        if c is None or (_of_the_mains(c) and not _decays(x, rate, c, t, following)):
            continue
        if out and _echoes(out[-1], c):
            continue
        if out and t - out[-1].onset < 0.16 and _same_pitch(out[-1], c):
            # one pluck, flagged twice: it began at the earlier moment if it sounded between the two
            if _sounds(x, rate, c, out[-1].onset, t):
                continue
            out.pop()
        elif out and _same_pitch(out[-1], c):
            if out[-1].first and t < LOOK_S:
                out.pop()  # it began only now
            elif not _again(x, rate, c, following, out[-1]):
                continue
        out.append(c)
    return out


def _opening(x: Samples, rate: float, times: list[float], targets: Targets, hummed: bool) -> Candidate | None:
    """A string that rings from the very start, when the first onset comes only later."""
    if times and times[0] < AT_ONCE_S:
        return None
    first = next((t for t in times if t > SHORTEST_OPENING_S), len(x) / rate)
    if first <= SHORTEST_OPENING_S:
        return None
    c = confirm(x, rate, 0.0, first, targets, opening=True)
    if c is None or not _sounds(x, rate, c, 0.0, min(first, LOOK_S) / 2):
        return None
    # until a first noise it may hardly fall; what is tuned like hum must fall before there is any
    looks: tuple[float, ...] = (first, OPENING_S)
    if _of_the_mains(c):
        looks = (first,) if first > LONG_OPENING_S and not hummed else ()
    return c if any(_decays(x, rate, c, 0.0, until) for until in looks) else None


def _echoes(before: Candidate, c: Candidate) -> bool:
    """Whether a tone is another octave or twelfth of the one before, as its attack fades."""
    since = c.onset - before.onset
    soon = since < ECHO_S or (since < LATE_ECHO_S and c.tone.score < FAINT and not c.tone.rich)
    return soon and c.level < LOUDER * before.level and _same_tone(before, c) and not _same_pitch(before, c)


def _confirmed_over(
    x: Samples, rate: float, t: float, after: list[float], targets: Targets
) -> Candidate | None:
    """A tone that needs a longer look than to the next candidate, which is but a turn in its attack."""
    c = confirm(x, rate, t, after[1] if len(after) > 1 else len(x) / rate, targets)
    return c if c is not None and _sounds(x, rate, c, t, after[0]) else None


def _again(x: Samples, rate: float, c: Candidate, following: float, before: Candidate) -> bool:
    """Whether a string heard again a moment later was picked again, and does not just ring on."""
    if c.level > LOUDER * before.level:
        return True
    since = before.onset
    least = LEAST_JUMP_RISING if c.tone.explained > RISING else LEAST_JUMP
    fresh = max((w for n, _, w in c.tone.matched if n <= 8), default=0.0) > FRESH
    return (c.onset - since > 1.0 and fresh) or picked_again(
        x, rate, c.onset, following, since, least
    ) is not None


def _sounds(x: Samples, rate: float, c: Candidate, begin: float, end: float) -> bool:
    """True when a tone is heard between two moments about as loud as it is after them."""
    hz = np.array([f for _, f, _ in c.tone.matched][:8])
    between = x[int((begin + 0.01) * rate) : int(end * rate)]
    after = x[int((end + 0.02) * rate) : int((end + 0.02) * rate) + len(between)]
    if len(between) < 0.03 * rate or len(after) < len(between):
        return True
    z = project(np.stack([between, after]), hann(len(between)), hz, rate)
    there, then = np.sum(np.abs(z) ** 2, axis=1)
    return bool(there > 0.25 * then)


def _of_the_mains(c: Candidate) -> bool:
    """True at the frequencies of hum, which no string is tuned to this closely by chance, nor have all its partials."""
    if any(abs(c.tone.f1 / (n * mains) - 1) < OF_MAINS for mains in MAINS_HZ for n in (1, 2)):
        return True
    _, hz, weight = (np.array(column) for column in zip(*c.tone.matched, strict=True))
    for mains in MAINS_HZ:
        if abs(c.tone.f1 / mains - round(c.tone.f1 / mains)) < OF_MAINS * c.tone.f1 / mains:
            continue  # all partials of a string that happens to be tuned to a harmonic are harmonics
        off = np.abs(hz - mains * np.maximum(np.rint(hz / mains), 1))
        if weight[off < np.minimum(OF_MAINS * hz, OF_MAINS_HZ)].sum() > NEARLY_ALL * weight.sum():
            return True
    return False


def _decays(x: Samples, rate: float, c: Candidate, start: float, until: float) -> bool:
    """Tells a string that rings from hum that stays."""
    numbers = np.array([n for n, _, _ in c.tone.matched][:6])
    t, power = envelope(
        x, rate, start, min(until, start + 2.0), partial_hz(c.tone.f1, c.tone.stretch, numbers), c.tone.f1
    )
    if len(t) < 4:
        return False
    slope = np.polyfit(t, 10 * np.log10(power.sum(axis=1) + 1e-14), 1)[0]
    return bool(slope < -HUM_DECAY_DB)
