"""Tuning estimation: how far a whole recording lies from A4 = 440, between −50 and +50 cents.

Peaks of many long frames are folded onto one semitone. Only roots count: a peak that is a whole multiple of a lower
one, or a just third or seventh above one, is left out, since those lie beside the tempered ones, and a third partial of
a root that is not heard is taken for what it is. The fold is a circle, so its mean is circular (Mardia 1972), sharpened
about its mode.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.errors import CannotTell
from juxtatune.core.listening.dsp.peaks import between_bins, clear_tops, power_spectrum
from juxtatune.core.listening.dsp.resample import to_working_rate
from juxtatune.core.listening.pipeline import analyse_working
from juxtatune.core.listening.reference.notes import by_plucks, of_both
from juxtatune.core.listening.source import Samples, Signal
from juxtatune.core.listening.types import Reading, Targets


class OffsetParameters(NamedTuple):
    """Tuning estimation from lasting peaks."""

    frame_s: float = 0.37
    hop_s: float = 0.06
    excerpts: int = 8  # of a recording longer than these together
    excerpt_s: float = 12.0
    lag_frames: int = 2  # frames back: tones that last so long are asked
    glide_factor: float = 1.5  # times what a tone moved since the frame before, it has still before it
    steady_cents: float = 1.5  # what moves by more from frame to frame says little
    min_tones: int = 4
    # drums have one to three notes that agree, in a third of all frames, or more that hardly do; music more, nearly all the time
    min_tonal_share: float = 0.55
    min_notes: float = 3.3
    mostly_share: float = 0.75
    # but plucks that agree on so many notes are music: low notes of a bass are short for long windows
    min_played_notes: int = 4
    agree_cents: float = 6.0
    max_note_share: float = 0.15  # of the weight, that one note may have
    low_hz: float = 60.0
    high_hz: float = 1000.0
    # hum sounds in half of all frames, by so little louder at one time than at another
    min_frames: int = 16
    hum_share_range: tuple[float, float] = (0.45, 0.55)
    hum_level_range: tuple[float, float] = (1.3, 1.7)
    # between partials of a root that is not heard itself; tempered intervals lie further off
    partial_cents: float = 25.0  # from a multiple of a lower peak, which it may be stiff enough to be
    just_ratios: F = np.array([5 / 4, 5 / 3, 5 / 2, 7 / 5, 7 / 4, 7 / 3, 7 / 2])
    just_cents: float = 5.0
    third_cents_range: tuple[float, float] = (2.0, 5.0)
    third_level_range: tuple[float, float] = (0.03, 0.2)
    fifth_share: float = 0.2
    fifth_st: float = 0.0235  # by which such a partial, a little stretched, is sharp of a tempered note


OFFSET = OffsetParameters()


# a tone so many times another is the third, sixth or twelfth partial of a root that is not heard itself, surely so from the
# nearer distance and the greater share of its level on; a fifth above one it may be
THIRD = np.array([3 / 5, 3 / 7, 6 / 7, 6 / 5, 12 / 5, 12 / 7])
F = NDArray[np.float64]


@dataclass(frozen=True)
class Offset:
    """Cents in (−50, +50] against A4 = 440, and how sure (0 to 1)."""

    cents: float
    confidence: float

    @property
    def a4(self) -> float:
        return float(440.0 * np.exp2(self.cents / 1200))


def reference_offset(
    samples: Samples, rate: float, progress: Callable[[float], None] = lambda share: None
) -> Offset | CannotTell:
    """The offset of a recording, or why it cannot be told.

    `progress` is told the share (0 to 1) of the work that is done; what it raises ends the work.
    """
    excerpts = [to_working_rate(x, rate) for x in _excerpts(samples, rate)]
    frames = _without_hum([frame for signal in excerpts for frame in _frames(signal)])
    cents, weight, note = _roots(frames)
    if len(cents) < 4 or weight.sum() <= 0 or _distinct(frames) < OFFSET.min_tones:
        return CannotTell("nothing in it has a pitch")
    mode, note = _common(cents, weight, note)
    agree = np.abs(_off(cents, mode)) < OFFSET.agree_cents
    share = weight[agree].sum() / weight.sum()
    if share < 0.3:
        return CannotTell("no common pitch: its tones agree on no reference")
    seldom = len(cents) < OFFSET.min_tonal_share * len(frames)
    may_be_drums = seldom and (share < OFFSET.mostly_share or _notes(cents, weight, note, mode) < OFFSET.min_notes)
    played = by_plucks(_plucks(excerpts, progress), mode)
    if may_be_drums and (played is None or played.notes < OFFSET.min_played_notes):
        return CannotTell("too few tones: drums alone have no common pitch")
    if played is not None:
        mode = of_both(mode, played)
    folded = mode - 100 * np.ceil((mode - 50) / 100)
    return Offset(float(folded), float(min(0.99, share)))


def _plucks(excerpts: list[Signal], progress: Callable[[float], None]) -> list[Reading]:
    """All plucks of the excerpts, whatever their notes."""
    out: list[Reading] = []
    for k, signal in enumerate(excerpts):
        progress((k + 1) / (len(excerpts) + 1))
        out += analyse_working(signal, Targets())
    return out


def _excerpts(samples: Samples, rate: float) -> list[Samples]:
    """The sound, or of a long one the loudest part of each of some equal stretches."""
    size = int(OFFSET.excerpt_s * rate)
    if len(samples) <= OFFSET.excerpts * size:
        return [samples]
    out = []
    for part in np.array_split(samples, OFFSET.excerpts):
        held = np.concatenate([[0.0], np.cumsum(part**2)])
        at = int(np.argmax(held[size:] - held[:-size]))
        out.append(part[at : at + size])
    return out


def _frames(signal: Signal) -> list[tuple[F, F]]:
    """Peaks (Hz, level) of each frame; none where it is silent."""
    x, rate = signal
    size, hop = int(OFFSET.frame_s * rate), int(OFFSET.hop_s * rate)
    loudest = float(np.max(np.abs(x))) if len(x) else 0.0
    out = []
    for start in range(0, len(x) - size, hop):
        frame = x[start : start + size]
        quiet = np.max(np.abs(frame)) < 0.01 * loudest or loudest < 1e-6
        out.append((np.zeros(0), np.zeros(0)) if quiet else _frame_peaks(frame, rate))
    return out


def _without_hum(frames: list[tuple[F, F]]) -> list[tuple[F, F]]:
    """Takes away what sounds at the same frequency and level all the time, so far as it does."""
    hz = np.concatenate([f for f, _ in frames]) if frames else np.zeros(0)
    level = np.concatenate([v for _, v in frames]) if frames else hz
    if len(frames) < OFFSET.min_frames:
        return frames
    spots = np.array(sorted({round(float(f), 1) for f in hz}))
    left = np.array([_left_of(level[np.abs(hz - spot) < 0.4], len(frames)) for spot in spots])
    steady, left = spots[left < 1], left[left < 1]
    out = []
    for f, v in frames:
        share = np.where(np.abs(f[:, None] - steady) < 0.8, left, 1.0).min(axis=1, initial=1.0)
        out.append((f[share > 0], (v * share)[share > 0]))
    return out


def _left_of(level: F, frames: int) -> float:
    """How far (0 to 1) a tone with these levels in some of so many frames is music and not hum: it comes and goes, or falls."""
    often = len(level) / frames
    if often <= OFFSET.hum_share_range[0]:
        return 1.0
    falls = float(np.quantile(level, 0.8) / np.quantile(level, 0.2))
    return float(max(1 - _between(often, *OFFSET.hum_share_range), _between(falls, *OFFSET.hum_level_range)))


def _between(value: F | float, low: float, high: float) -> F:
    """0 up to `low`, 1 from `high` on, linear between."""
    return np.clip((value - low) / (high - low), 0.0, 1.0)


def _distinct(frames: list[tuple[F, F]]) -> int:
    """How many different lasting tones, partials too, make up a fair part of the sound: a drum has one or two."""
    total: dict[int, float] = {}
    for (before, _), (f, v) in zip(frames, frames[OFFSET.lag_frames:], strict=False):
        lasts = np.abs(1200 * np.log2(f[:, None] / before[None, :])).min(axis=1, initial=np.inf) < 6
        for pitch, power in zip(np.round(69 + 12 * np.log2(f[lasts] / 440)), v[lasts] ** 2, strict=True):
            total[int(pitch)] = total.get(int(pitch), 0.0) + float(power)
    most = max(total.values(), default=0.0)
    return sum(value > 0.003 * most for value in total.values())


def _roots(frames: list[tuple[F, F]]) -> tuple[F, F, NDArray[np.int64]]:
    """Deviations from the nearest tempered note, with weights, of tones that last; and which note that is."""
    pitches, weights = [np.zeros(0)], [np.zeros(0)]
    for (before, _), (hz, level) in zip(frames, frames[OFFSET.lag_frames:], strict=False):
        if len(before) == 0 or len(hz) == 0:
            continue
        each = 1200 * np.log2(hz[:, None] / before[None, :])
        moved = np.take_along_axis(each, np.abs(each).argmin(axis=1)[:, None], axis=1)[:, 0]
        root = (np.abs(moved) < 6) & ~_partials(hz, level)
        # a tone that glides down from its attack has more before it
        pitch = 69 + 12 * np.log2(hz / 440) + OFFSET.glide_factor * moved / 100 - _third_partials(hz, level) * OFFSET.fifth_st
        weight = level * np.minimum(1.0, hz / 200) * np.exp(-((moved / OFFSET.steady_cents) ** 2))
        pitches.append(pitch[root])
        weights.append(weight[root])
    pitch = np.concatenate(pitches)
    note = np.rint(pitch)
    return 100 * (pitch - note), np.concatenate(weights), note.astype(np.int64)


def _notes(cents: F, weight: F, note: NDArray[np.int64], mode: float) -> float:
    """How many notes agree, each as far as it counts (Kish 1965, from memory: the effective sample size)."""
    agree = np.abs(_off(cents, mode)) < OFFSET.agree_cents
    each = np.bincount(note[agree], weight[agree])
    return float(each.sum() ** 2 / (each**2).sum())


def _frame_peaks(frame: Samples, rate: float) -> tuple[F, F]:
    size = 1 << int(np.ceil(np.log2(len(frame) * 2)))
    power = power_spectrum(frame, size)
    step = rate / size
    at, _ = clear_tops(power, int(150 / step) | 1, int(OFFSET.low_hz / step), int(OFFSET.high_hz / step), 40)
    at = at[power[at] > 1e-4 * power.max()]
    hz = between_bins(power, at) * step
    inside = hz > OFFSET.low_hz
    return hz[inside], np.sqrt(power[at[inside]])


def _partials(hz: F, level: F) -> NDArray[np.bool_]:
    """Which peaks are whole multiples of a lower one, or just above one as partials of one root are."""
    times, lower = hz[:, None] / hz[None, :], level[None, :] / level[:, None]
    just = np.abs(1200 * np.log2(times[..., None] / OFFSET.just_ratios)).min(axis=2) < OFFSET.just_cents
    n = np.clip(np.rint(times), 2, 12)
    whole = np.abs(1200 * np.log2(times / n)) < OFFSET.partial_cents
    found = (just & (lower > 0.1)) | (whole & (lower > 0.05))
    return np.asarray(np.tril(found, -1).any(axis=1))


def _third_partials(hz: F, level: F) -> F:
    """How likely (0 to 1) each peak is to be the third, sixth or twelfth partial of a root that is not heard."""
    times, louder = hz[:, None] / hz[None, :], level[None, :] / level[:, None]
    near = np.max([_near(times, t) for t in THIRD], axis=0)
    near = np.maximum(near, OFFSET.fifth_share * _near(times, 3 / 2))
    return np.asarray(np.max(near * _between(louder, *OFFSET.third_level_range), axis=1))


def _near(times: F, to: float) -> F:
    return 1 - _between(np.abs(1200 * np.log2(times / to)), *OFFSET.third_cents_range)


def _common(cents: F, weight: F, note: NDArray[np.int64]) -> tuple[float, NDArray[np.int64]]:
    """The pitch that the tones have in common (cents), no note counting for too much, and the notes of that pitch."""
    mode, notes = _mode(cents, weight), note
    for _ in range(2):
        # at half a semitone off 440 one note would else be two
        notes = np.rint(note + (cents - mode) / 100).astype(np.int64)
        mode = _mode(cents, _evened(weight, notes))
    return mode, notes


def _evened(weight: F, note: NDArray[np.int64]) -> F:
    """Weights of which no note has more than its share: each lies some cents off by itself."""
    _, which = np.unique(note, return_inverse=True)
    total = np.bincount(which, weight)
    return np.asarray(weight * np.minimum(1.0, OFFSET.max_note_share * weight.sum() / (total + 1e-30))[which])


def _mode(cents: F, weight: F) -> float:
    """The densest place on the circle of 100 cents."""
    grid = np.arange(-50, 50, 0.5)
    apart = (grid[:, None] - cents[None, :] + 50) % 100 - 50
    centre = float(grid[int(np.argmax((weight * np.exp(-0.5 * (apart / 4) ** 2)).sum(axis=1)))])
    for width in (8.0, 6.0, 6.0, 6.0):
        off = _off(cents, centre)
        w = weight * np.exp(-0.5 * (off / width) ** 2)
        centre += float(np.sum(w * off) / np.sum(w))
    return centre


def _off(cents: F, centre: float) -> F:
    return np.asarray((cents - centre + 50) % 100 - 50)
