"""Compiled code is thrown away once what it was compiled from has changed."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from juxtatune.app.compile_cache import drop_if_stale


@pytest.fixture
def core(tmp_path: Path) -> Path:
    for name in ("one", "two"):
        (tmp_path / "part" / "__pycache__").mkdir(parents=True, exist_ok=True)
        (tmp_path / "part" / f"{name}.py").write_text("x = 1\n")
        for ending in ("nbi", "1.nbc"):
            (tmp_path / "part" / "__pycache__" / f"{name}.f-3.py311.{ending}").write_bytes(b"code")
    return tmp_path


def cached(core: Path) -> int:
    return len(list(core.rglob("*.nb[ic]")))


def test_what_lies_there_unknown_from_before_an_update_is_thrown_away(core) -> None:
    assert drop_if_stale(core) and cached(core) == 0


@pytest.fixture
def known(core) -> Path:
    drop_if_stale(core)
    for name in ("one", "two"):
        for ending in ("nbi", "1.nbc"):
            (core / "part" / "__pycache__" / f"{name}.f-3.py311.{ending}").write_bytes(b"code")
    assert not drop_if_stale(core)
    return core


def test_it_is_kept_as_long_as_nothing_changes(known) -> None:
    assert not drop_if_stale(known) and cached(known) == 4


@pytest.mark.parametrize("change", ["edited", "gone"])
def test_a_source_that_changes_takes_all_of_it_along(known, change) -> None:
    source = known / "part" / "one.py"
    if change == "gone":
        source.unlink()
    else:
        os.utime(source, (1, 1))
    assert drop_if_stale(known) and cached(known) == 0
    assert not drop_if_stale(known)


def test_what_is_compiled_later_is_taken_up(known) -> None:
    (known / "part" / "three.py").write_text("x = 1\n")
    (known / "part" / "__pycache__" / "three.f-3.py311.nbi").write_bytes(b"code")
    assert not drop_if_stale(known) and cached(known) == 5
    os.utime(known / "part" / "three.py", (1, 1))
    assert drop_if_stale(known)
