"""The house stays as the charter draws it: who may import whom, and what importing the package loads."""

# Rooms: gates

from __future__ import annotations

import ast
import re
import subprocess
import sys
import tomllib
from graphlib import CycleError, TopologicalSorter
from importlib import import_module
from pathlib import Path

import pytest

import dutiful_gate

ROOT = Path(dutiful_gate.__file__).parent

MAY_IMPORT: dict[str, set[str]] = {
    "regex": set(),
    "lazy_names": {"importlib"},
    "safe_files": set(),
    "declare": {"safe_files", "regex"},
    "codegen": set(),
    "report": {"declare"},
    "shape": {"declare", "regex"},
    "read": {"declare", "report"},
    "document": {"declare", "regex", "shape", "report", "codegen"},
    "engine": {"declare", "regex", "shape", "report", "codegen"},
    "gates": {"declare", "safe_files", "shape", "report", "read", "document", "engine", "dutiful_gate"},
    "sample": {"declare", "regex", "shape", "report", "document", "engine", "gates"},
    "prove": {"declare", "shape", "report", "document", "engine", "sample", "gates"},
    "tables": {"declare", "safe_files", "regex", "shape", "report", "read", "engine", "gates", "lazy_names"},
    "files": {"declare", "safe_files", "shape", "report", "read", "engine", "gates", "tables", "lazy_names"},
    "draft": {"declare", "report", "read", "document", "files", "gates", "lazy_names"},
    "outline": {"declare", "report", "document", "gates"},
    "versions": {
        "declare",
        "safe_files",
        "regex",
        "shape",
        "report",
        "document",
        "engine",
        "gates",
        "sample",
        "prove",
        "lazy_names",
    },
    "web": {"declare", "shape", "report", "document", "engine", "sample", "gates"},
    "config": {"declare", "shape", "report", "read", "document", "engine", "gates", "sample"},
    "storage": {"codegen", "declare", "shape", "report", "engine", "gates", "sample", "dutiful_gate"},
    "demo": {"dutiful_gate", "web", "config"},
    "cli": {
        "declare",
        "safe_files",
        "report",
        "document",
        "draft",
        "outline",
        "files",
        "gates",
        "storage",
        "tables",
        "versions",
        "demo",
        "prove",
        "sample",
        "web",
        "config",
        "dutiful_gate",
    },
    "__init__": {"declare", "report", "document", "gates", "sample", "importlib"},
    "__main__": {"cli"},
    "problems": {"report"},
    "catalogues": {"report"},
    "warnings": {"document", "regex"},
    "proofs": {"prove"},
    "precompiled": {"gates"},
    "testing": {"declare", "gates", "report", "sample", "web"},
}
"""Room by room, the rooms it may import from. The hub is `shape`: no reader of shapes knows another."""

PUBLIC = {
    "problems",
    "catalogues",
    "warnings",
    "proofs",
    "web",
    "config",
    "files",
    "tables",
    "draft",
    "storage",
    "versions",
    "precompiled",
    "testing",
    "demo",
}
"""The modules beside the package itself that may be imported from outside; the README names them."""

CORE = {"declare", "safe_files", "regex", "codegen", "shape", "engine", "report", "read", "document", "gates"}


def imports(file: Path) -> set[tuple[str, str]]:
    """The rooms and outside packages that a module imports: ("room", name) or ("package", name)."""
    found: set[tuple[str, str]] = set()
    depth = len(file.relative_to(ROOT).parts)
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            found |= {("package", alias.name.split(".")[0]) for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            if node.level == 0:
                found.add(("package", (node.module or "").split(".")[0]))
            elif node.level == depth:
                names = [node.module] if node.module else [alias.name for alias in node.names]
                found |= {("room", name.split(".")[0]) for name in names if name}
            else:
                assert node.level < depth, f"{file} imports from outside the package"
    return found


def test_no_room_imports_against_the_charters_directions() -> None:
    modules = list(ROOT.rglob("*.py"))
    assert len(modules) > 40
    for file in modules:
        room = file.relative_to(ROOT).parts[0].removesuffix(".py")
        for sort, name in imports(file):
            if sort == "room" and name != room:
                known = {"__version__": "dutiful_gate"}.get(name, name)
                assert known in MAY_IMPORT[room], f"{file.relative_to(ROOT)} must not import {name}"
            if sort == "package" and room in CORE:
                assert name in sys.stdlib_module_names or (name, file.name) in {
                    ("typing_extensions", "typed.py"),  # which type checkers alone read
                    ("typing_extensions", "waiting.py"),
                    ("cbor2", "cbor.py"),
                    ("orjson", "json_fast.py"),
                    ("orjson", "json_out.py"),
                    ("idna", "idna.py"),
                    ("yaml", "yaml_text.py"),
                    ("dotenv", "env_text.py"),
                }, f"{file.relative_to(ROOT)} leans on {name}"


def modules_imported(file: Path) -> set[Path]:
    """The files of the package that a module imports as it runs, inside functions too; not those for annotations."""
    tree = ast.parse(file.read_text())
    for_annotations = {
        id(inner)
        for node in ast.walk(tree)
        if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.unparse(node.test)
        for inner in ast.walk(node)
    }
    found = set()
    for node in ast.walk(tree):
        if not isinstance(node, ast.ImportFrom) or not node.level or id(node) in for_annotations:
            continue
        base = file.parents[node.level - 1].joinpath(*(node.module or "").split("."))
        for alias in node.names:
            inside, module = base / f"{alias.name}.py", base.with_suffix(".py")
            found |= {each for each in (inside if inside.exists() else module,) if each.exists() and each != file}
    return found


def test_no_modules_import_each_other_in_a_circle() -> None:
    """A circle is dissolved by moving what both need below them; the engine is told to those who ask for a reader."""
    files = [file for file in ROOT.rglob("*.py") if file.name != "__init__.py"]
    try:
        order = list(TopologicalSorter({file: modules_imported(file) for file in files}).static_order())
    except CycleError as error:
        way = " -> ".join(str(file.relative_to(ROOT)) for file in error.args[1])
        pytest.fail(f"these modules import each other, maybe inside a function: {way}")
    assert len(order) >= len(files)


def test_a_class_name_stands_once() -> None:
    """One word a thing: who reads a name need not ask which of several it is."""
    found: dict[str, list[str]] = {}
    for file in ROOT.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.ClassDef):
                found.setdefault(node.name, []).append(str(file.relative_to(ROOT)))
    several = {name: files for name, files in found.items() if len(files) > 1}
    assert several == {}, "rename all but one of each, by what it is: see the glossary of docs/architecture.md"


