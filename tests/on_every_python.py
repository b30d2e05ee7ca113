"""`make test-all`: the tests on every Python from 3.11 to 3.15 that is found on the machine, each in its own environment."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

WANTED = ("3.11", "3.12", "3.13", "3.14", "3.15")
ROOT = Path(__file__).parent.parent


def found() -> dict[str, str]:
    """One interpreter a version: on the path, or where version managers keep them."""
    named = [shutil.which(f"python{version}") or "" for version in WANTED]
    kept = [str(path) for path in sorted(Path.home().glob(".pyenv/versions/3.1*/bin/python"))]
    kept += [str(path) for path in sorted(Path.home().glob(".local/share/uv/python/*/bin/python3"))]
    interpreters: dict[str, str] = {}
    for command in [sys.executable, *named, *kept]:
        if not command:
            continue
        told = subprocess.run([command, "--version"], capture_output=True, text=True, check=False).stdout
        version = re.match(r"Python (3\.\d+)", told)
        if version and version[1] in WANTED:
            interpreters.setdefault(version[1], command)
    return interpreters


def main() -> int:
    """Test on each; 1 when one fails."""
    failed = []
    for version, command in sorted(found().items()):
        home = ROOT / f".venv-{version}"
        python = home / "bin" / "python"
        print(f"Python {version}", flush=True)
        if not python.exists():
            subprocess.run([command, "-m", "venv", str(home)], check=True)
            subprocess.run([python, "-m", "pip", "install", "--quiet", "--editable", f"{ROOT}[dev]"], check=True)
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        command_line = [python, "-m", "pytest", "-n", "2", "-p", "no:cacheprovider"]
        if subprocess.run(command_line, cwd=ROOT, env=environment, check=False).returncode:
            failed.append(version)
    absent = [version for version in WANTED if version not in found()]
    if absent:
        print(f"not on this machine: {', '.join(absent)}")
    print(f"failed on: {', '.join(failed)}" if failed else "every one passed")
    return int(bool(failed))


if __name__ == "__main__":
    raise SystemExit(main())
