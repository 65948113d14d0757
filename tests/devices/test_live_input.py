"""The real path: PortAudio listening to a PulseAudio null sink that plays a rendered pluck."""

from __future__ import annotations

import json
import os
import select
import shutil
import signal
import subprocess
import sys
import time

import pytest
import soundfile as sf

from tests.listening.sounds import one_string

PROGRAM = [sys.executable, "-c", "from juxtatune.cli.main import run; run()"]


@pytest.fixture
def pulse(tmp_path_factory):
    """A PulseAudio server of our own with a null sink whose monitor is the default input."""
    assert shutil.which("pulseaudio") and shutil.which("pactl"), "make setup installs pulseaudio"
    home = tmp_path_factory.mktemp("pulse")
    runtime = home / "run"
    runtime.mkdir(mode=0o700)
    env = os.environ | {
        "HOME": str(home), "XDG_RUNTIME_DIR": str(runtime), "PULSE_RUNTIME_PATH": str(runtime),
        "PULSE_SERVER": f"unix:{runtime}/native", "XDG_CONFIG_HOME": str(home / "config"),
    }  # fmt: skip
    (home / ".asoundrc").write_text("pcm.!default { type pulse }\nctl.!default { type pulse }\n")
    server = Pulse(env, runtime)
    server.start()
    yield env
    server.stop()


class Pulse:
    """The server process, so that a test can take it away and bring it back."""

    running: Pulse | None = None

    def __init__(self, env, runtime) -> None:
        self.env, self.runtime = env, runtime
        Pulse.running = self

    def start(self) -> None:
        self.process = subprocess.Popen(
            ["pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no",
             f"--load=module-native-protocol-unix socket={self.runtime}/native auth-anonymous=1",
             "--load=module-null-sink sink_name=room rate=48000"],
            env=self.env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        for _ in range(100):
            if subprocess.run(["pactl", "info"], env=self.env, capture_output=True).returncode == 0:
                break
            time.sleep(0.1)
        pactl(self.env, "set-default-source", "room.monitor")

    def stop(self) -> None:
        self.process.kill()
        self.process.wait()
        (self.runtime / "native").unlink(missing_ok=True)


def pactl(env, *args) -> None:
    subprocess.run(["pactl", *args], env=env, check=True, capture_output=True)


def wait_until_it_listens(env, streams: int = 1) -> None:
    """Until the server knows of so many streams that record; a busy machine takes its time to start the program."""
    for _ in range(300):
        done = subprocess.run(
            ["pactl", "list", "short", "source-outputs"], env=env, capture_output=True, text=True
        )
        if len(done.stdout.splitlines()) >= streams:
            break
        time.sleep(0.1)
    time.sleep(0.7)


def wait_until_it_says(child, words: str, seconds: float = 60.0) -> str:
    """What the program writes as an error, up to the line with these words."""
    said, end = "", time.monotonic() + seconds
    while words not in said and time.monotonic() < end:
        if select.select([child.stderr], [], [], 1.0)[0]:
            said += os.read(child.stderr.fileno(), 4096).decode()
    return said


def listen(env, *args, seconds=5.0):
    return subprocess.Popen(
        [*PROGRAM, "listen", "--tuning", "drop D", "--seconds", str(seconds), "--json", *args],
        env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, preexec_fn=_interruptible,
    )  # fmt: skip


def _interruptible() -> None:
    """What is started in the background ignores interrupts, and so would what it starts."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


def play(env, path) -> None:
    subprocess.run(["paplay", "--device=room", str(path)], env=env, check=True, capture_output=True)


def test_a_pluck_through_the_sound_card(pulse, tmp_path) -> None:
    samples, _ = one_string(38, 7.5, seconds=2.0)
    sf.write(tmp_path / "pluck.wav", samples, 48000, subtype="FLOAT")
    rows = subprocess.run(
        [*PROGRAM, "devices", "--json"], env=pulse, capture_output=True, text=True, check=True
    )
    found = json.loads(rows.stdout)
    assert any("pulse" in d["name"] and d["channels"] >= 1 for d in found)
    child = listen(pulse, "--device", "pulse", seconds=60)
    assert child.stdout is not None
    line = ""
    for _ in range(8):  # it may take a while until the program listens
        play(pulse, tmp_path / "pluck.wav")
        if select.select([child.stdout], [], [], 1.5)[0]:
            line = child.stdout.readline()
            break
    child.send_signal(signal.SIGINT)
    _, error = child.communicate(timeout=60)
    assert child.returncode == 0 and "Traceback" not in error
    reading = json.loads(line)
    assert reading["string"] == 6, error
    assert reading["cents"] == pytest.approx(7.5, abs=0.5)


def test_a_device_that_vanishes_is_waited_for_and_found_again(pulse, tmp_path) -> None:
    """The sound server dies under the program, and comes back some seconds later."""
    samples, _ = one_string(38, 7.5, seconds=2.0)
    sf.write(tmp_path / "pluck.wav", samples, 48000, subtype="FLOAT")
    child = listen(pulse, "--device", "pulse", seconds=60)
    wait_until_it_listens(pulse)
    assert Pulse.running is not None and child.stdout is not None
    Pulse.running.stop()
    lost = wait_until_it_says(child, "waiting for it to come back")
    Pulse.running.start()
    heard = False
    for _ in range(8):
        play(pulse, tmp_path / "pluck.wav")
        if select.select([child.stdout], [], [], 2.0)[0]:
            heard = json.loads(child.stdout.readline())["string"] == 6
            break
    child.send_signal(signal.SIGINT)
    _, error = child.communicate(timeout=60)
    assert heard and child.returncode == 0 and "Traceback" not in error, error
    assert "waiting for it to come back" in lost and "is back" in lost + error


def test_an_unknown_device_is_refused_with_what_there_is(pulse) -> None:
    child = listen(pulse, "--device", "no such thing")
    _, error = child.communicate(timeout=60)
    assert child.returncode == 2 and "no such thing" in error and "pulse" in error


def test_without_any_usable_input_the_command_says_what_is_allowed(tmp_path) -> None:
    env = os.environ | {"HOME": str(tmp_path), "PULSE_SERVER": "unix:/nowhere"}
    command = [*PROGRAM, "listen", "--seconds", "1", "--device", "no such thing"]
    done = subprocess.run(command, env=env, capture_output=True, text=True, timeout=60)
    assert done.returncode == 2 and "allowed:" in done.stderr and "Traceback" not in done.stderr


TONE = """
import time
from juxtatune.core.fretboard.refinger import Place
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.sim.passage import sound_of
from juxtatune.devices.sound_out import play, stop
play(sound_of(parse_tuning("drop D"), [(Place(6, 0),)], 0.8), 48000)
time.sleep(3)
stop()
"""


def test_a_reference_tone_comes_out_of_the_sound_card_at_its_pitch(pulse) -> None:
    child = listen(pulse, "--device", "pulse", seconds=60)
    assert child.stdout is not None
    wait_until_it_listens(pulse)
    line = ""
    for _ in range(4):
        subprocess.run([sys.executable, "-c", TONE], env=pulse, check=True, capture_output=True)
        if select.select([child.stdout], [], [], 1.5)[0]:
            line = child.stdout.readline()
            break
    child.send_signal(signal.SIGINT)
    _, error = child.communicate(timeout=60)
    reading = json.loads(line)
    assert reading["string"] == 6 and reading["cents"] == pytest.approx(0.0, abs=1.0), error