_MOST_LINES, _MOST_ATTRIBUTES = 500, 15


def attributes_of(made: ast.ClassDef) -> set[str]:
    """What instances of a class hold: its annotated fields, and what its methods store."""
    held = {
        node.target.id for node in made.body if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name)
    }
    for node in ast.walk(made):
        targets = node.targets if isinstance(node, ast.Assign) else [getattr(node, "target", None)]
        for target in targets:
            if isinstance(target, ast.Attribute) and isinstance(target.value, ast.Name) and target.value.id == "self":
                held.add(target.attr)
    return held


def test_files_and_classes_stay_small() -> None:
    """Past a screen or ten, a file holds several subjects, and a class several jobs: part them by what they are."""
    for file in ROOT.rglob("*.py"):
        room = file.relative_to(ROOT).parts[0]
        text = file.read_text()
        if room in CORE:
            assert text.count("\n") <= _MOST_LINES, (
                f"{file.relative_to(ROOT)}: move one of its subjects to a file of its own"
            )
        for node in ast.walk(ast.parse(text)) if room == "engine" else ():
            if isinstance(node, ast.ClassDef):
                held = attributes_of(node)
                assert len(held) <= _MOST_ATTRIBUTES, f"{file.relative_to(ROOT)}: {node.name} holds {sorted(held)}"


def test_importing_the_package_loads_little() -> None:
    code = "import sys; from dutiful_gate import Email, Gate, it, obeys, this, trimmed; print(*sys.modules)"
    command = [sys.executable, "-S", "-c", code]
    loaded = subprocess.run(command, stdout=subprocess.PIPE, text=True, check=True, cwd=ROOT.parent)
    names = set(loaded.stdout.split())
    assert not names & {
        "click",
        "rich",
        "flask",
        "yaml",
        "json",
        "dataclasses",
        "inspect",
        "http",
        "urllib",
        "difflib",
        "datetime",
    }
    behind_the_door = {"engine", "cli", "files", "shape", "read"}
    assert not {name for name in names if name.startswith("dutiful_gate.") and name.split(".")[1] in behind_the_door}


def test_the_public_names() -> None:
    code = "import sys, dutiful_gate; print(*sys.modules)"
    bare = subprocess.run(
        [sys.executable, "-S", "-c", code], stdout=subprocess.PIPE, text=True, check=True, cwd=ROOT.parent
    )
    assert [name for name in bare.stdout.split() if "dutiful" in name] == ["dutiful_gate"], "rooms open when asked for"
    assert set(dutiful_gate.__all__) <= set(dir(dutiful_gate))
    with pytest.raises(AttributeError, match="no attribute 'Gaet'"):
        dutiful_gate.Gaet  # noqa: B018
    assert sorted(dutiful_gate.__all__) == dutiful_gate.__all__
    for name in dutiful_gate.__all__:
        assert getattr(dutiful_gate, name).__doc__, name


def test_only_public_modules_are_imported_in_what_users_read() -> None:
    """The README, the docs and the examples keep to them; all other rooms say that they are private."""
    top = ROOT.parent.parent
    readme = (top / "README.md").read_text()
    read = [readme, *(page.read_text() for page in (top / "docs").glob("*.md") if page.name != "architecture.md")]
    read += [file.read_text() for file in (top / "examples").glob("*.py")]
    for text in read:
        for name in re.findall(r"(?m)^\s*(?:from|import) dutiful_gate\.(\w+)|`dutiful_gate\.(\w+)", text):
            assert max(name) in PUBLIC, name
    for room in ROOT.iterdir():
        name = room.name.removesuffix(".py")
        if name.startswith("__") or name == "py.typed":
            continue
        if name in PUBLIC:
            assert f"`dutiful_gate.{name}`" in readme, name
        else:
            assert "\nPrivate: " in (import_module(f"dutiful_gate.{name}").__doc__ or ""), name


def test_the_extra_all_installs_every_extra() -> None:
    project = tomllib.loads((ROOT.parent.parent / "pyproject.toml").read_text())["project"]
    extras = project["optional-dependencies"]
    (every,) = extras["all"]
    assert set(every.removeprefix("dutiful-gate[").removesuffix("]").split(",")) == set(extras) - {"all", "dev"}


def test_every_test_file_says_which_rooms_it_is_for() -> None:
    told: set[str] = set()
    for file in Path(__file__).parent.glob("test_*.py"):
        said = re.search(r"(?m)^# Rooms: (.+)$", file.read_text())
        assert said, f"{file.name} needs a line such as '# Rooms: engine, declare/kinds': `make mutate` goes by it"
        rooms = said[1].split(", ")
        assert all((ROOT / room).is_dir() for room in rooms), file.name
        told |= {room.partition("/")[0] for room in rooms}
    assert told == {room.name for room in ROOT.iterdir() if room.is_dir() and not room.name.startswith("__")}
