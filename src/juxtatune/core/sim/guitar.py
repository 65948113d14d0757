"""A guitar to learn and test with: strings that are plucked, pegs that turn them, slack that slips."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from juxtatune.core.listening.source import Block
from juxtatune.core.music.pitch import ISO_16, Reference
from juxtatune.core.music.tuning import Tuning
from juxtatune.core.sim.bridge import Bridge
from juxtatune.core.sim.synthesis import Voice, is_spent, pluck, render
from juxtatune.core.strings.string import usual_string
from juxtatune.core.strings.tension import Gauge

MOST_SLACK = 6.0  # cents that a string left on a loosening slips flat. Common practice, no source
TAKE_UP = 10.0  # cents of tightening that take all slack out
SLIP_TAU = 1.2  # seconds in which most of the slack slips once the string is played


@dataclass(frozen=True)
class Room:
    """What is heard beside the strings: noise and hum as amplitudes, hum frequency in Hz."""

    noise: float = 2e-4
    hum: float = 2e-4
    hum_hz: float = 50.0


class SimulatedGuitar:
    """A SoundSource that plays itself on request. All pitches in cents against the tuning it was made with."""

    def __init__(self, tuning: Tuning, rate: int = 48000, seed: int = 0, bridge: str = "fixed",
                 room: Room | None = None, reference: Reference = ISO_16, block: int = 960, level: Tuning | None = None,
                 gauges: Sequence[Gauge] = (), bridge_seed: int = 0, off: Sequence[int] = ()) -> None:  # fmt: skip
        self.tuning, self.rate, self.block = tuning, rate, block
        self.room = Room() if room is None else room
        self.reference = reference
        count = len(tuning)
        self._rng = np.random.default_rng(seed)
        self._base = np.array([reference.hz(p) for p in tuning.pitches])
        self._stretch = [usual_string(hz).inharmonicity(hz) for hz in self._base]
        self._cents = np.zeros(count)
        self._goal = np.zeros(count)
        self._slack = np.zeros(count)
        self._slipped = np.zeros(count)  # cents that slack has let each string down
        self._off = frozenset(off)
        missing = [tuning.index(s) for s in off]
        home = tuning if level is None else level
        self._home = 100 * (np.array(home.pitches) - np.array(tuning.pitches))
        self._bridge = Bridge(home, bridge, np.random.default_rng(bridge_seed), gauges=gauges, off=missing)
        self._bridge.stand_at(-self._home)
        self._voices: dict[int, Voice] = {}
        self._lift = np.zeros(count)  # cents that a finger holds each string above open
        self._stopped = np.zeros(count)  # where the fret alone holds it
        self._sharp = np.random.default_rng(bridge_seed + 1).uniform(-6, 8, count)  # of its note fretted at the 12th
        self._clock = 0
        self._running = False

    @property
    def name(self) -> str:
        return "simulated guitar"

    def start(self) -> None:
        self._running = True

    def stop(self) -> None:
        self._running = False

    def detune(self, cents: NDArray[np.float64]) -> None:
        """Sets how far each string lies from the tuning, list order, as if it had been left so."""
        self._cents = np.asarray(cents, float).copy()
        self._goal = self._cents.copy()
        self._slack[:] = 0
        self._slipped[:] = 0
        self._bridge.stand_at(self._cents - self._home)

    def pitch(self, string: int) -> float:
        """Where a string is now on the MIDI scale, glide apart."""
        at = self.tuning.index(string)
        return self.tuning.pitches[at] + float(self._cents[at]) / 100

    def pluck(self, string: int, strength: float = 0.35, fret: int = 0) -> None:
        self._lift[self.tuning.index(string)] = self._stopped[self.tuning.index(string)] = 100.0 * fret
        self._pick(string, strength)

    def pluck_unison(self, string: int) -> None:
        """A string and its higher neighbour, the string stopped a whole step below it: a unison bend waits to be bent."""
        other = string - 1
        fret = round(self.tuning.pitch(other) - self.tuning.pitch(string)) - 2
        self.pluck(other, 0.25)
        self.pluck(string, 0.25, max(0, fret))

    def bend(self, string: int, cents: float) -> None:
        """A finger pushes the string so much further, or lets it go; never below where it is stopped."""
        at = self.tuning.index(string)
        self._lift[at] = max(self._stopped[at], self._lift[at] + cents)

    def pluck_octave(self, string: int, fretted: bool) -> None:
        """The harmonic at the 12th fret, or the note fretted there, which is off by where the saddle stands."""
        at = self.tuning.index(string)
        self._lift[at] = 1200.0 + (self._sharp[at] if fretted else 0.0)
        self._pick(string, 0.3)

    def _pick(self, string: int, strength: float) -> None:
        if string in self._off:
            return
        at = self.tuning.index(string)
        hz = float(self._base[at] * np.exp2((self._cents[at] + self._lift[at]) / 1200))
        self._voices[at] = pluck(self._rng, hz, self._stretch[at], self.rate, strength)

    def strum(self) -> None:
        for string in self.tuning.strings:
            self.pluck(string, 0.2)

    def damp(self, but: int | None = None) -> None:
        """Damps every string, or all but one."""
        kept = self.tuning.index(but) if but is not None else None
        for at, voice in self._voices.items():
            if at != kept:
                voice.decay = voice.decay + 40.0

    def turn(self, string: int, cents: float) -> None:
        """Turns a peg: the string glides there at about 150 cents a second."""
        at = self.tuning.index(string)
        self._bridge.turn(at, float(self._bridge.cents[at]) + cents)
        self._goal = self._bridge.cents + self._home + self._slipped
        if cents < 0:
            self._slack[at] = min(MOST_SLACK, self._slack[at] - 0.12 * cents)
        else:
            self._slack[at] = max(0.0, self._slack[at] - cents * MOST_SLACK / TAKE_UP)

    def read(self, timeout: float) -> Block | None:
        """The next block; it never waits."""
        if not self._running:
            return None
        paths = self._move(self.block)
        out = self._room(self.block)
        for at, voice in list(self._voices.items()):
            out += render(voice, paths[at] + self._lift[at], float(self._base[at]), self.rate)
            if is_spent(voice) and self._voices.get(at) is voice:  # another thread may have picked it again
                del self._voices[at]
        block = Block(np.clip(out, -1, 1), self.rate, self._clock)
        self._clock += self.block
        return block

    def _move(self, count: int) -> NDArray[np.float64]:
        """Pitch of every string over the next samples (strings, k): pegs turn, slack slips while it rings."""
        seconds = count / self.rate
        slipping = np.array([at in self._voices for at in range(len(self._cents))])
        slip = np.where(slipping, self._slack * (1 - np.exp(-seconds / SLIP_TAU)), 0.0)
        self._slack -= slip
        if slip.any():
            self._goal = self._goal - slip
            self._slipped = self._slipped - slip
        step = np.clip(self._goal - self._cents, -150 * seconds * 1.0 - slip, 150 * seconds)
        paths = self._cents[:, None] + step[:, None] * (np.arange(1, count + 1) / count)[None, :]
        self._cents = self._cents + step
        return paths

    def _room(self, count: int) -> NDArray[np.float64]:
        t = (self._clock + np.arange(count)) / self.rate
        hum = sum(a * np.sin(2 * np.pi * self.room.hum_hz * n * t) for n, a in ((1, 1.0), (2, 0.4), (3, 0.5)))
        return self.room.noise * self._rng.normal(0, 1, count) + self.room.hum * np.asarray(hum)


def played(guitar: SimulatedGuitar, picks: Sequence[int], every_s: float) -> NDArray[np.float64]:
    """What a guitar sounds like while these strings are picked, one every so many seconds, and once more as long."""
    guitar.start()
    blocks = []
    for string in (*picks, None):
        if string is not None:
            guitar.pluck(string)
        for _ in range(round(every_s * guitar.rate / guitar.block)):
            block = guitar.read(0.0)
            assert block is not None
            blocks.append(block.samples)
    return np.concatenate(blocks)
