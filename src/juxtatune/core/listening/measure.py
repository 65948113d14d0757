"""From one onset to one reading: is it a string, which, at what pitch, from when to when."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.again import picked_again
from juxtatune.core.listening.assign import nearest_note, place_pitch
from juxtatune.core.listening.drift import at_mean, drifting
from juxtatune.core.listening.harmonic import Tone, candidates
from juxtatune.core.listening.partials import USUAL_STRETCH, Fit, fit_pluck, partial_hz
from juxtatune.core.listening.peaks import Peaks, new_peaks
from juxtatune.core.listening.pluck import Reading, Targets
from juxtatune.core.listening.project import hann, project
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.surest import surest

ATTACK_FROM, ATTACK_TO = 0.012, 0.112
LONGEST_LOOK = 12.0  # s
REFINE_S = 0.05
ATTACK_BEFORE_S, NOTED_S = 0.08, 0.015
OVER_BESIDE = 1.5  # times what is usually beside a tone it is lost in it
MOST_BESIDE = 0.15
DAMPED_S = 0.03  # from the frame before the fall to the fall itself
LEAST_SCORE = 0.42
RICH_SCORE = 0.25
SURE_SCORE = 0.75  # above it a tone of new partials is not doubted
CLEARER = 0.3  # in score: so it is picked again itself, and not its octave
NEAR = 0.75  # semitones from a string's target
NEARLY_ALL = 0.95
SHARED = 0.01  # a higher string so close to a partial shares it
MOSTLY, CLOSE = 0.96, 0.2  # of the power; in score
ODD, NOWHERE = 0.06, 0.25  # what a tone's score loses further off, and on no string


@dataclass(frozen=True)
class Candidate:
    """A confirmed tone at an onset, before its pitch is fitted."""

    onset: float
    tone: Tone
    rival: float  # score of the best tone at another octave or string
    level: float  # power of the matched peaks
    first: bool  # sounds from the very start of the recording


def confirm(
    x: Samples,
    rate: float,
    onset: float,
    following: float,
    targets: Targets,
    opening: bool = False,
    ringing: tuple[float, ...] = (),
) -> Candidate | None:
    """Checks that a string begins to sound at an onset; `following` is the time of the next candidate.

    `ringing` (Hz) are the strings that may still sound: one of them may just have been picked again.
    """
    begin = onset + (0.0 if opening else 0.018)
    stop = min(begin + 0.3, max(following - 0.005, begin + 0.1), len(x) / rate)
    if stop - begin < 0.08:
        return None
    after = x[int(begin * rate) : int(stop * rate)]
    before_end = int(max(0.0, onset - 0.015) * rate)
    before = x[max(0, before_end - len(after)) : before_end] if not opening else None
    peaks = new_peaks(after, before, rate)
    total = candidates(peaks) if len(peaks) >= 2 else []
    best = _preferred(total, targets) if total else None
    again = None
    if best is None or not _is_string(best) or (best.score < SURE_SCORE and ringing):
        alone = best is None or not _is_string(best)
        again = picked_again(x, rate, onset, following, over=not alone)
        if again is not None and (alone or best is None or _takes_over(again[0], best, ringing)):
            best, peaks = again
        else:
            again = None
    if best is None or not _is_string(best):
        return None
    others = [t.score for t in total if abs(12 * np.log2(t.f1 / best.f1)) > 1.0]
    rang = again is None and _rang(best, ringing[-1:])
    level = _power(after, rate, best.f1) if rang else _own_power(best, peaks, ringing[-1:])
    return Candidate(onset, best, max(others, default=0.0), level, opening)


def _power(part: Samples, rate: float, f1: float) -> float:
    """What the low partials of a tone carry, whether they are new or not."""
    hz = partial_hz(f1, USUAL_STRETCH, np.arange(1, 9))
    z = project(part[None, :], hann(len(part)), hz[hz < 0.45 * rate], rate)
    return float(np.sum(np.abs(z) ** 2))


def _own_power(tone: Tone, peaks: Peaks, ringing: tuple[float, ...]) -> float:
    """What a tone carries beside the partials it may share with a higher string that rings."""
    number, hz, _ = (np.array(column) for column in zip(*tone.matched, strict=True))
    ratios = np.array([f / tone.f1 for f in ringing if f > 1.5 * tone.f1])
    times = np.rint(ratios)[np.abs(ratios / np.rint(ratios) - 1) < SHARED]
    own = np.all(number[:, None] % times != 0, axis=1)
    return float(peaks.powers[np.isin(peaks.hz, hz[own])].sum()) if own.any() else tone.power


def _takes_over(again: Tone, best: Tone, ringing: tuple[float, ...]) -> bool:
    """Whether a tone that jumps is the one picked, and not a lower one that rings under it."""
    return _rang(again, ringing) and (again.score > best.score + CLEARER or not _is_multiple(best, again))


def _rang(tone: Tone, ringing: tuple[float, ...]) -> bool:
    return any(abs(1200 * np.log2(tone.f1 / f)) < 60 for f in ringing)


def _preferred(tones: list[Tone], targets: Targets) -> Tone:
    """The best of the tones that carry the loud peaks; one far from every string must be better by a margin."""
    if targets.tuning is None:
        return tones[0]
    most = max(t.power for t in tones)
    loud = [t for t in tones if t.power > 0.5 * most]
    best = max(loud, key=lambda t: t.score - _strange(t, targets))
    # a bass that plays along an octave or a twelfth below leaves nearly all of the power to the string
    above = [
        t for t in tones
        if t.power > MOSTLY * most and t.score > best.score - CLOSE
        and _strange(t, targets) <= _strange(best, targets) and _is_multiple(t, best)
    ]  # fmt: skip
    return max(above, key=lambda t: t.score, default=best)


def _is_multiple(tone: Tone, of: Tone) -> bool:
    ratio = tone.f1 / of.f1
    return 1.5 < ratio < 4.5 and abs(ratio - round(ratio)) < 0.03


def _strange(tone: Tone, targets: Targets) -> float:
    """What a tone's score loses for lying away from where the strings are tuned, or may still be."""
    if not any(low <= tone.f1 <= high for low, high in targets.ranges_hz() or []):
        return NOWHERE
    if targets.source is not None or targets.tuning is None:
        return 0.0
    pitch = targets.reference.pitch(tone.f1)
    return 0.0 if min(abs(pitch - p) for p in targets.tuning.pitches) < NEAR else ODD


