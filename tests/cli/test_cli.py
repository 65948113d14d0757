"""The command line: answers, errors and exit codes, as a script would meet them."""

from __future__ import annotations

import contextlib
import io
import json
import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from juxtatune.cli.main import app
from tests.listening.sounds import one_string
from tests.planning.test_planning import worked_night

PROGRAM = [sys.executable, "-c", "from juxtatune.cli.main import run; run()"]
GIG = {
    "format": "juxtatune-gig",
    "version": 1,
    "instruments": [{"id": "rook", "strings": 6}],
    "songs": [
        {"id": "a", "length_s": 200, "ways": [{"instrument": "rook", "tuning": "standard"}]},
        {"id": "b", "length_s": 200, "ways": [{"instrument": "rook", "tuning": "drop D"}]},
    ],
    "set": {"cover_s": 8},
}


def call(*args: object, code: int = 0):
    """(parsed JSON or None, standard error); no traceback, whatever happens."""
    done = subprocess.run([*PROGRAM, *map(str, args)], capture_output=True, text=True, timeout=120)
    assert "Traceback" not in done.stderr, done.stderr
    assert done.returncode == code, done.stderr
    return (json.loads(done.stdout) if done.stdout.strip() else None), done.stderr


def refused(*args: object) -> str:
    """Standard error of a command that ends with 2, called without a process of its own; what it raises fails the test."""
    error = io.StringIO()
    with (
        contextlib.redirect_stderr(error),
        contextlib.redirect_stdout(io.StringIO()) as out,
        pytest.raises(SystemExit) as end,
    ):
        app([str(arg) for arg in args])
    assert end.value.code == 2 and out.getvalue() == ""
    return error.getvalue()


def test_measure_reads_a_file(tmp_path: Path) -> None:
    samples, f1 = one_string(38, -2.7)
    sf.write(tmp_path / "x.wav", np.stack([samples, 0 * samples], axis=1), 48000, subtype="FLOAT")
    result, error = call("measure", tmp_path / "x.wav", "--tuning", "drop D", "--json")
    assert error == "" and result["sample_rate"] == 48000 and result["a4"] == 440.0
    (pluck,) = result["plucks"]
    assert pluck["string"] == 6 and pluck["target"] == "D2" and pluck["note"] == "D2"
    assert pluck["target_hz"] == pytest.approx(73.416, abs=1e-3)
    assert pluck["hz"] == pytest.approx(f1, rel=1e-4)
    assert pluck["cents"] == pytest.approx(-2.7, abs=0.2)
    assert [(s["string"], s["plucks"]) for s in result["strings"]] == [
        (6, 1),
        (5, 0),
        (4, 0),
        (3, 0),
        (2, 0),
        (1, 0),
    ]
    moved, _ = call("measure", tmp_path / "x.wav", "--tuning", "drop D", "--offset", "-2.7", "--json")
    assert moved["plucks"][0]["cents"] == pytest.approx(0.0, abs=0.2)
    free, _ = call("measure", tmp_path / "x.wav", "--json")
    assert free["plucks"][0]["string"] is None and free["strings"] == []


