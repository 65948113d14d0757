"""Rejects residual hum: where a string near the mains is damped, hum that was tracked beside it shows again."""

from __future__ import annotations

from typing import NamedTuple

from juxtatune.core.listening.event.detect import Candidate, detect_tone
from juxtatune.core.listening.event.filter import has_note_off, same_pitch
from juxtatune.core.listening.event.sustain import of_the_mains
from juxtatune.core.listening.hum.track import MAINS_HZ
from juxtatune.core.listening.source import Signal
from juxtatune.core.listening.types import Targets


class HumResidualParameters(NamedTuple):
    """What hum removal leaves."""

    pitch_tolerance: float = 0.018  # how well what little is left of hum tells its pitch
    look_s: float = 0.3


HUM_RESIDUAL = HumResidualParameters()


def without_hum_residual(signal: Signal, found: list[Candidate], targets: Targets) -> list[Candidate]:
    """The candidates without those near the mains that never begin or end in the original sound `x` (N,), hum included."""
    return [
        c for k, c in enumerate(found) if c.first or not _near_mains(c) or _begins(signal, found, k, targets)
    ]


def _near_mains(c: Candidate) -> bool:
    return any(abs(c.tone.f1 / (n * mains) - 1) < HUM_RESIDUAL.pitch_tolerance for mains in MAINS_HZ for n in (1, 2))


def _begins(signal: Signal, found: list[Candidate], k: int, targets: Targets) -> bool:
    c, following = found[k], found[k + 1].onset if k + 1 < len(found) else signal.length_s
    string = detect_tone(signal, c.onset, c.onset + HUM_RESIDUAL.look_s, targets)
    if string is None or not same_pitch(string, c):
        return False
    return not of_the_mains(string) or has_note_off(signal, string, following)
