"""What the player prefers, kept beside the book as a small JSON file."""

from __future__ import annotations

import json
import os
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from juxtatune.core.errors import UserError


@dataclass(frozen=True)
class Preferences:
    """`theme` is system, dark or light; `system` is what the desktop has now."""

    theme: str = "system"
    left_handed: bool = False
    path: Path | None = None
    system: str = "dark"

    def resolved_theme(self) -> str:
        return self.system if self.theme == "system" else self.theme

    def with_(self, **changes: Any) -> Preferences:
        return replace(self, **changes)

    def save(self) -> None:
        """Writes the file whole or not at all; without a path (demo) nothing is written."""
        if self.path is None:
            return
        data = {k: v for k, v in asdict(self).items() if k in ("theme", "left_handed")}
        partial = self.path.with_name(self.path.name + ".part")
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            partial.write_text(json.dumps(data), encoding="utf-8")
            os.replace(partial, self.path)
        except OSError as error:
            raise UserError(
                f"preferences could not be saved: {error.strerror or error}", str(self.path)
            ) from None


def load_preferences(path: Path) -> Preferences:
    """The file's preferences; whatever in it cannot be used is left at its default."""
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return Preferences(path=path)
    if not isinstance(data, dict):
        return Preferences(path=path)
    theme = data.get("theme")
    return Preferences(
        theme if theme in ("system", "dark", "light") else "system", data.get("left_handed") is True, path
    )
