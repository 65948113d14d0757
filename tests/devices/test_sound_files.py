"""Sound files with bounds: read in blocks, refused where too large or odd, whatever their name; dropped live sound."""

from __future__ import annotations

import os
import resource
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
import soundfile as sf
from benchmarks.attacks import sounds as attack

from juxtatune.core.errors import UserError
from juxtatune.devices.sound_file import FileSource, read_sound
from juxtatune.devices.sound_in import BLOCK_S, Device, LiveSource


def test_mutated_sound_files_are_heard_or_refused() -> None:
    tally = attack.attack(60, 3)
    assert set(tally) <= {"heard", "refused", "peak_MB"} and tally["peak_MB"] < 1000, tally


def test_a_small_file_of_very_much_silence_is_refused_from_its_header(tmp_path) -> None:
    path = tmp_path / "silence.flac"
    with sf.SoundFile(path, "w", 48000, 8, subtype="PCM_16") as file:
        for _ in range(40):
            file.write(np.zeros((500_000, 8), np.int16))
    assert path.stat().st_size < 2_000_000
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(UserError, match="more than 1 GB"):
        read_sound(path)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 100_000  # kB


@pytest.mark.parametrize(("rate", "heard"), [(2000, False), (4000, True), (384_000, True), (500_000, False)])
def test_rates_outside_4_to_384_khz_are_refused(tmp_path, rate, heard) -> None:
    path = tmp_path / "a.wav"
    sf.write(path, np.zeros(1000), rate)
    if heard:
        assert read_sound(path).rate == rate
    else:
        with pytest.raises(UserError, match=f"{rate} Hz"):
            read_sound(path)


def test_a_name_that_is_no_utf_8_is_read(tmp_path) -> None:
    path = Path(os.fsdecode(os.fsencode(tmp_path) + b"/caf\xe9.wav"))
    with path.open("wb") as file:
        sf.write(file, 0.1 * np.ones(4800), 48000, format="WAV")
    assert len(read_sound(path).samples) == 4800
    path.write_bytes(b"no sound at all, in many words")
    with pytest.raises(UserError) as caught:
        read_sound(path)
    caught.value.message().encode("utf-8")  # can be printed


def test_an_hour_is_played_in_blocks_and_starts_at_once(tmp_path) -> None:
    path = tmp_path / "hour.wav"
    with sf.SoundFile(path, "w", 8000, 2) as file:
        for _ in range(60):
            file.write(np.full((8000 * 60, 2), 0.01))
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    source = FileSource(path, real_time=False)
    source.start()
    blocks = [source.read(0.0) for _ in range(5)]
    assert [b.start for b in blocks] == [0, 960, 1920, 2880, 3840] and not source.ended
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 50_000
    source.stop()
    assert source.read(0.0) is None


def test_dropped_sound_is_marked_where_it_was_lost_and_the_clock_goes_on() -> None:
    source = LiveSource(Device(0, "none", 1, 48000, True))
    size = int(BLOCK_S * 48000)
    fine = SimpleNamespace(input_overflow=False)
    room = source._queue.maxsize
    for k in range(room + 10):  # ten more than there is room for
        source._take(np.full((size, 1), k, np.float32), size, None, fine)
    first = source.read(0.0)
    assert first.lost == 0 and first.start == 0
    source._take(np.full((size, 1), 999, np.float32), size, None, fine)
    blocks = [source.read(0.0) for _ in range(room)]
    assert [b.lost for b in blocks[:-1]] == [0] * (room - 1)
    assert blocks[-1].samples[0] == 999 and blocks[-1].lost == 10 * size
    assert blocks[-1].start == (room + 10) * size  # as if nothing had been lost
