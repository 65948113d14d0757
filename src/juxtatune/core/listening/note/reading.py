"""The reading of a pluck; if its string is turned while it rings, of the part before that."""

from __future__ import annotations

from dataclasses import replace

from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.event.modulation import STRING_SCORE
from juxtatune.core.listening.note import measure
from juxtatune.core.listening.note.pitch_departure import pitch_departure
from juxtatune.core.listening.partials.demodulate import USUAL_INHARMONICITY
from juxtatune.core.listening.source import Samples
from juxtatune.core.listening.types import Reading, Targets

TURNED = "it is turned as soon as it sounds: pluck it once it rests"
UNSURE, VAGUE = 0.1, 3.0  # cents: what is surer rests, and what is vaguer has no pitch
PERIODS = 16  # of a glide, that tell where it ends
SURER = 0.4  # of the 1σ of all that sounds: so sure must be what sounded before


def read(
    x: Samples,
    rate: float,
    c: Candidate,
    hard_end: float,
    next_note_onset: float,
    targets: Targets,
    sounding_f0s: tuple[float, ...] = (),
) -> Reading | None:
    """The reading of a confirmed candidate, as `measure.read` has it, but of a string at rest.

    Where it is turned before it can be read, the reading says so.
    """
    whole = measure.read(x, rate, c, hard_end, next_note_onset, targets, sounding_f0s)
    if whole is None or (whole.sigma_cents is not None and whole.sigma_cents < UNSURE):
        return whole
    left = pitch_departure(x, rate, c.onset, whole.end, c.tone.f1, c.tone.inharmonicity or USUAL_INHARMONICITY)
    if left is None or measure.SHORTEST_S < left.at - c.onset < PERIODS / c.tone.f1:
        return whole
    before = measure.read(x, rate, c, left.at, next_note_onset, targets, sounding_f0s)
    if before is None or before.sigma_cents is None or before.sigma_all_partials is None:
        vague = whole.sigma_all_partials is None or whole.sigma_all_partials > VAGUE
        hand = left.turned and vague and c.tone.score > STRING_SCORE
        return measure.unread(c, whole.end, TURNED) if hand else whole
    surer = whole.sigma_cents is None or before.sigma_cents < SURER * whole.sigma_cents
    # it rings on, whatever its pitch
    return replace(before, end=whole.end) if surer and before.sigma_all_partials < VAGUE else whole