def _is_string(tone: Tone) -> bool:
    """A string has several partials, low ones among them, that explain most of what is new."""
    numbers = [n for n, _, _ in tone.matched]
    enough = 3 if tone.f1 < 500 else 2
    least = RICH_SCORE if tone.rich else LEAST_SCORE
    return tone.score >= least and len(numbers) >= enough and min(numbers) <= 3 and tone.explained >= 0.8


def envelope(
    x: Samples, rate: float, start: float, end: float, hz: NDArray[np.floating], spacing: float
) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """Power of the given partials over time (centre times in s), from Hann frames of 60 ms every 15 ms.

    `spacing` is the distance of the partials in Hz: longer frames keep low strings' partials apart.
    """
    size = int(max(0.06, 4.0 / spacing) * rate)
    first, last = int(start * rate), min(int(end * rate), len(x))
    if last - first < size:
        size = max(8, last - first)
    hop = max(1, int(0.015 * rate))
    starts = np.arange(first, max(first + 1, last - size + 1), hop)
    frames = np.lib.stride_tricks.sliding_window_view(x[:last], size)[starts]
    return (starts + size / 2) / rate, np.abs(project(frames, hann(size), hz, rate)) ** 2


def find_end(
    x: Samples,
    rate: float,
    onset: float,
    limit: float,
    crowd: float,
    tone_hz: NDArray[np.floating],
    f1: float,
    among: bool = False,
) -> float:
    """When the tone is damped or lost: its partials fall far below their start, or suddenly, or into noise.

    Noise is what sounds beside the partials before another string joins at `crowd` (s); `among` strings that ring, on
    the quieter side of each.
    """
    last = min(limit, onset + LONGEST_LOOK, len(x) / rate)
    count = len(tone_hz)
    sides = [tone_hz + 0.5 * f1, tone_hz - 0.5 * f1] if among else [tone_hz + 0.5 * f1]
    every = np.concatenate([tone_hz, *sides])
    for look in (2.5, LONGEST_LOOK):
        # most notes end soon: the long look is paid for only where it is needed
        t, power = envelope(x, rate, onset, min(last, onset + look), every, f1)
        alone = max(10, int(np.searchsorted(t, crowd)))
        beside = power[:alone, count:].reshape(-1, len(sides), count).min(axis=1).sum(axis=1)
        end = _drop(t, power[:, :count], float(np.median(beside)))
        if end is not None or onset + look >= last:
            break
    return last if end is None else end


