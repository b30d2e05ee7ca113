"""What type checkers say of `typing/uses.py`: they flag each wrong use, and no right one.

`python tests/test_typing.py` asks the oldest mypy that is supported as well, in an environment of its own.
"""

# Rooms: declare, gates, web

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
USES = ROOT / "tests/typing/uses.py"
OLDEST = "mypy==1.11.0"
_CONFIGURED = {"typeCheckingMode": "standard", "extraPaths": [str(ROOT / "src")], "include": ["uses.py"]}


def marked() -> set[int]:
    """The lines of wrong uses."""
    lines = USES.read_text().splitlines()
    return {number for number, line in enumerate(lines, 1) if line.endswith("# wrong")}


def by_mypy(command: list[str]) -> dict[int, str]:
    """The errors that mypy finds, by line."""
    with tempfile.TemporaryDirectory() as folder:
        told = subprocess.run(
            [*command, "--strict", "--cache-dir", folder, str(USES)],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
    found = re.findall(r"^.*uses\.py:(\d+): error: (.*)$", told.stdout, re.MULTILINE)
    assert found, told.stdout + told.stderr
    return {int(line): words for line, words in found}


def by_pyright() -> dict[int, str] | str:
    """The same of pyright; why it cannot be asked."""
    if shutil.which("node") is None:
        return "pyright needs Node, which is not here"
    with tempfile.TemporaryDirectory() as folder:
        shutil.copy(USES, folder)
        Path(folder, "pyrightconfig.json").write_text(json.dumps(_CONFIGURED))
        command = [sys.executable, "-m", "pyright", "--outputjson", "--pythonpath", sys.executable, "-p", folder]
        told = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    try:
        report = json.loads(told.stdout)["generalDiagnostics"]
    except (ValueError, KeyError):
        return f"pyright does not run here: {(told.stderr or told.stdout).strip()[-200:]}"
    return {each["range"]["start"]["line"] + 1: each["message"] for each in report if each["severity"] == "error"}


def differing(found: dict[int, str]) -> list[str]:
    """Where what was found is not what is marked."""
    lines, wrong = USES.read_text().splitlines(), marked()
    missed = [f"not flagged, line {line}: {lines[line - 1].strip()}" for line in sorted(wrong - found.keys())]
    return missed + [f"line {line}: {words}" for line, words in sorted(found.items()) if line not in wrong]


def test_there_are_sixty_of_each() -> None:
    text = USES.read_text()
    assert len(marked()) >= 60
    assert (
        len(
            re.findall(r"^    (?!.*# wrong)\S", text[text.index("def right(") : text.index("def wrong(")], re.MULTILINE)
        )
        >= 60
    )


def test_mypy_flags_the_wrong_uses_alone() -> None:
    assert differing(by_mypy([sys.executable, "-m", "mypy"])) == []


def test_pyright_flags_the_wrong_uses_alone() -> None:
    found = by_pyright()
    if isinstance(found, str):
        pytest.skip(found)
    assert differing(found) == []


def main() -> int:
    """Ask the oldest mypy; 1 where it says otherwise."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run([sys.executable, "-m", "venv", "--system-site-packages", folder], check=True)
        python = f"{folder}/bin/python"
        subprocess.run([python, "-m", "pip", "install", "--quiet", OLDEST], check=True)
        told = differing(by_mypy([python, "-m", "mypy", "--python-executable", sys.executable]))
    print("\n".join(told) or f"{OLDEST} flags what it is to flag, {len(marked())} uses, and nothing else")
    return int(bool(told))


if __name__ == "__main__":
    raise SystemExit(main())
