"""`make mutate`: small changes to the code, one at a time, and whether the tests notice them.

    python tools/mutate.py [--mutants 300] [--seed S] [--room declare] [--jobs 2]

Each mutant is one change of one place (a comparison, a constant, a condition, a sign, a line left out) in a copy of
the package, spread over all rooms by their size. The tests that name its room run first, the others after them; a
mutant is killed when one fails, or when they take much longer. Survivors are printed with their place. Exit status 1
when fewer than nine of ten are killed.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
PACKAGE = ROOT / "src" / "dutiful_gate"
_LONGEST = 300
_WANTED = 0.9
_SKIPPED = {"__init__.py", "__main__.py", "german.py", "metaschemas.py", "examples.py"}

_COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_COUNTED: dict[type[ast.operator], type[ast.operator]] = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add}


class Mutant(NamedTuple):
    """One change: the file, the line, what it is, and the whole file with it."""

    file: Path
    line: int
    what: str
    text: str


class _Change(ast.NodeTransformer):
    """Makes the change number `wanted`, and counts all there are."""

    def __init__(self, wanted: int) -> None:
        self.wanted = wanted
        self.count = 0
        self.line = 0
        self.what = ""

    def _now(self, node: ast.AST, what: str) -> bool:
        self.count += 1
        if self.count - 1 != self.wanted:
            return False
        self.line, self.what = getattr(node, "lineno", 0), what
        return True

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        other = _COMPARED.get(type(node.ops[0]))
        if other is not None and self._now(node, f"{type(node.ops[0]).__name__} is {other.__name__}"):
            node.ops[0] = other()
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        if self._now(node, "and is or" if isinstance(node.op, ast.And) else "or is and"):
            node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        return node.operand if isinstance(node.op, ast.Not) and self._now(node, "not is left out") else node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        self.generic_visit(node)
        other = _COUNTED.get(type(node.op))
        if other is not None and self._now(node, f"{type(node.op).__name__} is {other.__name__}"):
            node.op = other()
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        if isinstance(node.value, bool) and self._now(node, f"{node.value} is {not node.value}"):
            return ast.copy_location(ast.Constant(not node.value), node)
        if type(node.value) is int and self._now(node, f"{node.value} is {node.value + 1}"):
            return ast.copy_location(ast.Constant(node.value + 1), node)
        return node

    def visit_Return(self, node: ast.Return) -> ast.AST:
        self.generic_visit(node)
        return (
            ast.copy_location(ast.Return(ast.Constant(None)), node)
            if node.value is not None and self._now(node, "None comes back")
            else node
        )

    def visit_Expr(self, node: ast.Expr) -> ast.AST:
        self.generic_visit(node)
        called = isinstance(node.value, ast.Call)
        return ast.copy_location(ast.Pass(), node) if called and self._now(node, "a call is left out") else node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_arguments(self, node: ast.arguments) -> ast.AST:
        return node  # defaults and annotations: mostly seen by nobody


def mutants(count: int, chance: random.Random, room: str) -> list[Mutant]:
    """Changes spread over the rooms by their size, each of another place."""
    files = [file for file in sorted(PACKAGE.rglob("*.py")) if file.name not in _SKIPPED]
    files = [file for file in files if not room or str(file.relative_to(PACKAGE)).startswith(room)]
    places: list[tuple[Path, int]] = []
    for file in files:
        counter = _Change(-1)
        counter.visit(ast.parse(file.read_text()))
        places += [(file, number) for number in range(counter.count)]
    made = []
    for file, number in chance.sample(places, min(count, len(places))):
        change = _Change(number)
        tree = ast.fix_missing_locations(change.visit(ast.parse(file.read_text())))
        made.append(Mutant(file, change.line, change.what, ast.unparse(tree)))
    return made


def rooms_of_tests() -> dict[str, list[str]]:
    """The test files by the rooms that their first lines say they are for."""
    found: dict[str, list[str]] = defaultdict(list)
    for file in sorted((ROOT / "tests").glob("test_*.py")):
        said = re.search(r"(?m)^# Rooms: (.*)$", file.read_text())
        for room in said[1].split(", ") if said else []:
            found[room].append(file.name)
    return found


def survives(mutant: Mutant, tests: dict[str, list[str]], folder: Path) -> bool:
    """Whether all tests pass with the change."""
    package = folder / "src" / "dutiful_gate"
    place = package / mutant.file.relative_to(PACKAGE)
    before = place.read_text()
    place.write_text(mutant.text)
    room = str(mutant.file.relative_to(PACKAGE).parent)
    first = [name for known, names in tests.items() if room.startswith(known) for name in names]
    others = sorted(
        {file.name for file in (folder / "tests").glob("test_*.py")} - set(first) - {"test_architecture.py"}
    )
    words = {**os.environ, "PYTHONPATH": str(folder / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        for names in (list(dict.fromkeys(first)), others):
            if not names:
                continue
            command = [
                sys.executable,
                "-m",
                "pytest",
                "-q",
                "-x",
                "-p",
                "no:cacheprovider",
                "--no-header",
                *(f"tests/{name}" for name in names),
            ]
            try:
                done = subprocess.run(
                    command, cwd=folder, env=words, capture_output=True, timeout=_LONGEST, check=False
                )
            except subprocess.TimeoutExpired:
                return False
            if done.returncode:
                return False
        return True
    finally:
        place.write_text(before)


def main() -> int:
    """Try the mutants, and print those that no test notices."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--mutants", type=int, default=300, help="how many changes")
    parser.add_argument("--seed", type=int, help="which ones: the same for the same seed")
    parser.add_argument("--room", default="", help="only below this folder of the package, such as document/judging")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, help="how many at a time")
    asked = parser.parse_args()
    seed = asked.seed if asked.seed is not None else random.randrange(10**6)
    print(f"seed {seed}", flush=True)
    tried, tests = mutants(asked.mutants, random.Random(seed), asked.room), rooms_of_tests()
    alive: list[Mutant] = []
    with tempfile.TemporaryDirectory() as held:
        folders = []
        for number in range(asked.jobs):
            folder = Path(held) / str(number)
            for name in ("src", "tests", "docs", "examples", "benchmarks"):
                shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
            for name in ("pyproject.toml", "README.md", "CHANGELOG.md", "CONTRIBUTING.md"):
                shutil.copy(ROOT / name, folder / name)
            folders.append(folder)

        def run(number: int) -> None:
            for at in range(number, len(tried), asked.jobs):
                mutant = tried[at]
                if survives(mutant, tests, folders[number]):
                    alive.append(mutant)
                    print(f"survives: {mutant.file.relative_to(PACKAGE)}:{mutant.line}: {mutant.what}", flush=True)

        with ThreadPoolExecutor(asked.jobs) as pool:
            list(pool.map(run, range(asked.jobs)))
    killed = len(tried) - len(alive)
    print(f"{killed} of {len(tried)} mutants killed: {killed / max(1, len(tried)):.0%}")
    return int(killed < _WANTED * len(tried))


if __name__ == "__main__":
    raise SystemExit(main())
