"""From one confirmed onset to one reading: string, pitch, start and end."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.assignment.nearest import nearest_note, place_pitch
from juxtatune.core.listening.event.continuity import MODULATION
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.f0.estimate import F0Estimate, fit_pluck
from juxtatune.core.listening.multipitch.cancellation import isolate
from juxtatune.core.listening.note.fusion import (
    FUSION,
    blend,
    ramp,
    refine,
    reject_astray,
)
from juxtatune.core.listening.note.octave import octave_above
from juxtatune.core.listening.note.onset_refine import out_of_quiet, refine_onset
from juxtatune.core.listening.note.pitch_departure import pitch_departure
from juxtatune.core.listening.note.reported_pitch import (
    at_mean,
    own_pitch_cents,
    shrink_to_prior,
    with_slow_drift,
)
from juxtatune.core.listening.offset.note_off import find_end
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY, partial_hz
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Reading, Targets


class MeasureParameters(NamedTuple):
    """One note from onset to reading."""

    attack_from_s: float = 0.012
    attack_to_s: float = 0.112
    min_glide_cents: float = -3.0  # above the settled pitch: beyond it is another string's
    max_glide_cents: float = 25.0
    max_extrapolation_times: float = 2.0  # time constants before the first frame, from where a glide is not extrapolated back
    max_attack_cents: float = 150.0  # an attack further off is an artefact, even while a string is turned
    shortest_s: float = 0.12
    first_look_s: float = 1.2  # of a string that is clear but for its beginning
    # drift probability from which further estimates are skipped, and from where they count less
    skip_drift_probability: float = 0.95
    drift_probability: float = 0.75
    lost_text: str = "the note is lost in other sound"
    short_text: str = "the note is too short to be read"


MEASURE = MeasureParameters()


@dataclass(frozen=True)
class Pluck:
    """A pluck's sound, isolated where other strings hide it, `until` when it can be used (s); a first estimate in the
    unseparated sound, and whether that one is certain."""

    sound: Signal
    until: float
    look: F0Estimate | None
    sure: bool


def measure_note(
    signal: Signal,
    c: Candidate,
    hard_end: float,
    next_note_onset: float,
    targets: Targets,
    sounding_f0s: tuple[float, ...] = (),
    octave_fixed: bool = False,
) -> Reading | None:
    """The reading of a confirmed onset; None for a noise shorter than 60 ms.

    `hard_end` (s): the sound ends there at the latest. `next_note_onset` (s): when another string joins.
    `sounding_f0s` (Hz): strings that still sound; they are separated where they hide the pluck or its attack.
    `octave_fixed`: the octave was corrected already and is not tried again.
    """
    numbers = np.array([n for n, _, _ in c.tone.matched][:8])
    inharmonicity = c.tone.inharmonicity or USUAL_INHARMONICITY
    hz = partial_hz(c.tone.f1, inharmonicity, numbers)
    end = find_end(signal, c.onset, hard_end, next_note_onset, hz, c.tone.f1, bool(sounding_f0s))
    until = min(end, next_note_onset) if next_note_onset - c.onset > 0.3 else end
    if end - c.onset < 0.06:
        return None
    if until - c.onset < MEASURE.shortest_s:
        return unread(c, end, MEASURE.short_text)
    pluck = _pluck(signal, c, until, sounding_f0s)
    if not octave_fixed and pluck.look is not None:
        higher = octave_above(signal, c, pluck.look, until, targets)
        if higher is not None:
            return measure_note(signal, higher, hard_end, next_note_onset, targets, sounding_f0s, octave_fixed=True)
    fitted = _fitted(signal, c, pluck, until, bool(sounding_f0s))
    if fitted is None:
        return unread(c, end, MEASURE.lost_text)
    onset, fit, glides = fitted
    # sounding strings bias an estimate as a drift does, and can be separated
    slow = with_slow_drift(fit, until - onset) if not sounding_f0s else 0.0
    if slow < MEASURE.skip_drift_probability:
        surer = (
            reject_astray(signal, fit, pluck.look, onset, until, c.tone.f1)
            if pluck.look is not None and pluck.sound is signal and not sounding_f0s
            else refine(signal, fit, onset, until, sounding_f0s, c.tone.f1)
        )
        skip = MEASURE.skip_drift_probability
        fit = blend(fit, surer, ramp(skip - slow, skip - MEASURE.drift_probability))
    settled = fit if slow == 0 else at_mean(signal, fit, slow, onset, until)
    phases_cents = settled.sigma_cents * fit.vaguer
    settled = shrink_to_prior(settled, onset, until)
    glide = None
    if not c.first and until - onset >= MEASURE.attack_to_s + 0.01:
        # refinements of the unseparated sound hold for its glide too
        glide = _glide(fit if pluck.sound is signal else glides, onset, bool(sounding_f0s))
    if glide is not None:
        # the reported pitch may be a mean (drift) or shrunk to a prior (short notes)
        glide -= 1200 * float(np.log2(settled.f1 / fit.f1))
    # inharmonic strings are reported between first partial and period
    own = replace(
        settled,
        f1=settled.f1 * 2 ** (own_pitch_cents(settled) / 1200),
        sigma_cents=float(np.hypot(settled.sigma_cents, settled.extrapolation_sigma)),
    )
    return _reading(c, own, onset, end, glide, targets, phases_cents)


def _pluck(signal: Signal, c: Candidate, until: float, sounding_f0s: tuple[float, ...]) -> Pluck:
    """The pluck with sounding strings separated from it, where they hide it or its attack."""
    look = _look(signal, c, until)
    sure = look is not None and look.sigma_all_partials <= FUSION.min_separation_sigma_cents
    if not sounding_f0s or (sure and out_of_quiet(signal, c.onset)):
        return Pluck(signal, until, look, sure)
    last = min(until, c.onset + (MEASURE.first_look_s if sure else FUSION.max_separation_s))
    return Pluck(isolate(signal, c.onset, last, c.tone.f1, sounding_f0s), last, look, sure)


def _fitted(
    signal: Signal, c: Candidate, pluck: Pluck, until: float, among: bool
) -> tuple[float, F0Estimate, F0Estimate] | None:
    """Refined onset (s), the f0 estimate, and the estimate whose glide is used; None when no partial can be followed."""
    own, look = pluck.sound, pluck.look
    fit = look if own is signal else _look(own, c, until) or look
    if fit is None:
        return None
    if c.first:
        return c.onset, fit, fit
    onset = refine_onset(own, fit, c.onset, among)
    fit = fit_pluck(own, onset + 0.002, min(pluck.until, onset + 4.0), fit.f1, fit.inharmonicity) or fit
    if own is signal or look is None or not pluck.sure:
        return onset, fit, fit
    # only the attack was hidden: estimate from all of it too
    whole = fit_pluck(signal, onset + 0.002, min(until, onset + 4.0), look.f1, look.inharmonicity) or look
    return onset, min(fit, whole, key=lambda f: f.sigma_cents), fit


def _look(signal: Signal, c: Candidate, until: float) -> F0Estimate | None:
    """A first f0 estimate, from at most 1.5 s after the onset and until `until` (s)."""
    settle = 0.0 if c.first else min(0.04, 0.2 * (until - c.onset))
    start, end = c.onset + settle, min(until, c.onset + 1.5)
    return fit_pluck(signal, start, end, c.tone.f1, c.tone.inharmonicity or USUAL_INHARMONICITY, rounds=1, most=48)


def _glide(fit: F0Estimate, onset: float, among: bool) -> float | None:
    """Cents of the attack above the settled pitch; None where other strings sounded (`among`) and it is out of range, or
    where the glide model had no data there."""
    glide = fit.mean_glide_cents(onset + MEASURE.attack_from_s, onset + MEASURE.attack_to_s)
    before = fit.origin - onset - MEASURE.attack_from_s
    foretold = any(0 < time < before / MEASURE.max_extrapolation_times for _, time in fit.glide)
    least, most = -MEASURE.max_attack_cents, MEASURE.max_attack_cents
    if among or foretold:
        least, most = MEASURE.min_glide_cents, MEASURE.max_glide_cents
    return glide if least < glide < most else None


def unread(c: Candidate, end: float, why: str) -> Reading:
    """The reading of a pluck, until `end` (s), whose pitch cannot be estimated, and `why`."""
    return Reading(
        c.onset, end, None, None, None, None, None, None, None, None, None, 0.0, _db(c.level), problem=why
    )


def _db(power: float) -> float:
    return float(10 * np.log10(power + 1e-12))


def _reading(
    c: Candidate,
    fit: F0Estimate,
    onset: float,
    end: float,
    glide: float | None,
    targets: Targets,
    phases_cents: float,
) -> Reading:
    """The reading of an f0 estimate; `glide` is how far above it the attack lies (cents)."""
    pitch = targets.reference.pitch(fit.f1)
    place = place_pitch(pitch, targets)
    note = nearest_note(pitch, targets)
    target = (
        targets.tuning.note(place.string) if place.string is not None and targets.tuning is not None else None
    )
    against = target.pitch if target is not None else float(round(note.pitch))
    cents = (pitch - against) * 100
    attack = cents + glide if glide is not None else None
    margin = c.tone.score - c.rival
    right = 1 / (1 + np.exp(-(2.0 + 12 * margin)))
    return Reading(
        start=onset, end=max(end, onset + 0.01), f1=fit.f1, pitch=pitch, string=place.string, target=target,
        target_hz=targets.reference.hz(target.pitch) if target is not None else None,
        note=note, cents=cents, sigma_cents=fit.sigma_cents, attack_cents=attack,
        confidence=float(right * place.certainty), level_db=_db(c.level), also=place.also, problem=place.problem,
        inharmonicity=fit.inharmonicity, inharmonicity_sigma=fit.inharmonicity_sigma, heard=float(right), phases_cents=phases_cents,
    )  # fmt: skip


class ReadingParameters(NamedTuple):
    """The reading of a string at rest."""

    turned_text: str = "it is turned as soon as it sounds: pluck it once it rests"
    unsure_cents: float = 0.1  # what is surer rests
    vague_cents: float = 3.0  # what is vaguer has no pitch
    min_periods: int = 16  # of a glide, that tell where it ends
    surer_ratio: float = 0.4  # of the 1σ of all that sounds: so sure must be what sounded before


READING = ReadingParameters()


def read(
    signal: Signal,
    c: Candidate,
    hard_end: float,
    next_note_onset: float,
    targets: Targets,
    sounding_f0s: tuple[float, ...] = (),
) -> Reading | None:
    """The reading of a confirmed candidate, as `measure_note` has it, but of a string at rest.

    Where it is turned before it can be read, the reading says so.
    """
    whole = measure_note(signal, c, hard_end, next_note_onset, targets, sounding_f0s)
    if whole is None or (whole.sigma_cents is not None and whole.sigma_cents < READING.unsure_cents):
        return whole
    left = pitch_departure(signal, c.onset, whole.end, c.tone.f1, c.tone.inharmonicity or USUAL_INHARMONICITY)
    if left is None or MEASURE.shortest_s < left.at - c.onset < READING.min_periods / c.tone.f1:
        return whole
    before = measure_note(signal, c, left.at, next_note_onset, targets, sounding_f0s)
    if before is None or before.sigma_cents is None or before.sigma_all_partials is None:
        vague = whole.sigma_all_partials is None or whole.sigma_all_partials > READING.vague_cents
        hand = left.turned and vague and c.tone.score > MODULATION.string_score
        return unread(c, whole.end, READING.turned_text) if hand else whole
    surer = whole.sigma_cents is None or before.sigma_cents < READING.surer_ratio * whole.sigma_cents
    # it rings on, whatever its pitch
    return replace(before, end=whole.end) if surer and before.sigma_all_partials < READING.vague_cents else whole
