"""Deliveries checked record by record, beside reading them without checks; drafting, beside decoding.

Each figure is the time of ours over the time of the standard library's reader in the same run.
"""

from __future__ import annotations

import csv
import json
import sys
import tracemalloc
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Annotated

from harness import compared

from dutiful_gate import Gate, it
from dutiful_gate.draft import draft_of_files
from dutiful_gate.files import digest_of_file, examine_file
from dutiful_gate.read import json_fast

ROWS, DRAFTED = 100_000, 1_000_000
JOBS_BOUND = 1 / 1.6
CSV_BOUND, LINES_BOUND, LINES_FAST_BOUND, DRAFT_BOUND = 2.5, 2.5, 1.8, 2.0


@dataclass
class Line:
    """A line of the manifest."""

    booking: Annotated[str, it.matches("[A-Z]{3}-[0-9]+")]
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    on: date
    note: str | None = None


def put(folder: Path, rows: int) -> None:
    """The same records as CSV, NDJSON and one JSON list."""
    records = [
        {"booking": f"QLP-{row}", "weight_kg": row % 25_999 + 0.5, "on": "2026-05-04", "note": "this side up"}
        for row in range(rows)
    ]
    with (folder / "manifest.csv").open("w", newline="") as file:
        writer = csv.DictWriter(file, list(records[0]))
        writer.writeheader()
        writer.writerows(records)
    (folder / "manifest.ndjson").write_text("".join(json.dumps(record) + "\n" for record in records))
    (folder / "manifest.json").write_text(json.dumps(records))


def by_dict_reader(file: Path) -> int:
    """The rows of a CSV file, as the standard library reads them."""
    with file.open(newline="") as stream:
        return sum(1 for row in csv.DictReader(stream) if row)


def by_loads(file: Path) -> int:
    """The records of NDJSON, decoded line by line."""
    with file.open("rb") as stream:
        return sum(1 for line in stream if json.loads(line))


def peak_of(gate: Gate[Line], file: Path) -> int:
    """The most memory that examining a file takes."""
    tracemalloc.start()
    assert all(examine_file(gate, file))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return peak


def main() -> int:
    """Print the figures; 1 when one is over its bound."""
    gate = Gate(Line)
    with TemporaryDirectory() as name:
        folder = Path(name)
        put(folder, ROWS)
        rows, lines, whole = folder / "manifest.csv", folder / "manifest.ndjson", folder / "manifest.json"

        def examined(file: Path) -> int:
            return sum(1 for item in examine_file(gate, file) if item)

        assert examined(rows) == examined(lines) == ROWS
        fast = getattr(json_fast, "orjson", None) is not None
        lines_bound = LINES_FAST_BOUND if fast else LINES_BOUND
        ratios = [
            compared("CSV / csv.DictReader", lambda: examined(rows), lambda: by_dict_reader(rows), CSV_BOUND, turns=15),
            compared("NDJSON / json.loads", lambda: examined(lines), lambda: by_loads(lines), lines_bound, turns=15),
        ]
        small = peak_of(gate, rows)
        put(folder, DRAFTED)
        large = peak_of(gate, rows)
        ratios.append(
            compared(
                f"two jobs on NDJSON / one, {lines.stat().st_size / 1e6:.0f} MB",
                lambda: digest_of_file(gate, lines, jobs=2),
                lambda: digest_of_file(gate, lines),
                JOBS_BOUND,
                turns=3,
            )
        )
        ratios.append(
            compared(
                f"a draft of {whole.stat().st_size / 1e6:.0f} MB / json.loads",
                lambda: draft_of_files([whole]),
                lambda: json.loads(whole.read_bytes()),
                DRAFT_BOUND,
                turns=3,
            )
        )
    print(f"Python {sys.version.split()[0]}: ours / reading alone, median of turns (middle half), bound")
    for ratio in ratios:
        mark = "holds" if ratio.holds else "BROKEN"
        print(
            f"  {ratio.name:36} {ratio.median:6.2f}  ({ratio.low:.2f} to {ratio.high:.2f})  <= {ratio.bound:.3g}  {mark}"
        )
    flat = large <= 1.5 * small
    print(f"  memory, of ten times the rows        {large / small:6.2f}  <= 1.5  {'holds' if flat else 'BROKEN'}")
    return int(not (flat and all(ratio.holds for ratio in ratios)))


if __name__ == "__main__":
    raise SystemExit(main())
