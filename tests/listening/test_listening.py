"""Listening against exact strings and sampled guitars."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from benchmarks import sounds as room
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import resample_poly

from juxtatune.core.listening.dsp.resample import Decimator, clearest_channel, to_working_rate
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.pipeline import analyse
from juxtatune.core.listening.source import Block
from juxtatune.core.listening.strum.read import read_strum
from juxtatune.core.listening.types import Targets
from juxtatune.core.music.pitch import Reference
from juxtatune.core.music.reading import parse_tuning
from juxtatune.core.sim.guitar import Room, SimulatedGuitar
from tests.listening.sounds import off, one_string, sampled_guitar

STANDARD = Targets(parse_tuning("standard"))
ANY = Targets()


def check_run(sound, worst, targets=STANDARD):
    """Every pluck found once, on its string, within `worst` cents."""
    readings = analyse(sound.samples, sound.rate, targets)
    assert [r.string for r in readings] == [p.string for p in sound.plucks]
    for reading, pluck in zip(readings, sound.plucks, strict=True):
        assert abs(off(reading, pluck.f1)) < worst
        assert reading.start == pytest.approx(pluck.start, abs=0.03)
        assert reading.confidence > 0.5


@pytest.mark.parametrize("seed", [1, 2])
def test_clean_plucks_are_read_to_a_small_part_of_a_cent(seed) -> None:
    sound = room.pluck_run(np.random.default_rng(seed))
    check_run(sound, 0.1)
    for reading, pluck in zip(analyse(sound.samples, sound.rate, STANDARD), sound.plucks, strict=True):
        assert reading.attack_cents is not None and reading.cents is not None
        assert reading.attack_cents - reading.cents == pytest.approx(pluck.attack_cents, abs=0.6)


@pytest.mark.parametrize(("rate", "worst"), [(8000, 0.2), (22050, 0.1), (44100, 0.1), (96000, 0.1)])
def test_any_sample_rate(rate, worst) -> None:
    check_run(room.pluck_run(np.random.default_rng(3), rate=rate), worst)


def test_noise_hum_and_clipping() -> None:
    rng = np.random.default_rng(4)
    check_run(room.add_noise(rng, room.pluck_run(rng), 10), 0.4)
    check_run(room.add_hum(rng, room.pluck_run(rng), 50, 0.02), 0.4)
    loud = room.pluck_run(rng)
    loud.samples = np.clip(loud.samples * 4, -1, 1)
    check_run(loud, 1.0)


def test_a_small_microphone_that_loses_the_fundamental() -> None:
    rng = np.random.default_rng(5)
    check_run(room.laptop(rng, room.pluck_run(rng)), 1.5)


def test_short_notes_are_extrapolated_through_the_glide() -> None:
    check_run(room.pluck_run(np.random.default_rng(6), length=0.35, gap=0.3), 0.8)


@pytest.mark.parametrize("note", [40, 50, 59])
def test_a_sampled_guitar_shifted_by_a_known_amount(tmp_path, note) -> None:
    # detuned exactly, by resampling (SciPy): the synthesiser itself bends in whole cents only
    plain, rate = sampled_guitar(tmp_path, note)
    shifted = resample_poly(plain, 1000, 1015)
    first, second = analyse(plain, rate, STANDARD)[0], analyse(shifted, rate, STANDARD)[0]
    assert first.f1 is not None and second.f1 is not None
    assert 1200 * np.log2(second.f1 / first.f1) == pytest.approx(1200 * np.log2(1.015), abs=0.2)
    assert first.string == second.string


def test_a_bend_of_the_midi_standard_is_heard(tmp_path) -> None:
    plain, rate = sampled_guitar(tmp_path, 50)
    bent, _ = sampled_guitar(tmp_path, 50, bend=4096)
    first, second = analyse(plain, rate, STANDARD)[0], analyse(bent, rate, STANDARD)[0]
    assert first.f1 is not None and second.f1 is not None
    # 4096 of 8192 steps of two semitones (MIDI 1.0), in whole cents
    assert 1200 * np.log2(second.f1 / first.f1) == pytest.approx(100.0, abs=1.2)


@settings(max_examples=12, deadline=None)
@given(st.floats(0.96, 1.04), st.floats(0.02, 2.0), st.integers(0, 20000))
def test_laws_of_listening(stretch, gain, silence) -> None:
    """Playing faster moves the reading by as much; gain changes nothing; silence before moves the start."""
    samples, f1 = one_string(47)
    plain = analyse(samples, 48000, ANY)[0]
    faster = analyse(samples, round(48000 * stretch), ANY)[0]
    assert plain.f1 is not None
    assert abs(off(faster, f1 * round(48000 * stretch) / 48000)) < 0.1
    assert abs(off(analyse(samples * gain, 48000, ANY)[0], plain.f1)) < 0.02
    later = analyse(np.concatenate([np.zeros(silence), samples]), 48000, ANY)[0]
    assert later.start - plain.start == pytest.approx(silence / 48000, abs=0.004)
    assert abs(off(later, plain.f1)) < 0.05


def test_a_pluck_played_backwards_has_no_onset_at_its_end() -> None:
    samples, _ = one_string(47)
    end = len(samples) / 48000 - 0.4
    assert all(abs(r.start - end) > 0.1 for r in analyse(samples[::-1].copy(), 48000, ANY))


@pytest.mark.parametrize("kind", ["silence", "digital noise", "noise", "hum 50", "hum 60", "drums"])
def test_where_no_string_sounds_no_pitch_is_invented(kind) -> None:
    rng = np.random.default_rng(7)
    empty = room.Sound(48000, np.zeros(48000 * 6))
    if kind == "digital noise":
        empty.samples = rng.normal(0, 1e-5, len(empty.samples))
    elif kind == "noise":
        empty.samples = rng.normal(0, 0.1, len(empty.samples))
    elif kind.startswith("hum"):
        room.add_hum(rng, empty, float(kind[4:]), 0.1)
    elif kind == "drums":
        empty.samples = room.drums(rng, 48000, 6.0)
    assert analyse(empty.samples, 48000, STANDARD) == []


def test_a_reference_moves_the_targets_and_not_the_pitch() -> None:
    samples, f1 = one_string(45, 30.0)
    plain = analyse(samples, 48000, STANDARD)[0]
    moved = analyse(samples, 48000, Targets(STANDARD.tuning, None, Reference(440.0, 30.0)))[0]
    assert plain.cents == pytest.approx(30.0, abs=0.1) and moved.cents == pytest.approx(0.0, abs=0.1)
    assert moved.f1 == pytest.approx(f1, rel=1e-4)


def test_the_old_tuning_tells_which_string_is_on_its_way() -> None:
    # from standard to drop C an open 6th still at E2 lies nearer to G2 than to C2
    samples, _ = one_string(40)
    drop_c = parse_tuning("drop C")
    assert analyse(samples, 48000, Targets(drop_c))[0].string == 5
    assert analyse(samples, 48000, Targets(drop_c, parse_tuning("standard")))[0].string == 6


def test_a_pitch_on_no_string_is_said_to_be_on_none() -> None:
    samples, _ = one_string(76)
    reading = analyse(samples, 48000, STANDARD)[0]
    assert reading.string is None and reading.problem is not None and reading.f1 is not None


def test_unison_strings_name_each_other() -> None:
    samples, _ = one_string(43)
    reading = analyse(samples, 48000, Targets(parse_tuning("doubled low G")))[0]
    assert {reading.string, *reading.also} == {5, 6}


def test_a_recording_that_begins_on_a_ringing_string() -> None:
    samples, f1 = one_string(45, lead=0.4)
    cut = samples[int(0.8 * 48000) :]
    reading = analyse(cut, 48000, STANDARD)[0]
    assert reading.start == pytest.approx(0.0, abs=0.05) and reading.attack_cents is None
    assert abs(off(reading, f1)) < 0.3


def test_a_strum_is_read_string_by_string_and_a_missing_string_is_not_guessed() -> None:
    rng = np.random.default_rng(8)
    samples, truth = np.zeros(48000 * 4), {}
    for string, pitch in room.STANDARD.items():
        truth[string] = rng.uniform(-40, 40)
        if string == 5:
            continue
        tone = room.string_tone(
            rng, room.hz(pitch + truth[string] / 100), 48000, 2.6, room.STIFF[string], 4, 0.08
        )
        at = 4800 + (6 - string) * 600
        samples[at : at + len(tone)] += 0.15 * tone
    readings = {r.string: r for r in read_strum(samples, 48000, STANDARD)}
    for string in (6, 4, 3, 2, 1):
        assert readings[string].cents == pytest.approx(truth[string], abs=3.5)
    silent = read_strum(np.zeros(48000), 48000, STANDARD)
    assert all(r.cents is None and r.problem for r in silent)


def test_the_clearer_channel_is_chosen_and_channels_are_never_summed() -> None:
    samples, _ = one_string(45)
    noise = np.random.default_rng(11).normal(0, 0.05, len(samples))
    assert clearest_channel(np.stack([noise, samples + 0.1 * noise], axis=1), 48000) == 1
    assert clearest_channel(np.stack([samples, np.zeros(len(samples))], axis=1), 48000) == 0


def test_decimation_in_blocks_equals_decimation_at_once() -> None:
    samples = np.random.default_rng(12).normal(0, 1, 48000)
    whole, rate = to_working_rate(samples, 48000)
    decimator = Decimator(48000)
    parts = np.concatenate([decimator.feed(samples[k : k + 777]) for k in range(0, len(samples), 777)])
    lag = round(decimator.delay * rate)
    assert np.allclose(parts[lag : lag + 8000], whole[:8000], atol=1e-9)


def live(guitar, seconds, listener, script):
    """Feeds a simulated guitar to a listener; `script` maps block numbers to actions."""
    glimpses, settled = [], []
    guitar.start()
    for k in range(int(seconds / 0.02)):
        script.get(k, lambda: None)()
        heard = listener.feed(guitar.read(0.0))
        settled += heard.settled
        if heard.glimpse is not None:
            glimpses.append(heard.glimpse)
    return glimpses, settled + list(listener.finish())


def test_live_listening_settles_on_what_was_played() -> None:
    guitar = SimulatedGuitar(parse_tuning("standard"), seed=3)
    guitar.detune(np.array([12.0, -20.0, 5.0, -3.0, 30.0, -8.0]))
    script = {20: lambda: guitar.pluck(6), 110: lambda: guitar.pluck(3), 200: lambda: guitar.pluck(1)}
    glimpses, settled = live(guitar, 6.0, Listener(STANDARD), script)
    assert [r.string for r in settled] == [6, 3, 1]
    assert [r.cents for r in settled] == pytest.approx([12.0, -3.0, -8.0], abs=0.3)
    # first usable glimpse soon after the pick of E2 at 0.4 s
    assert 0.4 < glimpses[0].t < 0.4 + 0.25


def test_a_turning_string_is_followed_and_slack_slips_flat() -> None:
    guitar = SimulatedGuitar(parse_tuning("standard"), seed=4, room=Room(1e-5, 0.0))
    script = {10: lambda: guitar.pluck(5), 60: lambda: guitar.turn(5, -100.0)}
    glimpses, _ = live(guitar, 5.0, Listener(STANDARD), script)
    assert guitar.pitch(5) == pytest.approx(44.0 - 0.06, abs=0.03)
    assert glimpses[-1].pitch == pytest.approx(guitar.pitch(5), abs=0.02)
    middle = [g.pitch for g in glimpses if 1.3 < g.t < 1.9]
    assert all(b <= a + 0.02 for a, b in pairwise(middle))


def test_a_gap_in_the_sound_starts_afresh_and_memory_stays_bounded() -> None:
    listener = Listener(STANDARD)
    block = np.zeros(960)
    for k in range(600):
        listener.feed(Block(block, 48000, k * 960, lost=5 if k == 300 else 0))
    assert len(listener._x) <= 6.1 * 12000


def test_a_clipped_block_is_noticed() -> None:
    assert Listener(ANY).feed(Block(np.ones(960), 48000, 0)).clipped
