"""What the player prefers, kept beside the book as a small JSON file."""

from __future__ import annotations

import json
import math
import re
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from juxtatune.app.calling import STRINGS, Calling
from juxtatune.book.files import write_whole
from juxtatune.core.errors import UserError
from juxtatune.core.music.pitch import Reference
from juxtatune.core.retuning.procedure import Rules

# least and most of every figure: Hz for a4, s for hold_s, % for sweet, else cents
LIMITS = {
    "a4": (380.0, 500.0),
    "tolerance": (0.5, 10.0),
    "hold_s": (0.2, 3.0),
    "upward": (1.0, 50.0),
    "turn_around": (20.0, 300.0),
    "recheck": (0.5, 15.0),
    "sweet": (0.0, 100.0),
}
STRINGS_MOST = 12
OWN = re.compile(r"(\d{1,2})(?:st|nd|rd|th)?\s*[: ]\s*(\d{1,3}(?:\.\d+)?)")

OUTSIDE = ("a4", "sweet")  # figures that are no rule of landing


@dataclass(frozen=True)
class TuningPreferences:
    """How strings are judged and called: A4 in Hz, which moment of a note counts, the rules of landing, names.

    `sweet` is how far the thirds of open chords go towards 5:4, in per cent.
    """

    a4: float = 440.0
    attack: bool = False
    rules: Rules = field(default_factory=Rules)
    calling: Calling = field(default_factory=Calling)
    sweet: float = 0.0

    @property
    def reference(self) -> Reference:
        return Reference(self.a4)

    def figure(self, name: str) -> float:
        """The figure that `LIMITS` knows by this name."""
        return float(getattr(self if name in OUTSIDE else self.rules, name))

    def with_figure(self, name: str, value: float) -> TuningPreferences:
        if name == "a4":
            return replace(self, a4=value)
        if name == "sweet":
            return replace(self, sweet=value)
        return replace(self, rules=replace(self.rules, **{name: value}))  # type: ignore[arg-type]


PRESETS = {
    "rehearsal": {"tolerance": 3.0, "hold_s": 0.5, "recheck": 4.0},
    "stage": {"tolerance": 2.0, "hold_s": 0.7, "recheck": 3.0},
    "recording": {"tolerance": 1.0, "hold_s": 1.0, "recheck": 1.5},
}  # common practice, no source


def preset(preferences: TuningPreferences, name: str) -> TuningPreferences:
    """The preferences with the figures of a preset; A4, names and the rest stay."""
    for figure, value in PRESETS[name].items():
        preferences = preferences.with_figure(figure, value)
    return preferences


@dataclass(frozen=True)
class Preferences:
    """`theme` is system, dark or light; `system` is what the desktop has now."""

    theme: str = "system"
    left_handed: bool = False
    path: Path | None = None
    system: str = "dark"
    tuning: TuningPreferences = TuningPreferences()

    def resolved_theme(self) -> str:
        return self.system if self.theme == "system" else self.theme

    def with_(self, **changes: Any) -> Preferences:
        return replace(self, **changes)

    def save(self) -> None:
        """Writes the file whole or not at all; without a path (demo) nothing is written."""
        if self.path is None:
            return
        data = {k: v for k, v in asdict(self).items() if k in ("theme", "left_handed")}
        data |= {name: self.tuning.figure(name) for name in LIMITS} | {"attack": self.tuning.attack}
        data |= asdict(self.tuning.calling) | {"own": show_own(self.tuning.rules.own)}
        try:
            self.path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        except OSError as error:
            raise UserError(f"preferences could not be saved: {error.strerror or error}", str(self.path)) from None
        write_whole(self.path, json.dumps(data).encode(), 0o600)


def load_preferences(path: Path) -> Preferences:
    """The file's preferences; whatever in it cannot be used is left at its default."""
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return Preferences(path=path)
    if not isinstance(data, dict):
        return Preferences(path=path)
    theme = data.get("theme")
    return Preferences(
        theme if theme in ("system", "dark", "light") else "system", data.get("left_handed") is True, path,
        tuning=_tuning(data),
    )  # fmt: skip


def _tuning(data: dict[str, Any]) -> TuningPreferences:
    strings = data.get("strings")
    calling = Calling(strings if strings in STRINGS else STRINGS[0], data.get("written_first") is True)
    tuning = TuningPreferences(attack=data.get("attack") is True, calling=calling)
    for name, (least, most) in LIMITS.items():
        value = data.get(name)
        if not isinstance(value, int | float) or isinstance(value, bool):
            continue
        if math.isfinite(value) and least <= value <= most:
            tuning = tuning.with_figure(name, float(value))
    try:
        own = parse_own(str(data.get("own") or ""))
    except UserError:
        own = ()
    return replace(tuning, rules=replace(tuning.rules, own=own))


def show_own(own: tuple[tuple[int, float], ...]) -> str:
    """`6: 3, 1: 1.5`."""
    return ", ".join(f"{string}: {cents:g}" for string, cents in own)


def parse_own(text: str) -> tuple[tuple[int, float], ...]:
    """Tolerances of single strings as `6: 3, 1: 1.5`, in cents. Raises UserError."""
    least, most = LIMITS["tolerance"]
    found: dict[int, float] = {}
    for part in text.replace("¢", "").replace("±", "").split(","):
        if not part.strip():
            continue
        match = OWN.fullmatch(part.strip())
        string, cents = (int(match[1]), float(match[2])) if match else (0, 0.0)
        if not 1 <= string <= STRINGS_MOST or not least <= cents <= most:
            allowed = f"strings 1 to {STRINGS_MOST} and {least:g} to {most:g} ¢, as in 6: 3, 1: 1.5"
            raise UserError(f"{part.strip()!r} is no tolerance of a string", allowed=allowed)
        found[string] = cents
    return tuple(sorted(found.items(), reverse=True))
