"""Parquet files against a declaration, piece by piece: what is sound and what is wrong goes to files of its own."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import suppress
from itertools import pairwise
from pathlib import Path
from typing import Any, BinaryIO, Final
from uuid import uuid4

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from ..gates.base import AnyGate
from ..read.unreadable import MOST_FOLD, MOST_UNPACKED, BrokenOff, CannotStart
from ..report.digest import Digest
from ..report.shown_values import counted
from ..safe_files.own_files import made_anew, put_in_place
from .arrow_types import DoesNotFit
from .column_names import check_names
from .examine import PIECE, TableReader
from .frames import Piece
from .usual_arrays import is_text
from .verdicts import FAULTS, Batch

_MOST_AT_ONCE: Final = 1 << 26
"""So many bytes of text rows come to at most that are looked at together: what stands once may be told of many rows."""


class ParquetRows:
    """The rows of a Parquet file. Raises CannotStart for what is none; reading raises BrokenOff where it is damaged."""

    def __init__(self, source: str | os.PathLike[str] | BinaryIO) -> None:
        try:
            self._file = pq.ParquetFile(source, read_dictionary=[])
            texts = [field.name for field in self._file.schema_arrow if is_text(field.type)]
            self.names = list(self._file.schema_arrow.names)
            self._file = pq.ParquetFile(source, read_dictionary=texts)
        except FileNotFoundError:
            raise CannotStart(f"there is no file {os.fspath(source)!r}; check the path") from None  # type: ignore[arg-type]
        except (pa.ArrowException, OSError, ValueError) as error:
            raise CannotStart(f"it is no Parquet file that can be read: {_first_line(error)}") from None
        check_names(self.names)
        self.rows: int = self._file.metadata.num_rows
        self._size = _size_of(source)
        self._told = 0
        cells = self.rows * max(len(self.names), 1)
        if cells > MOST_UNPACKED and cells > MOST_FOLD * self._size:
            raise CannotStart(f"{self.rows:,} rows in {self._size:,} bytes: it is no table of records")

    @property
    def schema(self) -> pa.Schema:
        """Its columns."""
        return self._file.schema_arrow

    def pieces(self, size: int) -> Iterator[tuple[int, Piece]]:
        """Its rows in pieces of at most so many, each with how many there are."""
        try:
            for batch in self._file.iter_batches(batch_size=size):
                for part in self._narrowed(batch):
                    yield part.num_rows, dict(zip(self.names, part.columns, strict=True))
        except (pa.ArrowException, OSError) as error:
            raise BrokenOff(f"the Parquet file is damaged: {_first_line(error)}") from None

    def _narrowed(self, batch: pa.RecordBatch) -> Iterator[pa.RecordBatch]:
        """A batch in parts whose text takes bounded memory: a dictionary may tell one text many times."""
        lengths = np.zeros(batch.num_rows, np.int64)
        for column in batch.columns:
            if pa.types.is_dictionary(column.type):
                of_entries = pc.binary_length(column.dictionary).cast(pa.int64())
                lengths += pc.fill_null(of_entries.take(column.indices), 0).to_numpy(zero_copy_only=False)
        total = int(lengths.sum())
        self._told += total
        if self._told > MOST_UNPACKED and self._told > MOST_FOLD * self._size:
            raise BrokenOff(f"what is packed in it grows more than {MOST_FOLD}-fold: it is no table of records")
        if total <= _MOST_AT_ONCE:
            yield batch
            return
        parts = np.cumsum(lengths) // _MOST_AT_ONCE
        begins = [0, *(np.flatnonzero(np.diff(parts)) + 1).tolist(), batch.num_rows]
        for begin, end in pairwise(begins):
            if end > begin:
                yield batch.slice(begin, end - begin)


def _first_line(error: Exception) -> str:
    return str(error).splitlines()[0][:200] if str(error) else type(error).__name__


def _size_of(source: Any) -> int:
    if isinstance(source, str | os.PathLike):
        return os.stat(source).st_size
    at = source.tell()
    size = source.seek(0, os.SEEK_END)
    source.seek(at)
    return int(size)


class PartsVerdict:
    """What became of a table that was read piece by piece, or by many workers. Truthy when every row was admitted.

    `rows`, `refused`  how many rows there were, and how many were refused
    `digest`    the faults added up
    `dropped`   columns, and keys inside of them, that nobody declared and that were left out
    `fallbacks`, `unjudged`  how many values have something else in their place, and could not be judged
    `admitted`, `faults`   the Parquet files that were written, in the order of the rows
    """

    def __init__(self) -> None:
        self.rows = 0
        self.digest = Digest()
        self.dropped: set[str] = set()
        self.fallbacks = self.unjudged = 0
        self.admitted: list[Path] = []
        self.faults: list[Path] = []

    @property
    def refused(self) -> int:
        """How many rows were refused."""
        return self.digest.refused

    def take(self, batch: Batch) -> None:
        """Take in what became of the rows that follow."""
        self.rows += batch.rows
        self.digest.merge(batch.digest)
        self.dropped |= batch.dropped
        self.fallbacks += len(batch.fallbacks)
        self.unjudged += batch.unjudged

    def merge(self, other: PartsVerdict) -> None:
        """Take in what became of other rows of the same table; they share none, and come in any order."""
        self.rows += other.rows
        self.digest.merge(other.digest)
        self.dropped |= other.dropped
        self.fallbacks += other.fallbacks
        self.unjudged += other.unjudged
        self.admitted = sorted([*self.admitted, *other.admitted])
        self.faults = sorted([*self.faults, *other.faults])

    def __bool__(self) -> bool:
        return not self.refused

    def __repr__(self) -> str:
        told = f"{self.rows - self.refused:,} of {counted(self.rows, 'row')} admitted"
        return f"<PartsVerdict {told}{f', {self.digest.faults:,} faults' if self.refused else ''}>"


def examine_parquet(
    gate: AnyGate[Any],
    path: str | os.PathLike[str],
    *,
    admitted: str | os.PathLike[str] | None = None,
    faults: str | os.PathLike[str] | None = None,
    first: int = 1,
    told: Callable[[int, int], Any] | None = None,
) -> PartsVerdict:
    """Examine the rows of a Parquet file of any size, as `examine_table` does, in memory for a piece of them.

    `admitted`  a Parquet file to write admitted rows to, in their declared types
    `faults`    a Parquet file to write the faults to, a row each
    `first`     the number of the first row in the digest
    `told`      is called with how many rows are done, of how many

    Files are written beside, as `.part`, and get their names when they are complete: what stood there stays until then.
    Raises CannotStart, BrokenOff for a file that is damaged, DoesNotFit where an admitted value has no place in its
    column, OSError where nothing can be written.
    """
    rows = ParquetRows(path)
    reader = TableReader(gate)
    schema = reader.schema(rows.names)
    outcome = PartsVerdict()
    with RowsFile(admitted, schema) as sound, RowsFile(faults, FAULTS) as wrong:
        for batch in reader.examined(rows.pieces(PIECE), rows.names, first):
            outcome.take(batch)
            if admitted is not None:
                if schema is None:
                    raise CannotStart("a document declares no column types for admitted rows: check against a type")
                sound.write(batch.admitted_rows(schema))
            if batch.faults is not None:
                wrong.write(batch.faults)
            if told is not None:
                told(outcome.rows, rows.rows)
        outcome.admitted, outcome.faults = sound.finish(), wrong.finish()
    return outcome


class RowsFile:
    """A Parquet file that grows beside its name, and gets it when it is complete; nothing where no name was given."""

    def __init__(self, path: str | os.PathLike[str] | None, schema: pa.Schema | None, *, twins: bool = False) -> None:
        """`twins` tells that another may write the same file with the same rows."""
        self._twins = twins
        self._stood = False
        self._stream: BinaryIO | None = None
        self._path = Path(path) if path is not None else None
        self._schema = schema
        self._token = uuid4().hex[:12]
        self._writer: pq.ParquetWriter | None = None

    @property
    def _part(self) -> Path:
        assert self._path is not None
        # Where two write one file, as when a worker was thought lost, each has one of its own until it is complete.
        return self._path.with_name(f"{self._path.name}.{self._token}.part")

    def __enter__(self) -> RowsFile:
        if self._path is not None and self._schema is not None:
            self._stood = os.path.lexists(self._path)
            self._stream = made_anew(self._part)
            self._writer = pq.ParquetWriter(self._stream, self._schema)
        return self

    def write(self, batch: pa.RecordBatch | None) -> None:
        """Write rows."""
        if self._writer is not None and batch is not None and batch.num_rows:
            self._writer.write_batch(batch)

    def finish(self) -> list[Path]:
        """Give it its name; the names given."""
        if self._writer is None or self._path is None:
            return []
        self._close()
        if self._stood or self._twins:
            os.replace(self._part, self._path)
            return [self._path]
        try:
            put_in_place(self._part, self._path)
        except FileExistsError:
            self._part.unlink()
            raise BrokenOff(f"{str(self._path)!r} has appeared meanwhile, and is not replaced") from None
        return [self._path]

    def _close(self) -> None:
        if self._writer is not None:
            self._writer.close()
        if self._stream is not None:
            self._stream.close()
        self._writer = self._stream = None

    def __exit__(self, *error: object) -> None:
        if self._writer is not None:
            with suppress(Exception):
                self._close()
            self._writer = None
            with suppress(OSError):
                self._part.unlink()


__all__ = ["DoesNotFit", "ParquetRows", "PartsVerdict", "examine_parquet"]
