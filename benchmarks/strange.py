"""A second corpus, unlike the first in its physics and its rooms: what suits one set of sounds may fail on another.

Strings of any stiffness, picked anywhere and heard by a pickup anywhere, glides to 20 cents, polarisations apart in
Hz; coloured noise, buzzing hum, distortion, a band played by fluidsynth. `python -m benchmarks.strange [--runs N]`.
"""

from __future__ import annotations

import argparse
import struct
import subprocess
import tempfile
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import numpy as np
import soundfile as sf

from benchmarks.listening import matched, row
from benchmarks.sampled import SOUNDFONT, _variable
from benchmarks.sounds import Sound, Truth, add_noise, attack_mean, hz
from benchmarks.waves import cosine, decaying
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.reading import parse_tuning

TUNINGS = (
    "standard",
    "drop D",
    "drop C",
    "open G",
    "DADGAD",
    "Eb standard",
    "B standard",
    "open C",
    "all fourths",
)


ONE_TIME, TWO_TIMES = ((1.0, 1.0),), ((0.6, 0.4), (0.4, 1.3))  # shares of a glide, and parts of its time


def tone(r, f1, rate, seconds, beating, falls=ONE_TIME, course=None):
    """(samples, mean of the glide over 12 to 112 ms) of one pluck, peak 1; a `course` (N,) s is what f1 is counted by."""
    t = np.arange(int(seconds * rate)) / rate
    stiff = 10 ** r.uniform(-5, -3.6) * (f1 / 110) ** 0.6
    pickup, pick = r.uniform(0.06, 0.35), r.uniform(0.03, 0.3)
    lasts = r.uniform(0.6, 4.0) * (110 / f1) ** 0.3
    cents, tau = r.uniform(0, 20), r.uniform(0.03, 0.3)
    glide = (2 ** (cents / 1200) - 1) * sum(a * b * tau * (1 - np.exp(-t / tau / b)) for a, b in falls)
    gone = (t if course is None else course) + glide
    tilt, apart, share = r.uniform(0.7, 1.6), r.normal(0, 0.05), beating * r.uniform(0, 0.35)
    out = np.zeros(len(t))
    for n in range(1, 80):
        fn = n * f1 * np.sqrt((1 + stiff * n * n) / (1 + stiff))
        if fn > min(0.46 * rate, 10000):
            break
        size = abs(np.sin(n * np.pi * pickup) * np.sin(n * np.pi * pick)) / n**tilt + 1e-4 / n
        decay = lasts / (1 + 0.25 * (n - 1) ** 0.8 + (fn / 4000) ** 2)
        phases = r.uniform(0, 6.28), r.uniform(0, 6.28)
        wave = decaying(len(t), rate, decay) * cosine(gone, fn, phases[0])
        if share:
            other = cosine(gone, fn + apart * np.sqrt(n), phases[1])
            wave += share * decaying(len(t), rate, decay / 0.6) * other
        out += size * wave
    out /= np.abs(out).max()
    pick_noise = int(r.uniform(0.003, 0.02) * rate)
    out[:pick_noise] += 0.15 * r.normal(0, 1, pick_noise) * np.hanning(pick_noise)
    return out * np.minimum(1, t / r.uniform(0.0005, 0.004)), sum(
        attack_mean(a * cents, b * tau) for a, b in falls
    )