def test_a_file_cut_short_is_read_as_far_as_it_goes(tmp_path: Path) -> None:
    samples, _ = one_string(45)
    sf.write(tmp_path / "x.wav", samples, 48000)
    data = (tmp_path / "x.wav").read_bytes()
    (tmp_path / "cut.wav").write_bytes(data[: len(data) // 2])
    result, error = call("measure", tmp_path / "cut.wav", "--tuning", "standard", "--json")
    assert len(result["plucks"]) == 1 and "cut short" in error


def test_hostile_files_are_refused_by_name(tmp_path: Path) -> None:
    bad = np.zeros(1000)
    bad[5] = math.nan
    sf.write(tmp_path / "nan.wav", bad, 48000, subtype="FLOAT")
    sf.write(tmp_path / "none.wav", np.zeros(0), 48000)
    (tmp_path / "empty.wav").write_bytes(b"")
    (tmp_path / "text.wav").write_text("no sound here")
    for name in ("nan.wav", "none.wav", "empty.wav", "text.wav", "missing.wav"):
        error = refused("measure", tmp_path / name, "--json")
        assert name in error and error.count("\n") == 1
    assert call("measure", tmp_path / "missing.wav", "--json", code=2) == (None, error)


def test_reference_and_strum_decline_silence(tmp_path: Path) -> None:
    sf.write(tmp_path / "quiet.wav", np.zeros(48000), 48000)
    result, _ = call("reference", tmp_path / "quiet.wav", "--json")
    assert result["offset_cents"] is None and result["problem"]
    strum, _ = call("measure", tmp_path / "quiet.wav", "--tuning", "standard", "--strum", "--json")
    assert [s["cents"] for s in strum["strings"]] == [None] * 6


@pytest.mark.parametrize(
    "args",
    [
        ("--a4", "nan"),
        ("--a4", "-3"),
        ("--tuning", "nonsense"),
        ("--from", "standard"),
        ("--strum",),
        ("--offset", "inf"),
    ],
)
def test_unusable_options(tmp_path: Path, args) -> None:
    sf.write(tmp_path / "quiet.wav", np.zeros(4800), 48000)
    error = refused("measure", tmp_path / "quiet.wav", *args)
    assert error.startswith("juxtatune:")


def test_change_and_tunings() -> None:
    result, _ = call("change", "standard", "open D", "--json")
    assert [s["string"] for s in result["strings"]] == [6, 3, 2, 1] and result["stay"] == [5, 4]
    assert result["strings"][0]["reference"] == {
        "string": 4,
        "fret": 0,
        "interval": "octave below",
        "landed": False,
    }
    rows, _ = call("tunings", "--json")
    drop = next(r for r in rows if r["name"] == "drop D")
    assert drop["intervals"] == [7, 5, 5, 4, 5]
    call("change", "standard", "bass", code=2)


def test_plan_answers_in_the_fixed_form(tmp_path: Path) -> None:
    path = tmp_path / "gig.json"
    path.write_text(json.dumps(GIG))
    result, error = call("plan", path, "--json", "--time-limit", "20")
    assert error == "" and result["optimal"] and result["bound"] <= result["totals"]["objective"] + 1e-9
    assert result["totals"]["dead_s"] == pytest.approx(3 + 4 + 3 + 7.2 - 8)
    (gap,) = result["gaps"]
    assert {gap["retunes"][0]["from"], gap["retunes"][0]["to"]} == {"D2", "E2"}
    assert set(result["start"][0]["tunings"]) == {"rook"}


def edited(**changes):
    return json.loads(json.dumps(GIG)) | changes


@pytest.mark.parametrize(
    ("gig", "place"),
    [
        (edited(version=2), "version"),
        (edited(songs=[]), "songs"),
        (edited(instruments=[{"id": "rook", "strings": True}]), "instruments[0].strings"),
        (edited(instruments=[{"id": "rook"}]), "instruments[0]"),
        (edited(instruments=[{"id": "rook", "strings": 7}]), "songs[0].ways[0].tuning"),
        (edited(set={"cover_s": -1}), "set.cover_s"),
        (edited(set={"cover_s": "8"}), "set.cover_s"),
        (edited(set={"before": [["a", "x"]]}), "set.before[0]"),
        (edited(set={"curve": [1]}), "set.curve"),
        (edited(set={"pins": [{"song": "a", "part": 0, "place": 5}]}), "set.pins[0].place"),
        (edited(songs=[GIG["songs"][0], GIG["songs"][0]]), "songs[1]"),
        (edited(songs=[{"id": "a", "ways": GIG["songs"][0]["ways"]}]), "songs[0].length_s"),
    ],
)
def test_unusable_gigs_name_the_place(tmp_path: Path, gig, place) -> None:
    path = tmp_path / "gig.json"
    path.write_text(json.dumps(gig))
    error = refused("plan", path)
    assert str(path) in error and place in error


@pytest.mark.parametrize("text", ['{"format": NaN}', "[1]", "{", "", '{"a": 1, "a": 2}', "[" * 100000])
def test_what_is_no_gig_json(tmp_path: Path, text) -> None:
    path = tmp_path / "gig.json"
    path.write_text(text)
    assert str(path) in refused("plan", path)


def test_a_clash_is_named_on_both_outputs(tmp_path: Path) -> None:
    path = tmp_path / "gig.json"
    path.write_text(json.dumps(edited(set={"before": [["a", "b"], ["b", "a"]]})))
    result, error = call("plan", path, "--json", code=3)
    assert [c["rule"] for c in result["clash"]] == ["before", "before"]
    assert "a comes before b" in error
    # however little time there is for plans
    assert call("plan", path, "--json", "--time-limit", "0", code=3)[0] == result


def test_no_time_no_plan(tmp_path: Path) -> None:
    path = tmp_path / "gig.json"
    path.write_text(json.dumps(GIG))
    result, _ = call("plan", path, "--json", "--time-limit", "0", code=4)
    assert result["order"] is None and result["problem"]
    assert "--time-limit" in refused("plan", path, "--time-limit", "nan")


def test_devices_answer_strict_json() -> None:
    rows, _ = call("devices", "--json")
    assert isinstance(rows, list)


def test_the_worked_night_round_trips_through_gig_json() -> None:
    from juxtatune.book.formats.gig import parse_gig
    from juxtatune.book.formats.gig_out import gig_json

    gig = worked_night(before=[["a", "b"]], pins=[{"song": "c", "part": 0, "place": -1}])
    assert parse_gig(json.dumps(gig_json(gig))) == gig