def _drop(t: NDArray[np.floating], power: NDArray[np.floating], beside: float) -> float | None:
    """The time at which a tone's power (M, P) falls suddenly, far below its start, or into what sounds beside it."""
    total = power.sum(axis=1)
    attack = slice(0, int(0.15 / 0.015))
    start_level = total[attack].max()
    # what is nearly as loud as the tone begins is no noise but strings that reach beside its partials
    floor = min(beside * OVER_BESIDE, MOST_BESIDE * start_level) + 1e-14
    if start_level <= 0:
        return None
    db = 10 * np.log10(total / start_level + 1e-12)
    lost = (db < -45) | (total < 1.5 * floor)
    # another string may go on in one partial, not in most
    start_levels = power[attack].max(axis=0)
    strong = start_levels > max(0.003 * start_levels.max(), 4 * floor / power.shape[1])
    each = np.log10(power[:, strong] / start_level + 1e-12).mean(axis=1) * 10 if strong.any() else db
    now = np.arange(3, len(db))
    after = np.minimum(now + 2, len(db) - 1)
    fallen = [(d[now] - d[now - 3] < -9) & (d[after] < d[now - 3] - 9) for d in (db, each)]
    sudden = fallen[0] | fallen[1]
    over = np.flatnonzero(sudden | (lost[now] & lost[after]))
    if len(over) == 0:
        return None
    k = int(over[0])
    return float(t[now[k] - 2] + DAMPED_S if sudden[k] else t[now[k]])


def refine_onset(x: Samples, rate: float, fit: Fit, onset: float) -> float:
    """The moment from which the fitted tone explains the sound best, near the guess.

    Cumulative log-likelihood of "silence before, tone after": exact to a few samples when clean, and
    still a matched filter in noise.
    """
    first, last = max(0, int((onset - REFINE_S) * rate)), min(len(x), int((onset + REFINE_S) * rate))
    if last - first < 16:
        return onset
    t = np.arange(first, last) / rate
    u = t - fit.origin
    glide = fit.glide * fit.tau * (1 - np.exp(-np.clip(u / fit.tau, -8, None)))
    turns = np.outer(fit.hz, u + glide) + fit.phase[:, None] / (2 * np.pi)
    wave = np.cos((2 * np.pi * (turns - np.rint(turns))).astype(np.float32))
    level = np.exp(np.clip(np.outer(-np.minimum(fit.decay, 25.0), u), -30, 3).astype(np.float32))
    model = fit.amplitude @ (level * wave)
    gain = model**2 - 2 * model * x[first:last]
    from_here = np.concatenate([np.cumsum(gain[::-1])[::-1], [0.0]])
    return (first + int(np.argmin(from_here))) / rate


def _with_attack(x: Samples, rate: float, fit: Fit, onset: float) -> float:
    """The onset, or an earlier one where the pick is heard out of silence before the tone is clear."""
    size = int(0.004 * rate)
    first = int((onset - ATTACK_BEFORE_S) * rate)
    if first < 0 or first + 25 * size > len(x):
        return onset
    power = np.square(x[first : first + 25 * size]).reshape(25, size).mean(axis=1)
    loudest = power[20:].max()
    if np.median(power[:5]) > 0.03 * loudest:
        return onset
    heard = first / rate + size / rate * int(np.argmax(power > 0.1 * loudest))
    if onset - heard < NOTED_S:
        return onset
    # a drum just before is loud, but not on the string's partials
    length = int((onset - heard) * rate)
    at = np.array([int(heard * rate), int(onset * rate)])
    if at[1] + length > len(x):
        return onset
    frames = np.lib.stride_tricks.sliding_window_view(x, length)[at]
    hz = fit.hz[fit.numbers > 2] if np.any(fit.numbers > 2) else fit.hz
    z = project(frames, hann(length), hz, rate)
    before, after = np.sum(np.abs(z) ** 2, axis=1)
    return heard if before > 0.3 * after else onset


