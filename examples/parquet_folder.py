"""A folder of Parquet on several worker processes: one digest, what is sound and what is wrong as Parquet again.

A worker is killed on the way, as happens on a cluster: its parts are done again, and nothing is lost or there twice.
Run it: `python examples/parquet_folder.py`; it needs the extra `cluster`.
"""

from __future__ import annotations

import logging
import os
import signal
from io import StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import dask.dataframe as frames
import pandas as pd
from distributed import Client, LocalCluster

from dutiful_gate import Gate
from dutiful_gate.demo.make import manifest
from dutiful_gate.demo.manifest import Line
from dutiful_gate.tables import examine_parts, examine_table

PARTS = 8
lines = Gate(Line)


def main(folder: Path) -> None:
    """Write a folder of manifests, examine it on two workers, and compare with one process."""
    source = folder / "manifests"
    source.mkdir()
    nights = [pd.read_csv(StringIO(manifest(seed)), dtype={"loaded_on": "str"}) for seed in range(PARTS)]
    for number, night in enumerate(nights):
        night.to_parquet(source / f"night-{number}.parquet")
    killed: list[int] = []
    start: Any = LocalCluster  # neither it nor Client has types
    connect: Any = Client
    with (
        start(n_workers=2, threads_per_worker=1, dashboard_address=None, silence_logs=logging.CRITICAL) as cluster,
        connect(cluster) as client,
    ):
        workers = list(client.run(os.getpid).values())

        def told(done: int, of: int) -> None:
            if done == 2 and not killed:
                os.kill(workers[0], signal.SIGKILL)
                killed.append(workers[0])

        verdict = examine_parts(lines, frames.read_parquet(source), folder / "examined", told=told)
    print(verdict)
    print("a worker was killed on the way:", bool(killed))
    whole = examine_table(lines, pd.concat(nights, ignore_index=True))
    print("the digest of one process:", verdict.digest.as_dict() == whole.digest.as_dict())
    written = sum(len(pd.read_parquet(path)) for path in verdict.admitted)
    print("sound rows written:", written, "and faults:", sum(len(pd.read_parquet(path)) for path in verdict.faults))
    print("first of the digest:", verdict.digest.groups[0].pointer, verdict.digest.groups[0].wanted)


if __name__ == "__main__":
    with TemporaryDirectory() as made:
        main(Path(made))
