"""Level envelope of a tone's partials, and the note-off that it shows."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.rolling import medians
from juxtatune.core.listening.source import Samples

LONGEST_LOOK = 12.0  # s
OVER_BESIDE = 1.5  # times what is usually beside a tone it is lost in it
MOST_BESIDE = 0.15
APART_S = 0.05  # of a frame before another string, that it is not heard in
DAMPED_S = 0.03  # from the frame before the fall to the fall itself
EVERY_S = 0.015  # from frame to frame
FALLS_DB = 9.0  # within three frames
# what is back as soon as that, as loud but for so much, as under a deep tremolo, rings on
BACK_S, BACK_DB = 0.25, 6.0


def envelope(
    x: Samples,
    rate: float,
    start: float,
    end: float,
    hz: NDArray[np.floating],
    spacing: float,
    known: int = 0,
) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    """Power of the given partials over time (centre times in s), from Hann frames of 60 ms every 15 ms.

    `spacing` is the distance of the partials in Hz: longer frames keep low strings' partials apart. The first frames,
    so many as are `known`, are left out.
    """
    size = int(max(0.06, 4.0 / spacing) * rate)
    first, last = int(start * rate), min(int(end * rate), len(x))
    if last - first < size:
        size = max(8, last - first)
    hop = max(1, int(EVERY_S * rate))
    starts = np.arange(first, max(first + 1, last - size + 1), hop)[known:]
    return (starts + size / 2) / rate, np.abs(project(x, starts, hann(size), hz, rate)) ** 2


def find_end(
    x: Samples,
    rate: float,
    onset: float,
    hard_end: float,
    next_note_onset: float,
    tone_hz: NDArray[np.floating],
    f1: float,
    among: bool = False,
) -> float:
    """The note-off (s): the partials fall far below their start, suddenly, or into noise.

    Noise is measured beside the partials before another string joins at `next_note_onset` (s); with `among`, where other
    strings sound, on the quieter side of each partial.
    """
    last = min(hard_end, onset + LONGEST_LOOK, len(x) / rate)
    count = len(tone_hz)
    sides = [tone_hz + 0.5 * f1, tone_hz - 0.5 * f1] if among else [tone_hz + 0.5 * f1]
    every = np.concatenate([tone_hz, *sides])
    t, power = np.zeros(0), np.zeros((0, len(every)))
    for look in (2.5, LONGEST_LOOK):
        # most notes end soon: the long look is paid for only where it is needed
        later, more = envelope(x, rate, onset, min(last, onset + look), every, f1, len(t))
        t, power = np.concatenate([t, later]), np.concatenate([power, more])
        alone = max(10, int(np.searchsorted(t, next_note_onset)))
        beside = power[:alone, count:].reshape(-1, len(sides), count).min(axis=1).sum(axis=1)
        end = _drop(t, power[:, :count], float(medians(beside)), next_note_onset)
        if end is not None or onset + look >= last:
            break
    return last if end is None else end


def _drop(t: NDArray[np.floating], power: NDArray[np.floating], beside: float, next_note_onset: float) -> float | None:
    """When the power of partials (M, P) drops suddenly, far below its start, or into the noise (s); None for never.

    What joins at `next_note_onset` (s) does not bring it back.
    """
    total = power.sum(axis=1)
    attack = slice(0, int(0.15 / EVERY_S))
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
    sudden = _falls(db, t < next_note_onset - APART_S) | _falls(each, t < next_note_onset - APART_S)
    over = np.flatnonzero(sudden | (lost[now] & lost[after]))
    if len(over) == 0:
        return None
    k = int(over[0])
    return float(t[now[k] - 2] + DAMPED_S if sudden[k] else t[now[k]])


def _falls(db: NDArray[np.floating], alone: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where, from its fourth frame on, a level (M,) drops suddenly and does not return, while it sounds `alone` (M,)."""
    now = np.arange(3, len(db))
    after, before = db[np.minimum(now + 2, len(db) - 1)], db[now - 3]
    fallen = np.maximum(db[now], after) < before - FALLS_DB
    own, soon = np.where(alone, db, -np.inf), round(BACK_S / EVERY_S)
    for k in np.flatnonzero(fallen):
        fallen[k] = own[k + 5 : k + 5 + soon].max(initial=-np.inf) < before[k] - BACK_DB
    return np.asarray(fallen)
