"""What type checkers say of `typing/uses.py`, `parts.py` and `endpoints.py`: they flag each wrong use, and no right one.

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
USES = [ROOT / "tests/typing" / name for name in ("uses.py", "parts.py", "endpoints.py")]
SINCE = "# wrong since PEP 747"  # which the oldest mypy does not know
OLDEST = "mypy==1.11.0"
_CONFIGURED = {"typeCheckingMode": "standard", "extraPaths": [str(ROOT / "src")], "include": ["."]}


def marked(file: Path, *, newest: bool = True) -> set[int]:
    """The lines of wrong uses."""
    lines = file.read_text().splitlines()
    return {
        number for number, line in enumerate(lines, 1) if line.endswith("# wrong") or (newest and line.endswith(SINCE))
    }


def by_mypy(command: list[str], file: Path) -> dict[int, str]:
    """The errors that mypy finds, by line."""
    with tempfile.TemporaryDirectory() as folder:
        told = subprocess.run(
            [*command, "--strict", "--cache-dir", folder, str(file)],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
    found = re.findall(rf"^.*{file.name}:(\d+): error: (.*)$", told.stdout, re.MULTILINE)
    assert found, told.stdout + told.stderr
    return {int(line): words for line, words in found}


def by_pyright(file: Path) -> dict[int, str] | str:
    """The same of pyright; why it cannot be asked."""
    if shutil.which("node") is None:
        return "pyright needs Node, which is not here"
    with tempfile.TemporaryDirectory() as folder:
        shutil.copy(file, folder)
        Path(folder, "pyrightconfig.json").write_text(json.dumps(_CONFIGURED))
        command = [sys.executable, "-m", "pyright", "--outputjson", "--pythonpath", sys.executable, "-p", folder]
        told = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
    try:
        report = json.loads(told.stdout)["generalDiagnostics"]
    except (ValueError, KeyError):
        return f"pyright does not run here: {(told.stderr or told.stdout).strip()[-200:]}"
    return {each["range"]["start"]["line"] + 1: each["message"] for each in report if each["severity"] == "error"}


def differing(found: dict[int, str], file: Path, *, newest: bool = True) -> list[str]:
    """Where what was found is not what is marked."""
    lines, wrong = file.read_text().splitlines(), marked(file, newest=newest)
    missed = [f"not flagged, line {line}: {lines[line - 1].strip()}" for line in sorted(wrong - found.keys())]
    free = marked(file)
    if not newest:
        free |= {number for number, line in enumerate(lines, 1) if line.endswith("# right since PEP 747")}
    # What the oldest takes for Any is no mistake of those who use it.
    odd = {
        line: words for line, words in found.items() if line not in free and (newest or "[assert-type]" not in words)
    }
    return missed + [f"line {line}: {words}" for line, words in sorted(odd.items())]


@pytest.mark.parametrize("file", USES, ids=lambda file: file.name)
def test_there_are_many_of_each(file: Path) -> None:
    text, least = file.read_text(), 40 if file.name == "endpoints.py" else 60
    assert len(marked(file)) >= least
    assert (
        len(
            re.findall(r"^    (?!.*# wrong)\S", text[text.index("def right(") : text.index("def wrong(")], re.MULTILINE)
        )
        >= least
    )


@pytest.mark.parametrize("file", USES, ids=lambda file: file.name)
def test_mypy_flags_the_wrong_uses_alone(file: Path) -> None:
    assert differing(by_mypy([sys.executable, "-m", "mypy"], file), file) == []


@pytest.mark.parametrize("file", USES, ids=lambda file: file.name)
def test_pyright_flags_the_wrong_uses_alone(file: Path) -> None:
    found = by_pyright(file)
    if isinstance(found, str):
        pytest.skip(found)
    assert differing(found, file) == []


def main() -> int:
    """Ask the oldest mypy; 1 where it says otherwise."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run([sys.executable, "-m", "venv", "--system-site-packages", folder], check=True)
        python = f"{folder}/bin/python"
        subprocess.run([python, "-m", "pip", "install", "--quiet", OLDEST], check=True)
        command = [python, "-m", "mypy", "--python-executable", sys.executable]
        told = [each for file in USES for each in differing(by_mypy(command, file), file, newest=False)]
    count = sum(len(marked(file, newest=False)) for file in USES)
    print("\n".join(told) or f"{OLDEST} flags what it is to flag, {count} uses, and nothing else")
    return int(bool(told))


if __name__ == "__main__":
    raise SystemExit(main())
