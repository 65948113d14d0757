"""Files written whole or not at all."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from juxtatune.core.errors import UserError


def write_whole(path: Path, data: bytes, mode: int = 0o644) -> None:
    """Writes a file, or leaves what stood there. Raises UserError naming the file."""

    def fill(part: Path) -> None:
        part.write_bytes(data)

    replace_whole(path, fill, len(data), mode)


def replace_whole(path: Path, fill: Callable[[Path], None], least: int = 1, mode: int = 0o644) -> None:
    """Lets `fill` write a new file beside the path, makes sure it is on the disk, then puts it in its place.

    A file of fewer than `least` bytes was cut by a full disk. Raises UserError naming the file.
    """
    part = path.with_name(f".{path.name[:100]}.{os.getpid()}-{os.urandom(3).hex()}.part")
    try:
        os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, mode))
        fill(part)
        with part.open("rb+") as file:
            os.fsync(file.fileno())
            if os.fstat(file.fileno()).st_size < least:
                raise OSError("the disk is full")
        os.replace(part, path)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise UserError(
            f"cannot be written: {error.strerror or error}", str(path), "a folder with room that you may write to"
        ) from None
