"""Sounds with exactly known pitch, made apart from the product's own simulator.

Additive strings: stretched partials (Fletcher 1964), pluck-position spectrum, frequency-dependent decay,
an exponential attack glide, two polarisations; then the room they are heard in.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from benchmarks.waves import cosine, decaying


@dataclass
class Truth:
    """What was played: onset, end (s), string, settled f1 (Hz), mean f1 over 12 to 112 ms in cents against it."""

    start: float
    end: float
    string: int
    f1: float
    attack_cents: float


@dataclass
class Sound:
    rate: int
    samples: np.ndarray
    plucks: list[Truth] = field(default_factory=list)
    kind: str = ""


STANDARD = {6: 40, 5: 45, 4: 50, 3: 55, 2: 59, 1: 64}
STIFF = {6: 6e-5, 5: 5e-5, 4: 4e-5, 3: 1.2e-4, 2: 6e-5, 1: 3e-5, 7: 8e-5}


def hz(pitch: float, a4: float = 440.0) -> float:
    return a4 * 2 ** ((pitch - 69) / 12)


def string_tone(
    rng, f1, rate, seconds, stiff, glide_cents, tau, decay=None, position=None, beat=0.0, damping=None
):
    """One plucked string from its onset on; peak amplitude about 1.

    `damping` is ln of the decay rate at 400 Hz and how it grows with ln frequency.
    """
    t = np.arange(int(seconds * rate)) / rate
    f0 = f1 / np.sqrt(1 + stiff)
    position = position if position is not None else rng.uniform(0.08, 0.3)
    slow = decay if decay is not None else rng.uniform(1.2, 3.5)
    glide = (2 ** (glide_cents / 1200) - 1) * tau * (1 - np.exp(-t / tau))
    out = np.zeros(len(t))
    for n in range(1, 60):
        fn = n * f0 * np.sqrt(1 + stiff * n * n)
        if fn > min(0.45 * rate, 9000):
            break
        amp = np.sin(n * np.pi * position) / n ** rng.uniform(1.0, 1.4)
        tn = slow / (1 + 0.12 * (n - 1) + 1.5e-8 * fn * fn)
        if damping is not None:
            tn = np.exp(-damping[0]) * (fn / 400) ** -damping[1]
        phase = rng.uniform(0, 2 * np.pi)
        body = decaying(len(t), rate, tn)
        wave = cosine(t + glide, fn, phase)
        if beat:
            other = cosine(t + glide, fn * (1 + rng.normal(0, beat) / 1200 * np.log(2)), rng.uniform(0, 6.28))
            wave = 0.8 * wave + 0.2 * decaying(len(t), rate, 2 * tn) * other
        out += amp * body * wave
    rise = np.minimum(1, t / 0.0015)
    return out * rise / (np.max(np.abs(out)) + 1e-12)


def attack_mean(glide_cents, tau):
    """Mean of the glide over 12 to 112 ms, in cents."""
    a, b = 0.012, 0.112
    return glide_cents * tau * (np.exp(-a / tau) - np.exp(-b / tau)) / (b - a)


def pluck_run(
    rng,
    rate=48000,
    strings=None,
    length=1.6,
    gap=0.25,
    spread=45.0,
    tuning=None,
    ring=False,
    beat=0.0,
    level=0.4,
    cut=True,
    stiff=(0.6, 1.5),
    bend=((0.5, 14), (0.04, 0.16)),
):
    """A run of single plucks of a tuning, each detuned by up to `spread` cents.

    `stiff` are the limits of what the usual B is multiplied with, `bend` those of the glide in cents and its time in s.
    """
    tuning = tuning or STANDARD
    strings = strings or sorted(tuning, reverse=True)
    lead = rng.uniform(0.3, 0.7)
    step = length + gap
    total = int((lead + step * len(strings) + 0.3) * rate)
    x = np.zeros(total + int(4 * rate))
    plucks = []
    for k, s in enumerate(strings):
        cents = rng.uniform(-spread, spread)
        f1 = hz(tuning[s] + cents / 100)
        glide, tau = rng.uniform(*bend[0]), rng.uniform(*bend[1])
        start = lead + k * step + rng.uniform(0, 0.05)
        sound_for = length + (1.0 if ring else 0.0)
        y = string_tone(
            rng, f1, rate, sound_for, STIFF.get(s, 5e-5) * rng.uniform(*stiff), glide, tau, beat=beat
        )
        if cut:
            damp = int(0.03 * rate)
            y[-damp:] *= np.linspace(1, 0, damp) ** 2
        at = round(start * rate)
        y = y * level * rng.uniform(0.6, 1.0)
        noise = rng.normal(0, 1, int(0.008 * rate)) * np.hanning(int(0.008 * rate)) * 0.05 * level
        x[at : at + len(y)] += y
        x[at : at + len(noise)] += noise
        plucks.append(Truth(at / rate, at / rate + sound_for, s, f1, attack_mean(glide, tau)))
    return Sound(rate, x[:total], plucks)


def add_noise(rng, sound, snr_db):
    """White noise over the whole band, relative to the mean power while strings sound."""
    power = np.mean(sound.samples**2)
    sound.samples = sound.samples + rng.normal(0, np.sqrt(power / 10 ** (snr_db / 10)), len(sound.samples))
    return sound


def add_hum(rng, sound, base, level):
    t = np.arange(len(sound.samples)) / sound.rate
    f = base + rng.uniform(-0.05, 0.05)
    hum = sum(
        a * np.sin(2 * np.pi * f * n * t + rng.uniform(0, 6.28))
        for n, a in ((1, 1), (2, 0.5), (3, 0.6), (4, 0.2), (5, 0.3), (7, 0.15))
    )
    sound.samples = sound.samples + level * hum
    return sound


def drums(rng, rate, seconds, level=0.3):
    """Kick, snare and hat with no pitch of a string in them."""
    x = np.zeros(int(seconds * rate) + rate)
    beat = 60 / rng.uniform(90, 150)
    k, t = 0, 0.1
    while t < seconds:
        at = int(t * rate)
        if k % 4 == 0:
            u = np.arange(int(0.25 * rate)) / rate
            hit = np.sin(2 * np.pi * (50 * u + 60 * 0.03 * (1 - np.exp(-u / 0.03)))) * np.exp(-u / 0.07)
        elif k % 4 == 2:
            u = np.arange(int(0.2 * rate)) / rate
            hit = rng.normal(0, 0.5, len(u)) * np.exp(-u / 0.05) + 0.4 * np.sin(2 * np.pi * 185 * u) * np.exp(
                -u / 0.06
            )
        else:
            u = np.arange(int(0.08 * rate)) / rate
            hit = np.diff(rng.normal(0, 0.3, len(u) + 1)) * np.exp(-u / 0.02)
        x[at : at + len(hit)] += hit * level * rng.uniform(0.7, 1)
        k, t = k + 1, t + beat / 2
    return x[: int(seconds * rate)]


# modes of an ideal circular membrane, and of a head that the air behind it brings nearer to harmonic, of its lowest
# (Rossing 2000, Science of Percussion Instruments, from memory)
MEMBRANE = np.array([1, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.501, 3.6, 4.06])
LOADED = np.array([1, 1.5, 1.98, 2.44, 2.9, 3.4, 3.9])


def tom(rng, rate, hz, seconds, modes):
    """One hit: the tension that it adds makes the pitch fall by up to 200 cents as it dies away."""
    t = np.arange(int(seconds * rate)) / rate
    bend, tau, decay = rng.uniform(10, 200) / 1200, rng.uniform(0.04, 0.2), rng.uniform(0.1, 0.6)
    phase = 2 * np.pi * hz * np.cumsum(2 ** (bend * np.exp(-t / tau))) / rate
    x = np.zeros(len(t))
    for k, ratio in enumerate(modes):
        level, detuned = rng.uniform(0.3, 1) / (1 + 1.2 * k), 1 + rng.normal(0, 0.01)
        mode = np.sin(phase * ratio * detuned + rng.uniform(0, 7))
        x += level * mode * np.exp(-t / decay * (1 + 0.5 * k))
    return x * np.minimum(1, t / 0.002) + 0.3 * rng.normal(0, 1, len(t)) * np.exp(-t / 0.01)


def toms(rng, rate, modes, seconds=12.0):
    """A kit of four toms and a snare."""
    x = np.zeros(int((seconds + 2) * rate))
    pitches, beat = rng.uniform(70, 95) * np.array([1, 1.25, 1.5, 1.9]), 30 / rng.uniform(90, 160)
    for k in range(int(seconds / beat)):
        at, n = int((0.1 + k * beat) * rate), int(0.8 * rate)
        if rng.uniform() < 0.5:
            x[at : at + n] += rng.uniform(0.3, 1) * tom(rng, rate, rng.choice(pitches), 0.8, modes)
        if k % 4 == 2:
            x[at : at + n] += 0.5 * rng.normal(0, 1, n) * np.exp(-np.arange(n) / rate / 0.08)
    return 0.1 * x / np.abs(x).max()


def laptop(rng, sound):
    """A small microphone in a room: the fundamental lost, early reflections, 10 dB noise."""
    from scipy.signal import butter, fftconvolve, sosfilt

    rate = sound.rate
    x = sosfilt(butter(2, 180, "high", fs=rate, output="sos"), sound.samples)
    room = np.zeros(int(0.25 * rate))
    room[0] = 1
    for _ in range(60):
        d = rng.uniform(0.002, 0.24)
        room[int(d * rate)] += rng.normal(0, 0.25) * np.exp(-d / 0.08)
    sound.samples = fftconvolve(x, room)[: len(x)]
    return add_noise(rng, sound, 10)


def clip(sound, gain=6.0):
    sound.samples = np.clip(sound.samples * gain, -1, 1)
    return sound


def weak_fundamental(sound, low=180.0):
    """What a small speaker or a bridge pickup leaves: everything below `low` Hz falls by 18 dB an octave."""
    from scipy.signal import butter, sosfilt

    sound.samples = sosfilt(butter(3, low, "high", fs=sound.rate, output="sos"), sound.samples)
    return sound


def sympathetic(rng, sound, tuning=None):
    """Each pluck wakes the string two above it, about 26 dB lower and slowly rising."""
    tuning = tuning or STANDARD
    for p in sound.plucks:
        f1 = hz(tuning[1 + p.string % 6] + rng.uniform(-30, 30) / 100)
        y = string_tone(rng, f1, sound.rate, p.end - p.start, 5e-5, 0.2, 0.1)
        y *= 1 - np.exp(-np.arange(len(y)) / sound.rate / 0.2)
        at = round(p.start * sound.rate)
        y = y[: len(sound.samples) - at]
        sound.samples[at : at + len(y)] += 0.02 * y
    return sound


def bass_along(rng, sound):
    """A bass that plays each pluck along, an octave or a twelfth below, its peak 20 dB under the guitar's."""
    for p in sound.plucks:
        y = string_tone(
            rng,
            p.f1 / rng.choice([2, 3]) * 2 ** (rng.uniform(-30, 30) / 1200),
            sound.rate,
            0.5,
            1e-4,
            2,
            0.06,
        )
        at = round((p.start + rng.uniform(-0.03, 0.03)) * sound.rate)
        y = y[: len(sound.samples) - at]
        sound.samples[at : at + len(y)] += 0.03 * y
    return sound


