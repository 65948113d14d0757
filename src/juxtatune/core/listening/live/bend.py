"""A bend as it is heard: where the note began, how far it went, where it is held. Pure values; pitch in semitones (MIDI scale).

Fed with glimpses of whatever note sounds. The bend is read against its own start, so that neither the fret nor the guitar's
tuning counts. A vibrato is read by its middle.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np

from juxtatune.core.listening.live.frame_pitch import PitchFrame
from juxtatune.core.listening.live.listener import GLIMPSE_S


class BendParameters(NamedTuple):
    """A bent string."""

    rise_db: float = 6.0  # a rise of the level is a new note
    gap_s: float = 0.3  # so is a silence
    level_decay_db_per_s: float = 12.0  # how fast a level is forgotten
    settle_s: float = GLIMPSE_S + 0.08  # after the attack a glimpse still holds the glide of it, which falls by some cents
    earliest_s: float = 0.04  # after the attack a glimpse can be had
    begin_cents: float = 8.0  # from the start at which the bend has begun
    max_glide_cents: float = 10.0  # by which an attack falls without a bend
    min_frames: int = 4  # settled glimpses make a start
    held_s: float = 0.5  # of one height: half a vibrato's period at least, common practice, no source
    max_drift_cents: float = 6.0  # a held height drifts by less
    max_swing_cents: float = 60.0  # and swings by less
    max_sigma_cents: float = 6.0  # 1σ: while a string moves fast its pitch is only so certain
    hit_cents: float = 10.0  # from a size within which a bend is it; common practice, no source


BEND = BendParameters()


SIZES = (
    (50.0, "a quarter step"), (100.0, "a half step"), (200.0, "a whole step"), (300.0, "a step and a half"),
    (400.0, "two whole steps"),
)  # fmt: skip


@dataclass(frozen=True)
class Bend:
    """One note. `cents` above its start now, `held` where it was last held (None: not yet), `most` the furthest so far."""

    began: float  # s
    start: float | None = None  # semitones; None while the attack settles
    cents: float = 0.0
    held: float | None = None
    most: float = 0.0
    spread: float = 0.0  # cents between the ends of a vibrato, while held
    sigma: float = 0.0  # 1σ of `cents`
    moving: bool = False
    at: float = 0.0
    level: float = -120.0
    recent: tuple[tuple[float, float], ...] = field(default=(), repr=False)  # (s, semitones)


def follow(bend: Bend | None, g: PitchFrame) -> Bend | None:
    """The bend after one more glimpse; None before a note is heard. A new note begins a new one."""
    if bend is None or g.t - bend.at > BEND.gap_s or g.level_db > bend.level + BEND.rise_db:
        return Bend(g.t, at=g.t, level=g.level_db)
    # two strings beat: the level of a moment ago counts for a while
    bend = replace(bend, at=g.t, level=max(g.level_db, bend.level - BEND.level_decay_db_per_s * (g.t - bend.at)))
    if g.t - bend.began < BEND.earliest_s or g.sigma_cents > BEND.max_sigma_cents:
        return bend
    recent = (*(r for r in bend.recent if g.t - r[0] <= BEND.held_s), (g.t, g.pitch))
    if bend.start is None:
        return replace(bend, start=g.pitch, recent=recent, sigma=g.sigma_cents)
    cents = 100 * (g.pitch - bend.start)
    if not bend.moving and -(BEND.begin_cents + BEND.max_glide_cents) < cents < BEND.begin_cents:
        # until it leaves, every glimpse makes the start surer
        settled = [pitch for t, pitch in recent if t - bend.began >= BEND.settle_s]
        start = float(np.median(settled)) if len(settled) >= BEND.min_frames else min(bend.start, g.pitch)
        return replace(bend, start=start, cents=100 * (g.pitch - start), recent=recent, sigma=g.sigma_cents)
    most = max(bend.most, cents, key=abs)
    held, spread = _held(recent, bend.start)
    return replace(
        bend, cents=cents, moving=True, most=most, held=bend.held if held is None else held, spread=spread,
        sigma=g.sigma_cents, recent=recent,
    )  # fmt: skip


def _held(recent: tuple[tuple[float, float], ...], start: float) -> tuple[float | None, float]:
    """(cents held, cents between its ends) where the newest stretch stays at one height; (None, 0) where it does not."""
    if recent[-1][0] - recent[0][0] < 0.8 * BEND.held_s:
        return None, 0.0
    cents = 100 * (np.array([pitch for _, pitch in recent]) - start)
    half = len(cents) // 2
    spread = float(np.ptp(cents))
    moved = abs(float(np.mean(cents[:half]) - np.mean(cents[half:])))
    if spread > BEND.max_swing_cents or (spread > BEND.max_drift_cents and moved > BEND.max_drift_cents):
        return None, 0.0
    return float(np.median(cents) if spread <= BEND.max_drift_cents else (cents.max() + cents.min()) / 2), spread


def called(cents: float) -> str:
    """`a whole step, 12 ¢ short`, `a half step`, `barely bent`."""
    size = abs(cents)
    if size < SIZES[0][0] / 2:
        return "barely bent"
    goal, name = min(SIZES, key=lambda s: abs(s[0] - size))
    words = name if cents > 0 else f"{name} let down"
    off = size - goal
    if abs(off) <= BEND.hit_cents:
        return words
    return f"{words}, {abs(off):.0f} ¢ {'over' if off > 0 else 'short'}"