def read(
    x: Samples,
    rate: float,
    c: Candidate,
    limit: float,
    crowd: float,
    targets: Targets,
    ringing: tuple[float, ...] = (),
) -> Reading | None:
    """The reading of a confirmed candidate; `limit` ends the sound, `crowd` is when another string joins.

    `ringing` (Hz) are the strings that still sound: what they make unsure is taken apart from them.
    None for what turns out to be a noise of less than 60 ms.
    """
    numbers = np.array([n for n, _, _ in c.tone.matched][:8])
    stretch = c.tone.stretch or USUAL_STRETCH
    hz = partial_hz(c.tone.f1, stretch, numbers)
    end = find_end(x, rate, c.onset, limit, crowd, hz, c.tone.f1, bool(ringing))
    until = min(end, crowd) if crowd - c.onset > 0.3 else end
    if end - c.onset < 0.06:
        return None
    if until - c.onset < 0.12:
        return _unread(c, end, targets, "the note is too short to be read")
    settle = 0.0 if c.first else min(0.04, 0.2 * (until - c.onset))
    fit = fit_pluck(
        x, rate, c.onset + settle, min(until, c.onset + 1.5), c.tone.f1, stretch, rounds=1, most=48
    )
    if fit is None:
        return _unread(c, end, targets, "the note is lost in other sound")
    onset = c.onset
    if not c.first:
        onset = _with_attack(x, rate, fit, refine_onset(x, rate, fit, c.onset))
        again = fit_pluck(x, rate, onset + 0.002, min(until, onset + 4.0), fit.f1, fit.stretch)
        fit = again or fit
    # what rings along bends a reading as a drift does, and can be taken away
    drift = drifting(fit, until - onset) if not ringing else 0.0
    if drift < NEARLY_ALL:
        fit = surest(x, rate, fit, onset, until, ringing, c.tone.f1)
    if drift > 0:
        fit = at_mean(x, rate, fit, drift, onset, until)
    return _reading(c, fit, onset, end, until, targets)


def _unread(c: Candidate, end: float, targets: Targets, why: str) -> Reading:
    return Reading(
        c.onset, end, None, None, None, None, None, None, None, None, None, 0.0, _db(c.level), problem=why
    )


def _db(power: float) -> float:
    return float(10 * np.log10(power + 1e-12))


def _reading(c: Candidate, fit: Fit, onset: float, end: float, until: float, targets: Targets) -> Reading:
    pitch = targets.reference.pitch(fit.f1)
    place = place_pitch(pitch, targets)
    note = nearest_note(pitch, targets)
    target = (
        targets.tuning.note(place.string) if place.string is not None and targets.tuning is not None else None
    )
    against = target.pitch if target is not None else float(round(note.pitch))
    cents = (pitch - against) * 100
    attack = None
    if not c.first and until - onset >= ATTACK_TO + 0.01:
        attack = cents + fit.mean_glide_cents(onset + ATTACK_FROM, onset + ATTACK_TO)
    margin = c.tone.score - c.rival
    right = 1 / (1 + np.exp(-(2.0 + 12 * margin)))
    return Reading(
        start=onset, end=max(end, onset + 0.01), f1=fit.f1, pitch=pitch, string=place.string, target=target,
        target_hz=targets.reference.hz(target.pitch) if target is not None else None,
        note=note, cents=cents, sigma_cents=fit.sigma_cents, attack_cents=attack,
        confidence=float(right * place.certainty), level_db=_db(c.level), also=place.also, problem=place.problem,
        stretch=fit.stretch, stretch_sigma=fit.stretch_sigma, heard=float(right),
    )  # fmt: skip
