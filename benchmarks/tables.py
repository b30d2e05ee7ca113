"""Tables by column: beside the same gate row by row, beside vector checks by hand, and with workers of a cluster.

The rival by hand is what a careful engineer writes in pandas: a mask of vector comparisons, and the rows that it admits.
It tells no fault. Memory is what the process takes at most beyond the table and its admitted rows.
"""

from __future__ import annotations

import os
import subprocess
import sys
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from time import perf_counter
from typing import Any

from harness import compared
from table_shapes import Line, frame_of

from dutiful_gate import Gate, Source
from dutiful_gate.tables import examine_parquet, examine_parts, examine_table

ROWS, ROWS_ONE_BY_ONE = 1_000_000, 50_000
PARTS, PART_ROWS = 12, 500_000
FASTER, BY_HAND, MEMORY, WORKERS, ONE_WORKER = 10.0, 1.5, 0.5, 1.5, 1.3


def by_hand(frame: Any) -> Any:
    """The rows that vector checks admit."""
    mask = (
        frame.booking.str.len().between(4, 12)
        & frame.origin.str.fullmatch("[A-Z]{3}")
        & frame.destination.str.fullmatch("[A-Z]{3}")
        & frame.departs.notna()
        & (frame.arrives > frame.departs)
        & (frame.weight_kg > 0)
        & (frame.weight_kg <= 26_000)
        & frame.pieces.between(1, 50)
        & frame.priority.isin(["standard", "urgent"])
    )
    return frame[mask]


def row_by_row(records: list[Any]) -> int:
    """How many of some rows, each a record, the same gate admits."""
    gate = Gate(Line, Source.MIXED)
    return sum(1 for record in records if gate.examine(record))


def peak() -> int:
    """The most memory that this process has taken since it was last asked to forget, in bytes."""
    status = Path("/proc/self/status").read_text()
    return int(status.partition("VmHWM:")[2].split()[0]) * 1024


def memory_share() -> float:
    """What examining takes beyond the table and its admitted rows, as a share of the table."""
    frame = frame_of(ROWS)
    gate = Gate(Line)
    _ = examine_table(gate, frame.head(1000)).admitted  # what is loaded once is not what a table takes
    table = int(frame.memory_usage(deep=True).sum())
    Path("/proc/self/clear_refs").write_text("5")
    before = peak()
    admitted = examine_table(gate, frame).admitted
    taken = peak() - before
    return (taken - int(admitted.memory_usage(deep=True).sum())) / table


def timed(job: Any) -> float:
    """The seconds of one run."""
    start = perf_counter()
    job()
    return perf_counter() - start


def of_cluster(folder: Path) -> tuple[float, float]:
    """The time of one worker over two, and of one over none; starting them apart."""
    import dask.dataframe as frames
    from distributed import Client, LocalCluster

    source = folder / "lines"
    source.mkdir()
    for number in range(PARTS):
        frame_of(PART_ROWS, number).to_parquet(source / f"lines-{number:02}.parquet")
    gate = Gate(Line)

    def alone() -> None:
        for number, path in enumerate(sorted(source.iterdir())):
            to = folder / f"alone-{number}"
            examine_parquet(gate, path, admitted=f"{to}.sound", faults=f"{to}.wrong")

    alone()
    none = min(timed(alone) for _ in range(3))
    times: dict[int, float] = {}
    for workers in (1, 2):
        with (
            LocalCluster(n_workers=workers, threads_per_worker=1, dashboard_address=None) as cluster,  # type: ignore[no-untyped-call]
            Client(cluster),  # type: ignore[no-untyped-call]
        ):
            parts = frames.read_parquet(source, split_row_groups=False)
            examine_parts(gate, parts, folder / f"begun-{workers}")  # what workers import once
            into = [folder / f"parts-{workers}-{at}" for at in range(3)]
            times[workers] = min(timed(partial(examine_parts, gate, parts, each)) for each in into)
    return times[1] / times[2], times[1] / none


def main() -> int:
    """Print the figures; 1 when one is over its bound."""
    if sys.argv[1:] == ["memory"]:
        print(memory_share())
        return 0
    frame, gate = frame_of(ROWS), Gate(Line)
    records = frame.head(ROWS_ONE_BY_ONE).to_dict("records")
    assert len(examine_table(gate, frame).admitted) == len(by_hand(frame))
    hand = compared(
        "by column / by hand", lambda: examine_table(gate, frame).admitted, lambda: by_hand(frame), BY_HAND, turns=11
    )
    columns = min(timed(lambda: examine_table(gate, frame).admitted) for _ in range(3))
    faster = min(timed(lambda: row_by_row(records)) for _ in range(3)) * (ROWS / ROWS_ONE_BY_ONE) / columns
    share = float(subprocess.run([sys.executable, __file__, "memory"], check=True, capture_output=True).stdout)
    with TemporaryDirectory() as name:
        two, one = of_cluster(Path(name))
    told = [
        (f"by column / by hand, {ROWS:,} rows", hand.median, BY_HAND, hand.median <= BY_HAND),
        ("row by row / by column", faster, FASTER, faster >= FASTER),
        ("memory beyond both / the table", share, MEMORY, share <= MEMORY),
        (f"one worker / two, {PARTS * PART_ROWS:,} rows", two, WORKERS, two >= WORKERS),
        ("one worker / none", one, ONE_WORKER, one <= ONE_WORKER),
    ]
    print(f"Python {sys.version.split()[0]}, {os.cpu_count()} cores: figure, bound")
    for words, figure, bound, holds in told:
        print(f"  {words:44} {figure:6.2f}  {bound:.3g}  {'holds' if holds else 'BROKEN'}")
    return int(not all(each[3] for each in told))


if __name__ == "__main__":
    raise SystemExit(main())
