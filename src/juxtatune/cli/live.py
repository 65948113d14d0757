"""devices and listen: the sound inputs, and what comes in through one of them."""

from __future__ import annotations

import time

from juxtatune.cli.out import answer, say, warn
from juxtatune.cli.sounds import pluck_line, pluck_row
from juxtatune.core.errors import UserError
from juxtatune.core.listening.live.listener import Listener
from juxtatune.core.listening.types import Reading, Targets
from juxtatune.devices.sound_in import LiveSource, devices, find_device


def show_devices(as_json: bool) -> None:
    try:
        found = devices()
    except UserError:
        found = []
    if as_json:
        answer([vars_of(d) for d in found])
        return
    for d in found:
        say(
            f"{d.index:3d}  {d.name}  {d.channels} channels, {d.default_rate} Hz{'  (default)' if d.default else ''}"
        )
    if not found:
        say("no sound inputs")


def vars_of(d: object) -> dict[str, object]:
    return {key: getattr(d, key) for key in ("index", "name", "channels", "default_rate", "default")}


def listen(targets: Targets, device: str | None, seconds: float | None, as_json: bool) -> None:
    if seconds is not None and not 0 < seconds < 1e9:
        raise UserError(f"{seconds!r} seconds", "--seconds", "a time above 0")
    source = LiveSource(find_device(device))
    source.start()
    listener = Listener(targets)
    until = time.monotonic() + seconds if seconds is not None else None
    told = False
    try:
        while until is None or time.monotonic() < until:
            block = source.read(0.1)
            if source.lost and not told:
                warn(f"{source.name} is gone; waiting for it to come back")
            elif told and not source.lost:
                warn(f"{source.name} is back")
            told = source.lost
            if block is not None:
                _report(listener.feed(block).settled, as_json)
        _report(listener.finish(), as_json)
    except KeyboardInterrupt:
        pass
    finally:
        source.stop()


def _report(readings: tuple[Reading, ...], as_json: bool) -> None:
    for reading in readings:
        row = pluck_row(reading)
        if as_json:
            answer(row)
        else:
            say(pluck_line(row))
