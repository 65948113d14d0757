"""The command line. Each command imports what it needs when it runs, so that all start quickly."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from juxtatune.app.compile_cache import drop_if_stale
from juxtatune.cli.out import command
from juxtatune.cli.quick_start import import_numba

# the products are small: more threads would only wait for each other
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

app = typer.Typer(add_completion=False, pretty_exceptions_enable=False, help="Retune guitars for a set.")
Json = Annotated[bool, typer.Option("--json", help="Answer in JSON.")]
A4 = Annotated[float, typer.Option("--a4", help="A4 reference in Hz.")]
Offset = Annotated[float, typer.Option("--offset", help="Shift of all targets in cents.")]
TuningOption = Annotated[str | None, typer.Option("--tuning", help="A list of notes or a catalogue name.")]


@app.callback(invoke_without_command=True)
@command
def start(
    context: typer.Context,
    demo: Annotated[bool, typer.Option("--demo", help="Start on a fresh copy of the demo book.")] = False,
) -> None:
    """Starts the desktop application when no command is given."""
    if context.invoked_subcommand is None:
        from juxtatune.qt.application import run_application

        raise SystemExit(run_application(demo))


@app.command()
@command
def measure(
    audio: Path,
    tuning: TuningOption = None,
    source: Annotated[str | None, typer.Option("--from", help="The tuning the strings come from.")] = None,
    a4: A4 = 440.0,
    offset: Offset = 0.0,
    strum: Annotated[bool, typer.Option("--strum", help="All strings ring together.")] = False,
    as_json: Json = False,
) -> None:
    """Finds each pluck in a sound file, its string and its pitch."""
    import_numba()
    from juxtatune.cli import sounds

    sounds.measure(audio, sounds.targets_of(tuning, source, a4, offset), strum, as_json)


@app.command()
@command
def reference(audio: Path, as_json: Json = False) -> None:
    """How far a recording lies from A4 = 440."""
    import_numba()
    from juxtatune.cli import sounds

    sounds.reference(audio, as_json)


@app.command(name="identify")
@command
def identify_tuning(
    audio: Path,
    strum: Annotated[bool, typer.Option("--strum", help="One open strum.")] = False,
    playing: Annotated[bool, typer.Option("--playing", help="A guitar alone, playing.")] = False,
    strings: Annotated[int | None, typer.Option("--strings", help="How many strings it has.")] = None,
    as_json: Json = False,
) -> None:
    """What tuning is this? No tuning is told."""
    import_numba()
    from juxtatune.cli import identify

    identify.identify(audio, strum, playing, strings, as_json)


@app.command()
@command
def tension(
    guitar: Annotated[Path, typer.Argument(metavar="GUITAR.json")],
    tuning: Annotated[str | None, typer.Argument(metavar="TUNING")] = None,
    as_json: Json = False,
) -> None:
    """What every string of a guitar carries in a tuning."""
    from juxtatune.cli import tension as strings

    strings.show_tension(guitar, tuning, as_json)


@app.command(name="learn")
@command
def learn_from(log: Annotated[Path, typer.Argument(metavar="LOG.json")], as_json: Json = False) -> None:
    """What a log teaches: seconds of handling each guitar, and how strings drift."""
    from juxtatune.cli import learn

    learn.show_learned(log, as_json)


@app.command(name="retune")
@command
def retune_led(
    guitar: Annotated[Path, typer.Argument(metavar="GUITAR.json")],
    tuning: TuningArgument,
    tolerance: Annotated[float, typer.Option("--tolerance", help="Cents.")] = 2.0,
    known: Annotated[Path | None, typer.Option("--known", help="What an earlier run taught.")] = None,
    calibrate: Annotated[bool, typer.Option("--calibrate", help="The guided calibration instead.")] = False,
) -> None:
    """A retune led by dialogue: a JSON object a line out, an answer a line in."""
    from juxtatune.cli import retune

    retune.lead(guitar, tuning, tolerance, known, calibrate)


@app.command()
@command
def devices(as_json: Json = False) -> None:
    """Lists the sound inputs."""
    from juxtatune.cli import live

    live.show_devices(as_json)


@app.command()
@command
def listen(
    tuning: TuningOption = None,
    device: Annotated[str | None, typer.Option("--device", help="Index, name, or part of a name.")] = None,
    a4: A4 = 440.0,
    offset: Offset = 0.0,
    seconds: Annotated[float | None, typer.Option("--seconds", help="Stop after so long.")] = None,
    as_json: Json = False,
) -> None:
    """Listens live and reports each pluck once it has settled."""
    import_numba()
    from juxtatune.cli import live, sounds

    live.listen(sounds.targets_of(tuning, None, a4, offset), device, seconds, as_json)


@app.command()
@command
def tunings(as_json: Json = False) -> None:
    """Lists the catalogue of tunings."""
    from juxtatune.cli import tunings as catalogue

    catalogue.show_tunings(as_json)


TuningArgument = Annotated[str, typer.Argument(metavar="TUNING")]
Capo = Annotated[int, typer.Option("--capo", help="Fret of the capo.")]


@app.command()
@command
def name(tuning: TuningArgument, as_json: Json = False) -> None:
    """What a tuning is called, and what lies near it."""
    from juxtatune.cli import fretboard

    fretboard.show_name(tuning, as_json)


@app.command()
@command
def chord(
    tuning: TuningArgument,
    shape: Annotated[str, typer.Argument(metavar="SHAPE")],
    capo: Capo = 0,
    as_json: Json = False,
) -> None:
    """What a shape sounds, as it sounds and as it is written."""
    from juxtatune.cli import fretboard

    fretboard.show_chord(tuning, shape, capo, as_json)


@app.command(name="harmonics")
@command
def harmonics_of(tuning: TuningArgument, as_json: Json = False) -> None:
    """The harmonics of every open string."""
    from juxtatune.cli import fretboard

    fretboard.show_harmonics(tuning, as_json)


@app.command()
@command
def translate(
    source: Annotated[str, typer.Argument(metavar="FROM")],
    target: Annotated[str, typer.Argument(metavar="TO")],
    passage: Annotated[str, typer.Argument(metavar="PASSAGE")],
    frets: Annotated[int, typer.Option("--frets", help="Frets of the neck.")] = 22,
    capo: Capo = 0,
    as_json: Json = False,
) -> None:
    """The same pitches on another tuning or guitar."""
    from juxtatune.cli import fretboard

    fretboard.show_translation(source, target, passage, frets, capo, as_json)


@app.command()
@command
def song(
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    part: Annotated[str | None, typer.Option("--part", help="Number from 1, or name, of the part.")] = None,
    as_json: Json = False,
) -> None:
    """What a song needs, from MusicXML or tab text."""
    from juxtatune.cli import song as written

    written.show_song(file, part, as_json)


@app.command()
@command
def change(
    source: Annotated[str, typer.Argument(metavar="FROM")],
    target: Annotated[str, typer.Argument(metavar="TO")],
    as_json: Json = False,
) -> None:
    """One retune, string by string."""
    from juxtatune.cli import tunings as catalogue

    catalogue.show_change(source, target, as_json)


@app.command()
@command
def plan(
    gig: Path,
    time_limit: Annotated[float, typer.Option("--time-limit", help="Seconds to search.")] = 10.0,
    seed: Annotated[int, typer.Option("--seed", help="Seed of the search.")] = 0,
    as_json: Json = False,
) -> None:
    """Orders a set for the least dead air."""
    import_numba()
    from juxtatune.cli import plan as planning

    planning.plan(gig, time_limit, seed, as_json)


def run() -> None:
    drop_if_stale()
    app()
