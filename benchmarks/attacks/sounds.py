"""Mutated sound files against `measure` and `reference`: `python -m benchmarks.attacks.sounds [count] [seed]`.

Each is heard in a process of its own that must end by itself with exit 0 or 2, without a traceback, below 1 GB.
"""

from __future__ import annotations

import random
import resource
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import soundfile as sf

from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.sim.guitar import SimulatedGuitar, played

WORKER = """
import sys, json
from pathlib import Path
from juxtatune.core.errors import CannotTell, UserError
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.types import Targets
from juxtatune.core.listening.reference.offset import reference_offset
from juxtatune.devices.sound_file import read_sound
for line in sys.stdin:
    try:
        sound = read_sound(Path(json.loads(line)))
        analyse(sound.clearest(), sound.rate, Targets())
        reference_offset(sound.clearest(), sound.rate)
        said = "heard"
    except UserError as error:
        message = error.message()
        said = "refused" if len(message) <= 2000 and message.isprintable() else "LONG"
    except BaseException as error:
        said = "ERROR " + repr(error)[:300]
    print(json.dumps(said), flush=True)
"""
MOST_BYTES = 1_000_000_000


def sources(folder: Path) -> list[Path]:
    """A short riff in every container and some odd ones."""
    guitar = SimulatedGuitar(parse_tuning("drop D"), seed=2)
    samples = played(guitar, [6, 5, 4], 0.4)
    stereo = np.stack([samples, 0.3 * samples], axis=1)
    made = []
    for name, data, rate, kind in (
        ("a.wav", samples, 48000, "PCM_16"), ("b.wav", stereo, 44100, "FLOAT"), ("c.flac", samples, 48000, "PCM_24"),
        ("d.ogg", stereo, 48000, "VORBIS"), ("e.wav", samples[::6], 8000, "PCM_U8"), ("f.wav", samples, 192000, "DOUBLE"),
    ):  # fmt: skip
        sf.write(folder / name, data, rate, subtype=kind)
        made.append(folder / name)
    return made


def mutated(rng: random.Random, source: bytes) -> bytes:
    """Bytes changed, cut, doubled or put in; the header more often than the rest."""
    data = bytearray(source)
    for _ in range(rng.randint(1, 6)):
        at = rng.randrange(min(len(data), 120) if rng.random() < 0.7 else len(data)) if data else 0
        change = rng.random()
        if change < 0.5 and data:
            data[at] = rng.randrange(256)
        elif change < 0.65:
            del data[at : at + rng.randrange(1, 2000)]
        elif change < 0.8:
            data[at:at] = bytes(rng.randrange(256) for _ in range(rng.randrange(1, 64)))
        elif change < 0.9:
            data = data[: rng.randrange(len(data) + 1)]
        else:
            data[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x00\x00\xc0\x7f", b"\x7f\xff\xff\xff"])
    return bytes(data)


def attack(count: int, seed: int) -> dict[str, int]:
    import json

    rng = random.Random(seed)
    tally: dict[str, int] = {}

    def start() -> subprocess.Popen[str]:
        return subprocess.Popen(
            [sys.executable, "-c", WORKER], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            text=True, preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_AS, (6 * MOST_BYTES, 6 * MOST_BYTES)),
        )  # fmt: skip

    worker = start()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        bases = [(p, p.read_bytes()) for p in sources(folder)]
        for k in range(count):
            path, data = rng.choice(bases)
            target = folder / f"m{path.suffix}"
            target.write_bytes(mutated(rng, data))
            assert worker.stdin is not None and worker.stdout is not None
            worker.stdin.write(json.dumps(str(target)) + "\n")
            worker.stdin.flush()
            line = worker.stdout.readline()
            said = json.loads(line) if line else "DIED"
            word = said.split()[0]
            tally[word] = tally.get(word, 0) + 1
            if word.isupper():
                print(f"case {k}: {said}", flush=True)
                Path(f"/tmp/attack-{seed}-{k}{path.suffix}").write_bytes(target.read_bytes())
            if word == "DIED":
                worker = start()
        status = Path(f"/proc/{worker.pid}/status").read_text()
        peak = next(line for line in status.splitlines() if line.startswith("VmHWM"))
        tally["peak_MB"] = int(peak.split()[1]) // 1000
        worker.kill()
    return tally


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    print(attack(count, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
