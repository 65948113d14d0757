"""Level envelope of a tone's partials, and the note-off that it shows; note-off of a strum, where hum or a room may go on."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.fft import rfft, rfftfreq
from numpy.typing import NDArray

from juxtatune.core.listening.dsp.projection import hann, project
from juxtatune.core.listening.dsp.statistics import frames, medians
from juxtatune.core.listening.onset.flux import onsets
from juxtatune.core.listening.source import Samples, Signal


class NoteOffParameters(NamedTuple):
    """When a tone ends."""

    max_look_s: float = 12.0
    noise_factor: float = 1.5  # times what is usually beside a tone it is lost in it
    max_noise_share: float = 0.15
    before_other_s: float = 0.05  # of a frame before another string, that it is not heard in
    fall_delay_s: float = 0.03  # from the frame before the fall to the fall itself
    hop_s: float = 0.015  # from frame to frame
    fall_db: float = 9.0  # within three frames
    # what is back as soon as that, as loud but for so much, as under a deep tremolo, rings on
    return_s: float = 0.25
    return_db: float = 6.0


NOTE_OFF = NoteOffParameters()


def envelope(
    signal: Signal,
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
    x, rate = signal
    size = int(max(0.06, 4.0 / spacing) * rate)
    first, last = int(start * rate), min(int(end * rate), len(x))
    if last - first < size:
        size = max(8, last - first)
    hop = max(1, int(NOTE_OFF.hop_s * rate))
    starts = np.arange(first, max(first + 1, last - size + 1), hop)[known:]
    return (starts + size / 2) / rate, np.abs(project(x, starts, hann(size), hz, rate)) ** 2


def find_end(
    signal: Signal,
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
    last = min(hard_end, onset + NOTE_OFF.max_look_s, signal.length_s)
    count = len(tone_hz)
    sides = [tone_hz + 0.5 * f1, tone_hz - 0.5 * f1] if among else [tone_hz + 0.5 * f1]
    every = np.concatenate([tone_hz, *sides])
    t, power = np.zeros(0), np.zeros((0, len(every)))
    for look in (2.5, NOTE_OFF.max_look_s):
        # most notes end soon: the long look is paid for only where it is needed
        later, more = envelope(signal, onset, min(last, onset + look), every, f1, len(t))
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
    attack = slice(0, int(0.15 / NOTE_OFF.hop_s))
    start_level = total[attack].max()
    # what is nearly as loud as the tone begins is no noise but strings that reach beside its partials
    floor = min(beside * NOTE_OFF.noise_factor, NOTE_OFF.max_noise_share * start_level) + 1e-14
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
    sudden = _falls(db, t < next_note_onset - NOTE_OFF.before_other_s) | _falls(each, t < next_note_onset - NOTE_OFF.before_other_s)
    over = np.flatnonzero(sudden | (lost[now] & lost[after]))
    if len(over) == 0:
        return None
    k = int(over[0])
    return float(t[now[k] - 2] + NOTE_OFF.fall_delay_s if sudden[k] else t[now[k]])


def _falls(db: NDArray[np.floating], alone: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where, from its fourth frame on, a level (M,) drops suddenly and does not return, while it sounds `alone` (M,)."""
    now = np.arange(3, len(db))
    after, before = db[np.minimum(now + 2, len(db) - 1)], db[now - 3]
    fallen = np.maximum(db[now], after) < before - NOTE_OFF.fall_db
    own, soon = np.where(alone, db, -np.inf), round(NOTE_OFF.return_s / NOTE_OFF.hop_s)
    for k in np.flatnonzero(fallen):
        fallen[k] = own[k + 5 : k + 5 + soon].max(initial=-np.inf) < before[k] - NOTE_OFF.return_db
    return np.asarray(fallen)


class StrumEndParameters(NamedTuple):
    """When a strum ends."""

    frame_s: float = 0.1
    hop_s: float = 0.05
    lag_frames: int = 3  # so that no frame is of both
    edge_s: float = 0.025  # of a frame, that counts for little
    low_hz: float = 60.0  # partials that ring for long
    high_hz: float = 1500.0
    min_snr: float = 30.0  # in power, over what lies between partials
    max_remaining_ratio: float = 0.3  # in power, to the end: hum or a room
    gone_power_ratio: float = 0.05
    min_gone_share: float = 0.6  # of the places
    min_bins: int = 5  # places in the spectrum
    muted_from_s: float = 0.1  # after the strum: before that its attack dies away
    max_s: float = 2.4  # of sound: in less the pencil finds nothing
    usual_s: float = 0.9
    min_s: float = 0.66
    after_mute_s: float = 0.2  # when it is muted: a little of that does less harm than too short a sound
    silent_level: float = 1e-6


STRUM_END = StrumEndParameters()


def after_strum(signal: Signal, settle: float) -> Samples | None:
    """The sound of a strum from `settle` s after it until its note-off; None where that is too short."""
    x, rate = signal
    if len(x) < 0.2 * rate or not np.max(np.abs(x)) > STRUM_END.silent_level:
        return None
    size = int(0.05 * rate)
    power = np.square(x[: len(x) // size * size]).reshape(-1, size).mean(axis=1)
    loudest = int(np.argmax(power)) * 0.05
    near = [t for t in onsets(signal) if abs(t - loudest) < 0.4]
    begin = max([loudest, *near]) + settle
    alive = np.flatnonzero(power > power.max() * 1e-4)
    muted = _muted_at(signal, begin - settle + STRUM_END.muted_from_s)
    end = min(begin + STRUM_END.max_s, (alive[-1] + 1) * 0.05, len(x) / rate)
    if muted is not None:
        end = min(end, max(muted, min(begin + STRUM_END.usual_s, muted + STRUM_END.after_mute_s)))
    if end - begin < STRUM_END.usual_s:
        begin = max(begin - settle + STRUM_END.muted_from_s, end - STRUM_END.usual_s)
    segment = x[int(begin * rate) : int(end * rate)]
    return segment if len(segment) >= STRUM_END.min_s * rate else None


def _muted_at(signal: Signal, start: float) -> float | None:
    """When most partials that sound after `start` (s) vanish at once; None while they ring on."""
    x, rate = signal
    size, hop = int(STRUM_END.frame_s * rate), int(STRUM_END.hop_s * rate)
    part = x[int(start * rate) :]
    if len(part) < size + STRUM_END.lag_frames * hop:
        return None
    hz = rfftfreq(size, 1 / rate)
    power = np.abs(rfft(frames(np.ascontiguousarray(part), size, hop) * hann(size), axis=1)) ** 2
    power = power[:, (hz > STRUM_END.low_hz) & (hz < STRUM_END.high_hz)]
    now, then = power[:-STRUM_END.lag_frames], power[STRUM_END.lag_frames:]
    heard = now > STRUM_END.min_snr * np.quantile(now, 0.3, axis=1, keepdims=True)
    own = heard & (power[-1] < STRUM_END.max_remaining_ratio * now)
    gone = np.sum(own & (then < STRUM_END.gone_power_ratio * now), axis=1)
    muted = np.flatnonzero(gone > np.maximum(STRUM_END.min_gone_share * own.sum(axis=1), STRUM_END.min_bins))
    # a frame may begin a little before they end, and lack them all the same
    return start + float((muted[0] + STRUM_END.lag_frames) * STRUM_END.hop_s) - STRUM_END.edge_s if len(muted) else None
