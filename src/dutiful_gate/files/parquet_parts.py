"""Typed records as Parquet, with the columns of the declaration: written in parts, which are one file at the end."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any, BinaryIO, Final

import pyarrow as pa
import pyarrow.parquet as pq

from ..gates.base import AnyGate
from ..gates.typed import Gate
from ..safe_files.own_files import made_anew, opened_again
from ..tables.arrow_types import DoesNotFit, arrow_schema, columns_of
from .growing_file import cannot_begin, named, part_of
from .opened import BrokenOff, CannotStart

PART_ROWS: Final = 100_000
GROUP_ROWS: Final = 10_000


class ParquetParts:
    """A Parquet file in parts of a hundred thousand records, one file when all is written. The state counts parts.

    What was begun of a Parquet file cannot be gone on with: hence parts, for `--resume`.
    """

    def __init__(self, path: Path, gate: AnyGate[Any]) -> None:
        self._path = path
        self._schema = arrow_schema(gate)
        self._parts = 0
        self._rows = 0
        self._held: list[dict[str, Any]] = []
        self._writer: pq.ParquetWriter | None = None
        self._stream: BinaryIO | None = None

    def path(self) -> Path:
        """See `Output`."""
        return self._path

    def taken(self) -> list[Path]:
        """See `Output`."""
        return [self._path] if self._path.exists() else []

    def parts(self) -> list[Path]:
        """See `Output`."""
        return [part_of(self._path), self._part(1)]

    def _part(self, number: int) -> Path:
        """The file of a number, from 1."""
        return part_of(self._path.with_name(f"{self._path.stem}-{number:05}{self._path.suffix}"))

    def open(self, state: int | None) -> None:
        """See `Output`."""
        self._parts = state or 0
        for number in range(1, self._parts + 1):
            if not self._part(number).exists():
                raise CannotStart(f"{str(self._part(number))!r} is not there any more")
        part = self._part(self._parts + 1)
        try:
            if state is not None and part.exists():  # what was begun there is not whole
                opened_again(part).close()
                part.unlink()
            self._stream = made_anew(part)
        except OSError as error:
            raise cannot_begin(part, error) from None

    def head(self, header: bytes) -> None:
        """A Parquet file has its columns, and nothing above."""

    def write(self, encoded: dict[str, Any]) -> None:
        """See `Output`."""
        self._held.append(encoded)
        self._rows += 1
        if len(self._held) >= GROUP_ROWS:
            self._write_group()
        if self._rows >= PART_ROWS:
            self._end_part()

    def _write_group(self) -> None:
        if self._writer is None:
            if self._stream is None:
                self._stream = made_anew(self._part(self._parts + 1))
            self._writer = pq.ParquetWriter(self._stream, self._schema)
        self._writer.write_table(pa.Table.from_pylist(self._held, self._schema))
        self._held.clear()

    def _end_part(self) -> None:
        self._write_group()
        self.close()
        self._parts += 1
        self._rows = 0

    def state(self, *, complete: bool) -> int | None:
        """See `Output`."""
        if complete and (self._rows or not self._parts):
            self._end_part()
        return None if self._rows else self._parts

    def close(self) -> None:
        """See `Output`."""
        writer, self._writer = self._writer, None
        stream, self._stream = self._stream, None
        if stream is None:
            return
        with stream:
            if writer is not None:
                _end(writer)
            stream.flush()
            os.fsync(stream.fileno())

    def finish(self, state: int) -> list[Path]:
        """See `Output`."""
        self.close()
        parts = [self._part(number) for number in range(1, state + 1)]
        whole = parts[0] if state == 1 else part_of(self._path)
        if state > 1 and all(part.exists() for part in parts):
            self._join(parts, whole)
        for part in [*parts, self._part(state + 1)]:  # the whole is on the disk: it alone gets its name, now or later
            if part != whole:
                part.unlink(missing_ok=True)
        if whole.exists():
            named(whole, self._path)
        return [self._path]

    def _join(self, parts: Sequence[Path], whole: Path) -> None:
        """Write parts as one file, a group of rows at a time."""
        whole.unlink(missing_ok=True)  # where a former run got no further
        with made_anew(whole) as stream:
            writer = pq.ParquetWriter(stream, self._schema)
            try:
                for part in parts:
                    with pq.ParquetFile(part) as held:
                        for group in range(held.num_row_groups):
                            writer.write_table(held.read_row_group(group))
            finally:
                _end(writer)
            stream.flush()
            os.fsync(stream.fileno())


def _end(writer: pq.ParquetWriter) -> None:
    """Write what stands at the end of a file; a writer that could not is not asked again when it goes."""
    try:
        writer.close()
    finally:
        writer.is_open = False


class PlainRecord:
    """What Arrow is given of a record: plain data, with dates and moments as such."""

    def __init__(self, gate: AnyGate[Any]) -> None:
        self._gate = gate
        self._columns = columns_of(gate)

    def __call__(self, value: Any) -> dict[str, Any]:
        """The columns of a record. Raises BrokenOff for a number that has no place in one."""
        assert isinstance(self._gate, Gate)
        plain = self._gate.release_admitted(value, secrets=True)
        try:
            return {name: column.held(name, plain.get(name)) for name, column in self._columns.items()}
        except DoesNotFit as error:
            raise BrokenOff(f"{error}: write .ndjson") from None