def band(rng, rate, seconds):
    """A band beside the guitarist: drums, a bass line and held chords, peak about 1."""
    x = drums(rng, rate, seconds, 0.5)
    beat = rng.uniform(0.35, 0.6)
    root = int(rng.choice([28, 31, 33, 36]))
    for k in range(int(seconds / beat) - 1):
        pitch = root + int(rng.choice([0, 0, 0, 3, 5, 7]))
        y = 0.45 * string_tone(rng, hz(pitch), rate, beat * 1.1, 1e-4, 3, 0.06)
        at = int((0.05 + k * beat) * rate)
        x[at : at + len(y)] += y[: len(x) - at]
        if k % 4 == 0:
            for step in (24, 28 if k % 8 else 27, 31):
                y = 0.15 * string_tone(rng, hz(root + step), rate, beat * 3.5, 4e-5, 2, 0.08)
                x[at : at + len(y)] += y[: len(x) - at]
    return x[: int(seconds * rate)]


def add_bleed(rng, sound, below_db=10.0):
    """The band on the same microphone, its mean power `below_db` under the guitar's."""
    other = band(rng, sound.rate, len(sound.samples) / sound.rate)
    other = np.pad(other, (0, len(sound.samples) - len(other)))
    gain = np.sqrt(np.mean(sound.samples**2) / np.mean(other**2) / 10 ** (below_db / 10))
    sound.samples = sound.samples + gain * other
    return sound


