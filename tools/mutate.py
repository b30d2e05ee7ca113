"""`make mutate`: small changes to the code, one at a time, and whether the tests notice them.

    python tools/mutate.py [--mutants 300] [--seed S] [--room declare] [--room engine] [--jobs 2]
                            [--tests tests/test_web.py]

Each mutant is one change of one place (a comparison, a constant, a condition, a sign, a line left out) in a copy of
the package, spread over all rooms by their size. The tests run once before, to learn which of them come to a line and
how long they take; of these the quickest run first. A mutant is killed when one fails, or when they take much longer.
Survivors are printed with their place; docs/mutants.md names those that mean the same, and these are not counted.
Exit status 1 when fewer than nine of ten are killed.
"""

from __future__ import annotations

import argparse
import ast
import itertools
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import xml.etree.ElementTree
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

from coverage import CoverageData

ROOT = Path(__file__).parent.parent
PACKAGE = ROOT / "src" / "dutiful_gate"
_PATIENCE = 30
_HELD = ("src", "tests", "docs", "examples", "benchmarks", "pyproject.toml", "mkdocs.yml")
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
    end: int
    what: str
    text: str
    source: str

    @property
    def place(self) -> str:
        """Where it is, for a reader."""
        return f"{self.file.relative_to(PACKAGE)}:{self.line}: {self.what}"

    @property
    def mark(self) -> tuple[str, str, str]:
        """What it is called in docs/mutants.md, wherever its line has moved to: file, change, the line itself."""
        return str(self.file.relative_to(PACKAGE)), self.what, self.source


class _Change(ast.NodeTransformer):
    """Makes the change number `wanted`, and counts all there are."""

    def __init__(self, wanted: int) -> None:
        self.wanted = wanted
        self.count = 0
        self.line = self.end = 0
        self.what = ""

    def _now(self, node: ast.AST, what: str) -> bool:
        self.count += 1
        if self.count - 1 != self.wanted:
            return False
        self.line, self.end, self.what = getattr(node, "lineno", 0), getattr(node, "end_lineno", 0), what
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
        if node.value is None or (isinstance(node.value, ast.Constant) and not node.value.value):
            return node  # what is false already stays so
        if not self._now(node, "None comes back"):
            return node
        return ast.copy_location(ast.Return(ast.Constant(None)), node)

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


def mutants(count: int, chance: random.Random, rooms: list[str]) -> list[Mutant]:
    """Changes spread over the rooms by their size, each of another place."""
    files = [file for file in sorted(PACKAGE.rglob("*.py")) if file.name not in _SKIPPED]
    files = [file for file in files if str(file.relative_to(PACKAGE)).startswith(tuple(rooms))]
    places: list[tuple[Path, int]] = []
    for file in files:
        counter = _Change(-1)
        counter.visit(ast.parse(file.read_text()))
        places += [(file, number) for number in range(counter.count)]
    made = []
    for file, number in chance.sample(places, min(count, len(places))):
        change = _Change(number)
        text = file.read_text()
        tree = ast.fix_missing_locations(change.visit(ast.parse(text)))
        line = text.splitlines()[change.line - 1].strip()
        made.append(Mutant(file, change.line, change.end, change.what, ast.unparse(tree), line))
    return made


def again(listed: Path) -> list[Mutant]:
    """The mutants of a list, wherever their lines stand now; those whose line is gone are told and left out."""
    made = []
    for row in listed.read_text().splitlines():
        place, what, line = row.split("\t")
        file = PACKAGE / place
        text = file.read_text() if file.exists() else ""
        counter = _Change(-1)
        counter.visit(ast.parse(text))
        for number in range(counter.count):
            change = _Change(number)
            tree = ast.fix_missing_locations(change.visit(ast.parse(text)))
            if change.what == what and text.splitlines()[change.line - 1].strip() == line:
                made.append(Mutant(file, change.line, change.end, what, ast.unparse(tree), line))
                break
        else:
            print(f"gone: {place}: {what}: {line}", flush=True)
    return made


class Suite(NamedTuple):
    """What one run of the tests has taught: who comes to a line, and the seconds each takes."""

    reached: dict[str, dict[int, set[str]]]
    seconds: dict[str, float]

    def of(self, mutant: Mutant) -> list[str]:
        """The tests that come to the lines of a mutant, the quickest first; all, where the lines run on import."""
        lines = self.reached.get(str(mutant.file.relative_to(PACKAGE)), {})
        found = set().union(*(lines.get(line, set()) for line in range(mutant.line, mutant.end + 1)))
        known = {name for name in found if name in self.seconds} or set(self.seconds)
        return sorted(known, key=self.seconds.__getitem__)


def _pytest(folder: Path, *words: str, under: tuple[str, ...] = ()) -> list[str]:
    return [sys.executable, *under, "-m", "pytest", "-q", "-p", "no:cacheprovider", "--no-header", *words]


def _environment(folder: Path) -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(folder / "src"), "PYTHONDONTWRITEBYTECODE": "1", "CI": "1"}


