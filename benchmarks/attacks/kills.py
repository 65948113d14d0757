"""A program killed in the midst of edits: `python -m benchmarks.attacks.kills [count] [seed]`.

Every edit that was finished is in the book, whole; what it was in the midst of is there or not, never half.
"""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from juxtatune.app.session import Session
from juxtatune.book.demo import write_demo_book

WORKER = """
import sys
from dataclasses import replace
from pathlib import Path
from juxtatune.app import session
session.PATIENCE_S = 30.0
s = session.Session(Path(sys.argv[1]))
k = 0
print("ready", flush=True)
while True:
    k += 1
    song = s.state.songs[k % 18]
    night = s.state.nights[0]
    new = s.state.with_song(replace(song, length_s=float(k))).with_night(replace(night, name=f"Night {k}"))
    s.edit("Edit", new)
    print(k, flush=True)
"""


def attack(count: int, seed: int) -> dict[str, int]:
    rng = random.Random(seed)
    tally = {"kept": 0, "LOST": 0, "HALF": 0}
    with tempfile.TemporaryDirectory() as place:
        path = write_demo_book(Path(place))
        for _ in range(count):
            child = subprocess.Popen([sys.executable, "-c", WORKER, str(path)], stdout=subprocess.PIPE, text=True)
            assert child.stdout is not None
            child.stdout.readline()
            time.sleep(rng.uniform(0.0, 0.15))
            child.send_signal(signal.SIGKILL)
            finished = [int(line) for line in child.stdout.read().splitlines() if line.isdigit()]
            child.wait()
            last = finished[-1] if finished else 0
            session = Session(path)
            name = session.state.nights[0].name
            now = int(name.removeprefix("Night ")) if name.startswith("Night ") else 0
            length = session.state.songs[now % 18].length_s if now else 0.0
            word = "LOST" if last and now not in (last, last + 1) else "HALF" if now and length != now else "kept"
            tally[word] += 1
            session.close()
    return tally


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    print(attack(count, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
