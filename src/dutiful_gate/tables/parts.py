"""Tables past one machine: the partitions of a Dask DataFrame or bag, each examined by a worker, with one digest."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import pyarrow as pa

from ..gates.base import AnyGate
from ..read.unreadable import CannotStart
from ..report.digest import Digest
from .examine import PIECE, TableReader
from .frames import table_of
from .parquet import PartsVerdict, RowsFile
from .verdicts import FAULTS, Batch

ADMITTED: Final = "admitted"
WRONG: Final = "faults"
FAULTS_OF_PARTS: Final = pa.schema([("part", pa.int32()), *FAULTS])
"""The columns of the faults of parts: `row` counts from 0 in each part, and parts from 0."""


@dataclass(slots=True)
class _Report:
    """What a worker says of one part; its digest is not placed yet."""

    rows: int
    digest: Digest
    dropped: set[str]
    fallbacks: int
    unjudged: int
    admitted: list[Path]
    faults: list[Path]


def examine_parts(
    gate: AnyGate[Any],
    data: Any,
    folder: str | os.PathLike[str],
    *,
    told: Callable[[int, int], Any] | None = None,
) -> PartsVerdict:
    """Examine a Dask DataFrame, or a bag of records, part by part: on the cluster that is connected, else in threads.

    `gate`    a gate of a record. It travels as its declaration, so that workers must be able to import that
    `data`    a Dask DataFrame, as `examine_table` takes one of pandas; or a bag of records, or of their JSON
    `folder`  where Parquet goes that all workers can write to: `admitted/part-00000.parquet`, the admitted rows in
              their declared types, and `faults/part-00000.parquet`, the faults with their part and the row in it
    `told`    is called with how many parts are done, of how many

    A part's files get their names when they are complete: where a worker is lost, its parts are done again, and nothing
    is lost or there twice. The digest is that of one machine: records are numbered through all parts.

    Raises CannotStart where the folder holds parts already, or the gate cannot travel; what a worker raises otherwise.
    """
    try:
        from dask.delayed import delayed
    except ImportError:
        raise CannotStart("many machines need the package dask: pip install 'dutiful-gate[cluster]'") from None
    into = Path(folder).absolute()
    if TableReader(gate).schema([]) is None:
        raise CannotStart("a document declares no column types for admitted rows: give a gate of a record")
    parts = _parts_of(data)
    _check_travels(gate)
    _prepare(into)
    tasks = [delayed(_examined_part, pure=False)(gate, part, number, str(into)) for number, part in enumerate(parts)]
    whole = PartsVerdict()
    reports = _computed(tasks, told)
    first = 1
    for report in reports:
        part = PartsVerdict()
        part.rows, part.digest, part.dropped = report.rows, report.digest.placed(first), report.dropped
        part.fallbacks, part.unjudged = report.fallbacks, report.unjudged
        part.admitted, part.faults = report.admitted, report.faults
        whole.merge(part)
        first += report.rows
    for left in into.rglob("*.part"):  # of workers that were lost
        left.unlink(missing_ok=True)
    return whole


def _parts_of(data: Any) -> list[Any]:
    """The parts of what came, each to be computed by a worker. Raises CannotStart."""
    if hasattr(data, "to_delayed"):
        return list(data.to_delayed())
    raise CannotStart(
        f"{type(data).__name__} is no Dask DataFrame and no bag; for one machine there is examine_table(gate, table)"
    )


def _check_travels(gate: AnyGate[Any]) -> None:
    """Raise CannotStart where workers could not make the gate again."""
    import pickle

    try:
        pickle.dumps(gate)
    except (pickle.PicklingError, TypeError, AttributeError) as error:
        raise CannotStart(f"the gate cannot travel to workers: {error}") from None
    if getattr(gate.declared, "__module__", "") == "__main__" and _cluster() is not None:
        name = getattr(gate.declared, "__name__", "the record")
        raise CannotStart(f"{name} is declared in the program itself, which workers do not import: move it to a module")


def _prepare(into: Path) -> None:
    for name in (ADMITTED, WRONG):
        folder = into / name
        folder.mkdir(parents=True, exist_ok=True)
        if any(folder.glob("part-*.parquet")):
            raise CannotStart(f"{str(folder)!r} holds parts already: name another folder, or remove them")


def _cluster() -> Any:
    """The client of the cluster that is connected; None for none."""
    try:
        from distributed import get_client

        return get_client()
    except (ImportError, ValueError):
        return None


def _computed(tasks: list[Any], told: Callable[[int, int], Any] | None) -> list[_Report]:
    """The reports of all parts, in order."""
    client = _cluster()
    if client is None:
        from dask.base import compute

        if told is None:
            return list(compute(*tasks))  # type: ignore[no-untyped-call]
        made: list[_Report] = []
        for task in tasks:
            made.append(task.compute())
            told(len(made), len(tasks))
        return made
    from distributed import as_completed

    futures = client.compute(tasks)
    for done, future in enumerate(as_completed(futures), 1):  # type: ignore[no-untyped-call]
        future.result()
        if told is not None:
            told(done, len(tasks))
    return [future.result() for future in futures]


def _examined_part(gate: AnyGate[Any], part: Any, number: int, folder: str) -> _Report:
    """What a worker does: examine a part, and write what is sound and what is wrong."""
    reader = TableReader(gate, unplaced=True)
    batches, schema = _batches(reader, part)
    name = f"part-{number:05}.parquet"
    digest = Digest(unplaced=True)
    report = _Report(0, digest, set(), 0, 0, [], [])
    sound = RowsFile(Path(folder, ADMITTED, name), schema, twins=True)
    wrong = RowsFile(Path(folder, WRONG, name), FAULTS_OF_PARTS, twins=True)
    with sound, wrong:
        for batch in batches:
            report.rows += batch.rows
            digest.merge(batch.digest)
            report.dropped |= batch.dropped
            report.fallbacks += len(batch.fallbacks)
            report.unjudged += batch.unjudged
            sound.write(batch.admitted_rows(schema))
            wrong.write(_of_part(batch.faults, number))
        report.admitted, report.faults = sound.finish(), wrong.finish()
    return report


def _batches(reader: TableReader, part: Any) -> tuple[Iterator[Batch], pa.Schema]:
    if hasattr(part, "columns"):
        held = table_of(part, reader.nan_is_value)
        return reader.examined(held.pieces(PIECE), held.names, 1), reader.schema(held.names)
    return reader.of_records(part), reader.schema([])


def _of_part(faults: pa.RecordBatch | None, number: int) -> pa.RecordBatch | None:
    if faults is None:
        return None
    return pa.RecordBatch.from_arrays(
        [pa.repeat(pa.scalar(number, pa.int32()), faults.num_rows), *faults.columns], schema=FAULTS_OF_PARTS
    )


__all__ = ["PartsVerdict", "examine_parts"]
