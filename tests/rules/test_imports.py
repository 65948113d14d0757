"""The layers of the house: who may import whom, read from every import statement."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

import pytest

SRC = Path(__file__).parents[2] / "src" / "juxtatune"
CORE = {
    "errors": set(),
    "music": {"errors"},
    "strings": {"errors", "music"},
    "fretboard": {"errors", "music"},
    "repertoire": {"errors", "music", "strings"},
    "listening": {"errors", "music"},
    "retuning": {"errors", "music", "strings", "repertoire"},
    "planning": {"errors", "music", "strings", "repertoire", "retuning"},
    "logbook": {"errors", "music", "strings", "repertoire", "retuning"},
    "sim": {"errors", "music", "strings", "listening", "fretboard"},
}
LAYERS = {
    "core": {"core"},
    "book": {"core", "book"},
    "app": {"core", "book", "app"},
    "devices": {"core", "devices"},
    "cli": {"core", "book", "app", "devices", "cli", "qt"},
    "qt": {"core", "book", "app", "devices", "qt"},
}
ONLY_IN = {
    "PySide6": "qt",
    "sqlite3": "book",
    "sounddevice": "devices",
    "soundfile": "devices",
    "typer": "cli",
}
SOLVER_FILE = SRC / "core" / "planning" / "explain" / "conflicts.py"
FILES = sorted(SRC.rglob("*.py"))
# the stages of the two hearts: each imports only from those before it
STAGES = {
    "listening": ("types", "source", "dsp", "hum", "onset", "tone", "partials", "offset", "event", "f0", "multipitch", "assignment",
                  "note", "rejection", "strum", "pipeline", "reference", "live", "identify"),
    "planning": ("model", "pricing", "bounds", "search", "planner", "explain"),
}  # fmt: skip
STAGED = [p for p in FILES if p.relative_to(SRC).parts[:2] in {("core", heart) for heart in STAGES} and p.stem != "__init__"]


def imports(path: Path) -> set[str]:
    """Every module a file imports, also inside functions."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
            found |= {f"{node.module}.{a.name}" for a in node.names}
    return found


def place(path: Path) -> tuple[str, ...]:
    return path.relative_to(SRC).with_suffix("").parts


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SRC)))
def test_arrows_point_down(path: Path) -> None:
    here = place(path)
    for name in imports(path):
        parts = name.split(".")
        if parts[0] == "juxtatune" and len(parts) > 2 and len(here) > 1:
            assert parts[1] in LAYERS[here[0]], f"{here} imports {name}"
            if here[0] == "core" and here[1] in CORE:
                assert parts[2] in CORE[here[1]] | {here[1]}, f"{here} imports {name}"
        if parts[0] in ONLY_IN:
            assert here[0] == ONLY_IN[parts[0]], f"{here} imports {name}"
        if parts[0] == "ortools":
            assert path == SOLVER_FILE


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SRC)))
def test_views_widgets_and_presenters_keep_apart(path: Path) -> None:
    here = place(path)
    for name in imports(path):
        if here[:2] == ("qt", "views") and len(here) > 3 and name.startswith("juxtatune.qt.views."):
            assert name.split(".")[3] == here[2], f"{here} imports another view: {name}"
        if here[:2] == ("qt", "widgets"):
            assert not name.startswith(("juxtatune.app", "juxtatune.book")), f"{here} imports {name}"
        if here[-1] == "presenter":
            assert not name.startswith("PySide6.QtWidgets"), f"{here} imports {name}"


@pytest.mark.parametrize("path", STAGED, ids=lambda p: str(p.relative_to(SRC)))
def test_the_stages_of_a_heart_import_from_those_before_them(path: Path) -> None:
    heart, stage = place(path)[1:3]
    for name in imports(path):
        parts = name.split(".")
        if parts[:3] == ["juxtatune", "core", heart] and len(parts) > 3:
            assert STAGES[heart].index(parts[3]) <= STAGES[heart].index(stage), f"{path.relative_to(SRC)} imports {name}"


def test_nothing_imports_in_a_circle() -> None:
    """Not even for the type checker: a menu knows the `Shell` it belongs to, not the window."""
    names = {".".join(("juxtatune", *place(p))).removesuffix(".__init__"): p for p in FILES}
    arrows = {name: imports(path) & names.keys() - {name} for name, path in names.items()}
    done: set[str] = set()

    def walk(name: str, above: tuple[str, ...]) -> None:
        assert name not in above, " -> ".join((*above[above.index(name) :], name))
        if name not in done:
            for other in arrows[name]:
                walk(other, (*above, name))
            done.add(name)

    for name in names:
        walk(name, ())


def test_all_but_the_interface_loads_without_qt() -> None:
    names = [
        ".".join(("juxtatune", *place(p))).removesuffix(".__init__") for p in FILES if place(p)[0] != "qt"
    ]
    code = "import sys\nsys.modules['PySide6'] = None\nimport importlib\n" + "\n".join(
        f"importlib.import_module({name!r})" for name in names
    )
    subprocess.run([sys.executable, "-c", code], check=True)


def _compiled_functions() -> list[tuple[Path, ast.FunctionDef]]:
    found = []
    for file in (SRC / "core").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.FunctionDef) and any("jit" in ast.unparse(d) for d in node.decorator_list):
                found.append((file, node))
    return found


def test_compiled_code_calls_no_linear_algebra() -> None:
    """The commands start without scipy.linalg, in which numba would look for it (and abort where it finds none)."""
    functions = _compiled_functions()
    assert len(functions) > 100
    for file, function in functions:
        calls = [n for n in ast.walk(function) if isinstance(n, ast.Attribute) and n.attr in ("linalg", "dot", "vdot")]
        products = [n for n in ast.walk(function) if isinstance(n, ast.BinOp) and isinstance(n.op, ast.MatMult)]
        assert not calls and not products, (file, function.name)