def suite(folder: Path, tests: list[str]) -> Suite:
    """Run all tests, or those of some files, once in `folder`, unchanged."""
    settings, data, report = folder / "coverage.ini", folder / "reached.db", folder / "report.xml"
    settings.write_text(f"[run]\nsource = {folder / 'src'}\ndynamic_context = test_function\ndata_file = {data}\n")
    command = _pytest(
        folder,
        *("--ignore=tests/test_architecture.py", f"--junitxml={report}", "-o", "junit_family=xunit1", *tests),
        under=("-m", "coverage", "run", f"--rcfile={settings}"),
    )
    done = subprocess.run(command, cwd=folder, env=_environment(folder), check=False)
    if done.returncode:
        raise SystemExit("the tests fail without any change: see above")
    seconds: dict[str, float] = defaultdict(float)
    for case in xml.etree.ElementTree.parse(report).iter("testcase"):
        parts = case.get("classname", "").split(".")[2:]
        name = "::".join([case.get("file", ""), *parts, case.get("name", "").partition("[")[0]])
        seconds[name] += float(case.get("time", 0))
    read = CoverageData(str(data))
    read.read()
    reached: dict[str, dict[int, set[str]]] = {}
    by_function = {re.sub(r"^tests/|\.py", "", name).replace("::", "."): name for name in seconds}
    for file in read.measured_files():
        place = str(Path(file).relative_to(folder / "src" / "dutiful_gate"))
        reached[place] = {
            line: {
                by_function[known] for known in (name.removeprefix("tests.") for name in names) if known in by_function
            }
            for line, names in read.contexts_by_lineno(file).items()
        }
    return Suite(reached, seconds)


def survives(mutant: Mutant, known: Suite, folder: Path) -> bool:
    """Whether all tests that come to its line pass with the change."""
    place = folder / "src" / "dutiful_gate" / mutant.file.relative_to(PACKAGE)
    before = place.read_text()
    place.write_text(mutant.text)
    names = known.of(mutant)
    longest = _PATIENCE + 3 * sum(map(known.seconds.__getitem__, names))
    try:
        command = _pytest(folder, "-x", *names)
        done = subprocess.run(
            command, cwd=folder, env=_environment(folder), capture_output=True, timeout=longest, check=False
        )
        return not done.returncode
    except subprocess.TimeoutExpired:
        return False
    finally:
        place.write_text(before)


def equivalents() -> set[tuple[str, ...]]:
    """The mutants that docs/mutants.md names as meaning the same."""
    rows = re.findall(r"(?m)^\| `(.+?)` \| (.+?) \| `(.+?)` \|", (ROOT / "docs" / "mutants.md").read_text())
    return {(file, what, line.replace("\\|", "|")) for file, what, line in rows}


def main() -> int:
    """Try the mutants, and print those that no test notices."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--mutants", type=int, default=300, help="how many changes")
    parser.add_argument("--seed", type=int, help="which ones: the same for the same seed")
    parser.add_argument(
        "--room",
        action="append",
        help="only below this folder of the package; may be repeated",
    )
    parser.add_argument(
        "--tests", action="append", help="only the tests of this file, which may miss what others see; may be repeated"
    )
    parser.add_argument("--only", type=Path, help="those of a file: a line each, with tabs")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, help="how many at a time")
    asked = parser.parse_args()
    seed = asked.seed if asked.seed is not None else random.randrange(10**6)
    print(f"seed {seed}", flush=True)
    tried = again(asked.only) if asked.only else mutants(asked.mutants, random.Random(seed), asked.room or [""])
    alive: list[Mutant] = []
    count = itertools.count(1)
    with tempfile.TemporaryDirectory() as held:
        folders = []
        for number in range(asked.jobs):
            folder = Path(held).resolve() / str(number)
            for name in (*_HELD, *(each.name for each in ROOT.glob("*.md"))):
                copy = shutil.copytree if (ROOT / name).is_dir() else shutil.copy
                folder.mkdir(exist_ok=True)
                copy(ROOT / name, folder / name)
            folders.append(folder)
        known = suite(folders[0], asked.tests or [])

        def run(number: int) -> None:
            for at in range(number, len(tried), asked.jobs):
                alive_still = survives(tried[at], known, folders[number])
                if alive_still:
                    alive.append(tried[at])
                print(
                    f"{next(count)}/{len(tried)} {'SURVIVES' if alive_still else 'killed'} {tried[at].place}",
                    flush=True,
                )

        with ThreadPoolExecutor(asked.jobs) as pool:
            list(pool.map(run, range(asked.jobs)))
    same = equivalents()
    named = [mutant for mutant in alive if mutant.mark in same]
    counted = len(tried) - len(named)
    killed = len(tried) - len(alive)
    print(f"{killed} of {counted} mutants killed: {killed / max(1, counted):.0%}; {len(named)} more mean the same")
    return int(killed < _WANTED * counted)


if __name__ == "__main__":
    raise SystemExit(main())