def tense(r, f1, rate, seconds, _):
    """The same of a string that is sharp by its energy, as its tension is (Tolonen, Välimäki and Karjalainen 2000): low
    partials keep it so for seconds, and f1 is where that ends."""
    t = np.arange(int(seconds * rate)) / rate
    stiff, pick = 10 ** r.uniform(-5, -3.8), r.uniform(0.08, 0.3)
    n = np.arange(1, int(min(60, 9000 / f1)) + 1)
    fn = n * f1 * np.sqrt((1 + stiff * n * n) / (1 + stiff))
    size = np.abs(np.sin(np.pi * n * pick)) / n ** r.uniform(1.0, 1.6)
    decay = r.uniform(1.2, 3.5) * (82 / f1) ** 0.35 / (1 + 0.08 * n + 0.004 * n * n)
    energy = sum(a * a * k * decaying(len(t), rate, d / 2) for a, k, d in zip(size, n, decay, strict=True))
    course = r.uniform(0, 10) * energy / energy[0]
    turns = np.cumsum(2 ** (course / 1200)) / rate
    out = sum(
        a * decaying(len(t), rate, d) * cosine(turns, f, r.uniform(0, 6.28))
        for a, d, f in zip(size, decay, fn, strict=True)
    )
    attack = course[(t > 0.012) & (t < 0.112)].mean()
    return out / np.abs(out).max() * np.minimum(1, t / 0.002), attack


def turned(r, f1, rate, seconds, beating):
    """The same of a string whose peg is turned from 0.3 s after the pluck at the soonest, by 50 to 150 cents a second."""
    t = np.arange(int(seconds * rate)) / rate
    by, at = r.choice([-1, 1]) * r.uniform(20, 150), r.uniform(0.3, 0.7 * seconds)
    cents = by * np.clip((t - at) * r.uniform(50, 150) / abs(by), 0, 1)
    return tone(r, f1, rate, seconds, beating, course=np.cumsum(2 ** (cents / 1200)) / rate)


def vibrato(r, f1, rate, seconds, beating):
    """The same of a string whose bridge is rocked: by 2 to 12 cents to either side, three to seven times a second."""
    t = np.arange(int(seconds * rate)) / rate
    cents = r.uniform(2, 12) * np.sin(2 * np.pi * r.uniform(3, 7) * t + r.uniform(0, 6.28))
    return tone(r, f1, rate, seconds, beating, course=np.cumsum(2 ** (cents / 1200)) / rate)


def tremolo(r, f1, rate, seconds, beating):
    """The same through an amplifier's tremolo, three to nine times a second, down to a fifth."""
    out, attack = tone(r, f1, rate, seconds, beating)
    wave = 0.5 + 0.5 * np.sin(2 * np.pi * r.uniform(3, 9) * np.arange(len(out)) / rate + r.uniform(0, 6.28))
    return out * (1 - r.uniform(0.2, 0.8) * wave), attack


def run(
    r, rate=48000, name=None, strings=None, length=None, gap=None, spread=45.0, beating=0.0, overlap=0.0, sound=tone
):  # fmt: skip
    """A run of plucks in any order, each 0 to 8 dB below the loudest."""
    tuning = parse_tuning(name or TUNINGS[r.integers(len(TUNINGS))])
    at, x, plucks = r.uniform(0.2, 1.2), np.zeros(rate * 60), []
    for s in strings or list(r.permutation(tuning.strings)):
        lasts = (length or r.uniform(0.7, 3.0)) + overlap
        f1 = hz(float(tuning.pitch(int(s))) + r.uniform(-spread, spread) / 100)
        y, attack = sound(r, f1, rate, lasts, beating)
        damp = int(r.uniform(0.01, 0.06) * rate)
        y[-damp:] *= np.linspace(1, 0, damp) ** 2
        k = round(at * rate)
        x[k : k + len(y)] += 0.4 * 10 ** (r.uniform(-8, 0) / 20) * y
        plucks.append(Truth(k / rate, k / rate + lasts, int(s), f1, attack))
        at += lasts - overlap + (r.uniform(0.05, 0.6) if gap is None else gap)
    whole = Sound(rate, x[: int((at + 0.5) * rate)], plucks)
    whole.targets = Targets(tuning)
    return whole


