"""The offline pipeline: a whole sound, from onset candidates to readings."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from juxtatune.core.listening.assignment.beam import assign_strings
from juxtatune.core.listening.dsp.resample import to_working_rate
from juxtatune.core.listening.event.detect import Candidate
from juxtatune.core.listening.event.filter import filter_onsets, same_pitch
from juxtatune.core.listening.event.sustain import cut_at_damping
from juxtatune.core.listening.hum.track import without_hum
from juxtatune.core.listening.note.measure import read
from juxtatune.core.listening.offset.decay import damping
from juxtatune.core.listening.onset.flux import onsets
from juxtatune.core.listening.rejection.bleed import without_bleed, without_strays
from juxtatune.core.listening.rejection.drums import without_drums
from juxtatune.core.listening.rejection.hum_residual import without_hum_residual
from juxtatune.core.listening.source import Samples, Signal
from juxtatune.core.listening.types import Reading, Targets

UNREAD_DB = 8.0
ALONE_S = 0.3
SILENT = 1e-6
RINGS_S = 0.1  # into another note: what sounds for so long rings on


def analyse(samples: Samples, rate: float, targets: Targets) -> list[Reading]:
    """All plucks of one channel, in order. Times count from the first sample."""
    return analyse_working(to_working_rate(samples, rate), targets)


def analyse_working(signal: Signal, targets: Targets) -> list[Reading]:
    """All plucks of a signal at its working rate."""
    if np.max(np.abs(signal.x), initial=0.0) < SILENT:
        return []
    raw, signal = signal, without_hum(signal)
    found = filter_onsets(signal, onsets(signal), targets, signal is not raw)
    if signal is not raw:
        found = without_hum_residual(raw, found, targets)
    found = without_bleed(found, targets)
    readings: list[Reading | None] = []
    for k, c in enumerate(found):
        later = found[k + 1 :]
        still = tuple(r.f1 for r in readings if r is not None and r.f1 is not None and r.end > c.onset + RINGS_S)
        r = read_among(signal, c, later, targets, still)
        if r is not None and targets.source is not None:
            r = _with_timbre(signal, r, later[0].onset if later else signal.length_s)
        readings.append(r)
    heard = [r for r in readings if r is not None]
    # what cannot be read is worth saying of a pluck, not of every sound beside one
    loudest = max((r.level_db for r in heard), default=0.0)
    heard = [r for r in heard if r.f1 is not None or r.level_db > loudest - UNREAD_DB]
    return without_strays(assign_strings(without_drums(signal, heard), targets), targets)


def read_among(
    signal: Signal, c: Candidate, later: list[Candidate], targets: Targets, still: tuple[float, ...]
) -> Reading | None:
    """The reading of a candidate before `later` ones, over strings that `still` ring (Hz): until its string is picked again
    or damped."""
    length = signal.length_s
    same = next((d.onset for d in later if same_pitch(c, d)), length)
    reading = read(signal, c, min(same, length), later[0].onset if later else length, targets, still)
    return cut_at_damping(signal, reading, later) if reading is not None else None


def _with_timbre(signal: Signal, r: Reading, next_note_onset: float) -> Reading:
    """The reading with its damping, a timbre feature; `next_note_onset` is when another string joins (s)."""
    if r.f1 is None or r.inharmonicity is None:
        return r
    until = min(r.end, next_note_onset) if next_note_onset - r.start > ALONE_S else r.end
    return replace(r, damping=damping(signal, r.start, until, r.f1, r.inharmonicity))
