"""300 gates of ten fields: made and first used, built beforehand beside built anew. Each in a process of its own."""

from __future__ import annotations

import statistics
import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

GATES, TURNS, BOUND = 300, 5, 0.25
TYPES = (
    "int", "str", "Annotated[int, it > 0, it <= 26_000]", "Annotated[str, trimmed, it.length.between(2, 80)]", "date",
    "list[int]", "float | None", "bool", 'Annotated[str, it.matches("[A-Z]{3}-[0-9]+")]', "dict[str, int]",
)  # fmt: skip
SOUND = (
    "5", '"oak"', "12", '"oak planks"', '"2026-05-04"', "[1, 2]", "1.5", "True", '"QLP-17"', '{"a": 1}',
)  # fmt: skip
USE = """
import time
import dutiful_gate.precompiled, dutiful_gate.gates.typed, dutiful_gate.engine.stored, dutiful_gate.shape.build
import dutiful_gate.engine.defaults, dutiful_gate.engine.json_out, dutiful_gate.read.json_fast
from dutiful_gate import Gate
import shapes
begun = time.perf_counter()
{first}
for number, data in enumerate(shapes.DATA):
    assert Gate(getattr(shapes, f"R{{number}}")).examine(data)
print(time.perf_counter() - begun)
"""


def put(folder: Path) -> None:
    """The declarations, with a sound payload each."""
    lines = ["from dataclasses import dataclass", "from datetime import date", "from typing import Annotated"]
    lines += ["from dutiful_gate import it, trimmed", ""]
    data = []
    for number in range(GATES):
        lines += ["@dataclass", f"class R{number}:"]
        lines += [f"    f{at}: {TYPES[(number + at) % len(TYPES)]}" for at in range(len(TYPES))]
        data.append(", ".join(f'"f{at}": {SOUND[(number + at) % len(TYPES)]}' for at in range(len(TYPES))))
    lines.append("DATA = [" + ", ".join(f"{{{each}}}" for each in data) + "]")
    (folder / "shapes.py").write_text("\n".join(lines) + "\n")


def taken(folder: Path, first: str) -> float:
    """Seconds of one start, beyond the imports."""
    command = [sys.executable, "-c", USE.format(first=first)]
    return float(subprocess.run(command, cwd=folder, capture_output=True, text=True, check=True).stdout)


def main() -> int:
    """Print the figure; 1 when it is over its bound."""
    with TemporaryDirectory() as name:
        folder = Path(name)
        put(folder)
        targets = [f"shapes:R{number}" for number in range(GATES)]
        build = [sys.executable, "-m", "dutiful_gate", "build", *targets, "--into", "built"]
        subprocess.run(build, cwd=folder, capture_output=True, check=True)
        taken(folder, "")
        ratios = [taken(folder, "import built") / taken(folder, "") for _ in range(TURNS)]
    ratio = statistics.median(ratios)
    mark = "holds" if ratio <= BOUND else "BROKEN"
    print(
        f"{GATES} gates built beforehand / built anew  {ratio:.2f}  ({min(ratios):.2f} to {max(ratios):.2f})  <= {BOUND}  {mark}"
    )
    return int(ratio > BOUND)


if __name__ == "__main__":
    raise SystemExit(main())
