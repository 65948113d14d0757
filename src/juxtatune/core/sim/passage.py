"""A passage as sound: each event plucked on its strings, a string sounding until it is plucked again."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.fretboard.refinger import Event
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.sim.synthesis import pluck, render
from juxtatune.core.strings.string import usual_string

QUIET = 0.2  # peak; common practice, no source
RING_S, STRUM_S, FADE_S = 1.6, 0.012, 0.01  # how long a note rings on, from string to string of a chord, damping


def sound_of(
    tuning: Tuning, events: Sequence[Event], every_s: float, capo: int = 0, rate: int = 48000,
    reference: Reference = ISO_16, seed: int = 0,
) -> NDArray[np.float64]:  # fmt: skip
    """Samples (k,) of events played every so many seconds, at a peak of QUIET."""
    rng = np.random.default_rng(seed)
    out = np.zeros(round((every_s * len(events) + RING_S) * rate))
    for k, event in enumerate(events):
        for n, place in enumerate(sorted(event, key=lambda p: -p.string)):
            start = round((k * every_s + n * STRUM_S) * rate)
            again = next((j for j in range(k + 1, len(events)) if any(p.string == place.string for p in events[j])), None)
            seconds = min(RING_S, (again - k) * every_s - n * STRUM_S) if again is not None else RING_S
            count = min(round(seconds * rate), len(out) - start)
            hz = reference.hz(tuning.pitch(place.string) + capo + place.fret)
            voice = pluck(rng, hz, usual_string(reference.hz(tuning.pitch(place.string))).inharmonicity(hz), rate)
            note = render(voice, np.zeros(count), hz, rate)
            fade = min(count, round(FADE_S * rate))
            note[count - fade :] *= np.linspace(1, 0, fade)
            out[start : start + count] += note
    peak = float(np.max(np.abs(out), initial=0.0))
    return out * (QUIET / peak) if peak > 0 else out
