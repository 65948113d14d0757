"""A sound server that changes under the listener: other rates, a remapped channel, suspended and removed sinks."""

from __future__ import annotations

import json
import signal
import subprocess
import time
from collections.abc import Callable

import numpy as np
import pytest
import soundfile as sf

from tests.devices.test_live_input import listen, pactl, play, pulse, wait_until_it_listens  # noqa: F401
from tests.listening.sounds import one_string


def wave(tmp_path, stereo=False, rate=48000):
    samples, f1 = one_string(45, 20.0, rate=rate, lead=0.3, seconds=1.6)
    path = tmp_path / "pluck.wav"
    both = np.stack([np.random.default_rng(1).normal(0, 0.02, len(samples)), samples], axis=1)
    sf.write(path, both if stereo else samples, rate)
    return path, f1


def heard(process) -> tuple[list[dict], int, str]:
    """What is read until the program ends, or until a second after the first reading; its exit code and messages."""
    first = process.stdout.readline()
    if first:
        time.sleep(1.0)
        process.send_signal(signal.SIGINT)
    out, error = process.communicate(timeout=60)
    return [json.loads(line) for line in (first + out).splitlines()], process.returncode, error


def hears_a2(env, path, f1: float, sink: str, streams: int = 1, first: Callable[[], None] = lambda: None) -> None:
    """A sink plays a file once so many streams record and `first` has been done: the A is read, and nothing else."""
    # a busy machine drops blocks, and a pluck with a gap in it is not read; its sound server may not answer in time
    for last in (False, False, True):
        process = listen(env, seconds=9.0)
        wait_until_it_listens(env, streams)
        first()
        subprocess.run(["paplay", f"--device={sink}", str(path)], env=env, check=True, capture_output=True)
        rows, code, error = heard(process)
        assert code == 0, error
        right = [r["string"] for r in rows] == [5] and abs(1200 * np.log2(rows[0]["hz"] / f1)) < 1.0
        if right:
            return
        assert not last, rows


@pytest.mark.parametrize("rate", [44100, 96000])
def test_a_sink_of_another_rate(pulse, tmp_path, rate) -> None:  # noqa: F811
    pactl(pulse, "load-module", "module-null-sink", "sink_name=other", f"rate={rate}")
    pactl(pulse, "set-default-source", "other.monitor")
    path, f1 = wave(tmp_path, rate=rate)
    hears_a2(pulse, path, f1, "other")


def test_a_remapped_source_brings_one_channel(pulse, tmp_path) -> None:  # noqa: F811
    pactl(pulse, "load-module", "module-remap-source", "source_name=right", "master=room.monitor", "channels=1",
          "master_channel_map=front-right", "channel_map=mono", "remix=no")  # fmt: skip
    pactl(pulse, "set-default-source", "right")
    path, f1 = wave(tmp_path, stereo=True)
    hears_a2(pulse, path, f1, "room", streams=2)  # the remapped source records too


def test_a_source_suspended_and_resumed_goes_on(pulse, tmp_path) -> None:  # noqa: F811
    path, f1 = wave(tmp_path)

    def pause() -> None:
        pactl(pulse, "suspend-sink", "room", "1")
        time.sleep(2.0)
        pactl(pulse, "suspend-sink", "room", "0")
        time.sleep(1.0)

    hears_a2(pulse, path, f1, "room", first=pause)


def test_a_source_that_is_removed_leaves_no_trace_of_an_error(pulse, tmp_path) -> None:  # noqa: F811
    process = listen(pulse, seconds=6.0)
    wait_until_it_listens(pulse)
    pactl(pulse, "unload-module", "module-null-sink")
    time.sleep(1.0)
    pactl(pulse, "load-module", "module-null-sink", "sink_name=room", "rate=48000")
    out, errors = process.communicate(timeout=40)
    assert process.returncode == 0 and "Traceback" not in errors and out == ""
