"""Real input that every machine has: the report of `python -m pip inspect --local`, declared and admitted.

Run it: `python examples/installed.py`. Only what is of interest is declared; the rest of the report is left out,
and told.
"""

import subprocess
import sys
from collections import Counter
from dataclasses import dataclass, field
from typing import Annotated

from dutiful_gate import Gate, Limits, Refused, about, it

Version = Annotated[str, it.matches(r"(?:[0-9]+!)?[0-9]+(?:\.[0-9]+)*[-_.A-Za-z0-9+]*")]


@dataclass(slots=True)
class Metadata:
    name: Annotated[str, it.matches(r"[A-Za-z0-9](?:[A-Za-z0-9._-]*[A-Za-z0-9])?")]
    version: Version
    summary: str = ""
    requires_python: str | None = None
    requires_dist: list[str] = field(default_factory=list)


@dataclass(slots=True)
class Installed:
    metadata: Metadata
    requested: bool
    metadata_location: str | None = None
    installer: str | None = None


@dataclass(slots=True)
class Report:
    """What pip says of an environment."""

    version: Annotated[str, it == "1", about(title="the report's version")]
    pip_version: Version
    installed: list[Installed]


reports = Gate(Report, limits=Limits(bytes=64 * 1024 * 1024))


def inspected() -> bytes:
    command = [sys.executable, "-m", "pip", "inspect", "--local"]
    return subprocess.run(command, check=True, capture_output=True).stdout


def main() -> None:
    try:
        verdict = reports.examine_json(inspected())
        report = verdict.value
    except Refused as refused:
        raise SystemExit(str(refused)) from None
    requested = sum(package.requested for package in report.installed)
    needed = Counter(len(package.metadata.requires_dist) for package in report.installed)
    longest = max(report.installed, key=lambda package: len(package.metadata.requires_dist))
    print(f"pip {report.pip_version} tells of {len(report.installed)} packages, {requested} of them asked for by name")
    print(f"{needed[0]} need nothing; {longest.metadata.name} names the most needs")
    print(f"{len(verdict.dropped)} keys of the report were not declared here and were left out")


if __name__ == "__main__":
    main()