def strum(rng, rate=48000, tuning=None, spread=45.0, seconds=2.8, level=0.12):
    """(samples, {string: cents}) of one strum, low to high, each string up to `spread` cents off."""
    tuning = tuning or STANDARD
    x, truth = np.zeros(int((seconds + 0.8) * rate)), {}
    at = rng.uniform(0.2, 0.5)
    for s in sorted(tuning, reverse=True):
        truth[s] = rng.uniform(-spread, spread)
        f1 = hz(tuning[s] + truth[s] / 100)
        y = string_tone(rng, f1, rate, seconds, STIFF.get(s, 5e-5) * rng.uniform(0.6, 1.5),
                        rng.uniform(0.5, 10), rng.uniform(0.04, 0.12))  # fmt: skip
        k = int(at * rate)
        y = y[: len(x) - k] * level * rng.uniform(0.6, 1.0)
        x[k : k + len(y)] += y
        at += rng.uniform(0.005, 0.03)
    return x, truth


def recording(rng, cents, rate=44100, seconds=14.0, with_drums=True, tone=string_tone):
    """Riffs and chords of a guitar and a bass off A4 = 440 by `cents`, drums over them."""
    x = np.zeros(int(seconds * rate) + 4 * rate)
    root = int(rng.integers(38, 46))
    beat = rng.uniform(0.25, 0.45)
    t, k = 0.1, 0
    while t < seconds - 0.5:
        if k % 4 == 0:
            notes = [
                root + int(rng.choice([0, 3, 5, 7, 10])) + i
                for i in ((0, 7, 12), (0, 4, 7, 12), (0, 3, 7))[rng.integers(3)]
            ]
            length = beat * 3
        else:
            notes, length = [root + int(rng.choice([0, 3, 5, 7, 10, 12, 15]))], beat * rng.uniform(0.6, 1.3)
        for pitch in notes:
            own = cents + rng.normal(0, 0.7)
            y = tone(rng, hz(pitch + own / 100), rate, length, 6e-5, rng.uniform(1, 8), 0.08)
            at = int((t + rng.uniform(0, 0.01)) * rate)
            x[at : at + len(y)] += 0.15 * y
        t, k = t + beat, k + 1
    x = x[: int(seconds * rate)]
    return x + (drums(rng, rate, seconds, 0.25) if with_drums else 0.0)