def under_another(r, rate=48000, pairs=4):
    """Strings begun under another that rings, up to 16 dB louder."""
    tuning = parse_tuning(TUNINGS[r.integers(len(TUNINGS))])
    x, plucks = 1e-5 * r.normal(0, 1, int((pairs * 4.2 + 1) * rate)), []
    for pair in range(pairs):
        for s, at, below in zip(
            r.permutation(tuning.strings)[:2], (0.3, r.uniform(0.8, 1.7)), (0, r.uniform(0, 16)), strict=True
        ):
            f1 = hz(float(tuning.pitch(int(s))) + r.uniform(-45, 45) / 100)
            k = round((pair * 4.2 + at) * rate)
            y, attack = tone(r, f1, rate, 3.7 - at, 0.0)
            y[-2400:] *= np.linspace(1, 0, 2400)
            x[k : k + len(y)] += 0.4 * 10 ** (-below / 20) * y
            plucks.append(Truth(k / rate, (k + len(y)) / rate, int(s), f1, attack))
    sound = Sound(rate, x, plucks)
    sound.targets = Targets(tuning)
    return sound


def _add(sound, other, below_db):
    """Adds a sound, its mean power so far under the guitar's."""
    gain = np.sqrt(np.mean(sound.samples**2) / np.mean(other**2) / 10 ** (below_db / 10))
    sound.samples = sound.samples + gain * other
    return sound


def coloured(r, sound, below_db, power):
    """Noise that falls with frequency to a power: 0.5 is pink, 1 is brown."""
    spectrum = np.fft.rfft(r.normal(0, 1, len(sound.samples)))
    f = np.maximum(np.fft.rfftfreq(len(sound.samples), 1 / sound.rate), 20)
    return _add(sound, np.fft.irfft(spectrum / f**power, len(sound.samples)), below_db)


def hum(r, sound, base):
    """Twenty harmonics that drift together."""
    t = np.arange(len(sound.samples)) / sound.rate
    drift = 0.02 * np.cumsum(r.normal(0, 1, len(t) // sound.rate + 2))
    phase = 2 * np.pi * np.cumsum(base + np.interp(t, np.arange(len(drift)), drift)) / sound.rate
    waves = (
        10 ** (r.uniform(-30, 0) / 20) / n**0.5 * np.sin(n * phase + r.uniform(0, 6.28)) for n in range(1, 21)
    )
    return _add(sound, sum(waves), r.uniform(5, 20))


def distorted(r, sound):
    sound.samples = 0.5 * np.tanh(sound.samples * r.uniform(2, 8))
    return sound


def band(r, rate, seconds):
    """Drums, a bass, chords and a melody of General MIDI instruments."""
    beat, events, root = 480, [], int(r.integers(28, 40))
    tempo = r.uniform(90, 160)
    for b in range(int(seconds * tempo / 30)):
        t = b * beat // 2
        for key in [42] + ([36] if b % 4 == 0 else [38] if b % 4 == 2 else []):
            events += [(t, (0x99, key, int(r.integers(70, 120)))), (t + 200, (0x89, key, 0))]
        notes = [(0, root + int(r.choice([0, 0, 3, 5, 7])), beat - 20)] if b % 2 == 0 else []
        notes += [(1, root + n, 4 * beat - 40) for n in (12, 19, 24)] if b % 8 == 0 else []
        notes += (
            [(2, root + 24 + int(r.choice([0, 3, 5, 7, 10])), beat // 2 - 10)] if r.uniform() < 0.5 else []
        )
        for channel, note, lasts in notes:
            events += [(t, (0x90 | channel, note, 95)), (t + lasts, (0x80 | channel, note, 0))]
    setup = struct.pack(">I", int(60e6 / tempo))[1:] + bytes([0, 0xC0, 33, 0, 0xC1, 29, 0, 0xC2, 18])
    return rendered(events, b"\0\xff\x51\x03" + setup, rate)


def rendered(events, setup, rate):
    """What fluidsynth plays of MIDI messages (tick, bytes), 480 ticks a beat, after a track's `setup`."""
    body, last = setup, 0
    for t, message in sorted(events):
        body, last = body + _variable(t - last) + bytes(message), t
    body += _variable(480) + b"\xff\x2f\0"
    with tempfile.TemporaryDirectory() as folder:
        source, wave = Path(folder) / "b.mid", Path(folder) / "b.wav"
        source.write_bytes(
            b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(body)) + body
        )
        command = ["fluidsynth", "-ni", "-r", str(rate), "-F", str(wave), str(SOUNDFONT), str(source)]
        subprocess.run(command, check=True, capture_output=True)
        return sf.read(wave)[0].mean(axis=1)


def with_band(r, sound):
    other = band(r, sound.rate, len(sound.samples) / sound.rate + 1)[: len(sound.samples)]
    return _add(sound, np.pad(other, (0, len(sound.samples) - len(other))), 10)


AGAIN = [6, 6, 6, 5, 5, 4, 3, 3, 2, 1, 1]
KINDS = {
    "any string": lambda r: run(r),
    "beating": lambda r: run(r, beating=1.0),
    "two times": lambda r: run(r, sound=partial(tone, falls=TWO_TIMES)),
    "tension": lambda r: run(r, length=2.4, sound=tense),
    "tension cut": lambda r: run(r, length=0.5, sound=tense),
    "noise 10 dB": lambda r: add_noise(r, run(r), 10),
    "pink 10 dB": lambda r: coloured(r, run(r), 10, 0.5),
    "brown 10 dB": lambda r: coloured(r, run(r), 10, 1.0),
    "hum 50 Hz": lambda r: hum(r, run(r), 50),
    "hum 60 Hz": lambda r: hum(r, run(r), 60),
    "distortion": lambda r: distorted(r, run(r)),
    "a band": lambda r: with_band(r, run(r)),
    "ring-over": lambda r: run(r, overlap=1.5, gap=0.02),
    "under another": lambda r: under_another(r),
    "picked again": lambda r: run(r, name="standard", strings=AGAIN, length=r.uniform(0.6, 1.2), gap=0.0, spread=1),
    "far from target": lambda r: run(r, spread=200.0),
    "turned": lambda r: run(r, length=3.0, sound=turned),
    "turned as others ring": lambda r: run(r, length=2.0, overlap=1.5, gap=0.02, sound=turned),
    "vibrato": lambda r: run(r, sound=vibrato),
    "tremolo": lambda r: run(r, sound=tremolo),
    "vibrato, ring-over": lambda r: run(r, overlap=1.5, gap=0.02, sound=vibrato),
    "8 kHz": lambda r: run(r, rate=8000),
    "bass": lambda r: run(r, name="bass"),
    "seven strings": lambda r: run(r, name="seven-string drop A"),
}  # fmt: skip


_made = KINDS  # what the workers inherit: recipes cannot be sent to them


def one(job):
    kind, seed = job
    sound = _made[kind](np.random.default_rng([seed, sum(map(ord, kind))]))
    return kind, matched(sound, analyse(sound.samples, sound.rate, sound.targets))


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--runs", type=int, default=6)
    options.add_argument("--kinds", type=lambda v: v.split(","), default=list(KINDS))
    chosen = options.parse_args()
    measure(chosen.runs, chosen.kinds)


def measure(runs: int, kinds=tuple(KINDS), made=KINDS) -> None:
    global _made
    _made = made
    with Pool(2) as pool:
        done = pool.map(one, [(kind, s) for kind in kinds for s in range(runs)], chunksize=1)
    print(f"{'':18}{'cents: median, 95 %, max':>23}  {'attack':>23}  missed extra wrong gross claims")
    for kind in kinds:
        mine = [d[1] for d in done if d[0] == kind]
        rows = [r for m in mine for r in m[0]]
        missed, extra, wrong = (sum(m[k] for m in mine) for k in (1, 2, 3))
        gross = sum(abs(r[0]) > 50 for r in rows)
        claims = np.mean([abs(e) <= s for e, s, _, _ in rows])
        counts = f"{missed:6} {extra:5} {wrong:5} {gross:5} {claims:5.0%}"
        print(f"{kind:18}{row([r[0] for r in rows])}  {row([r[2] for r in rows])}  {counts}")


if __name__ == "__main__":
    main()
