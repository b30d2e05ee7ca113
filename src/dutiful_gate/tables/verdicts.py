"""What became of the rows of a table: a mask, the admitted rows in their declared types, the faults as a table."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any, Final

import numpy as np
import pyarrow as pa

from ..report.digest import Digest
from ..report.fault import Fault
from ..report.shown_values import counted, shown
from ..report.verdict import Verdict
from .arrow_types import DoesNotFit
from .frames import Table

FAULTS: Final = pa.schema(
    [
        ("row", pa.int64()),
        ("column", pa.string()),
        ("pointer", pa.string()),
        ("code", pa.string()),
        ("message", pa.string()),
        ("given", pa.string()),
        ("expected", pa.string()),
    ]
)
"""The columns of a table of faults. `row` counts from 0; `given` is what came, as it is shown, nothing for a secret;
`expected` are the numbers of the rule, as JSON."""


class RefusedRow:
    """One row that was refused, as digests take it in: its number, from 1, and its verdict."""

    __slots__ = ("number", "verdict")

    def __init__(self, number: int, verdict: Verdict[Any]) -> None:
        self.number = number
        self.verdict = verdict

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Its faults."""
        return self.verdict.faults

    def __bool__(self) -> bool:
        return False


class Faults:
    """The faults of rows, gathered column by column."""

    def __init__(self) -> None:
        self._columns: dict[str, list[Any]] = {name: [] for name in FAULTS.names}

    def add(self, row: int, fault: Fault, came_as: Mapping[str, str]) -> None:
        """Take in one more; `came_as` are the names of columns that are not those in the data."""
        first = str(fault.path[0]) if fault.path else ""
        expected = {name: _plain(each) for name, each in fault.expected.items()}
        given = fault.given
        told = (
            row,
            came_as.get(first, first),
            fault.pointer,
            fault.code,
            fault.message,
            None if given is None else given if isinstance(given, str) else shown(given),
            json.dumps(expected, ensure_ascii=False),
        )
        for column, held in zip(self._columns.values(), told, strict=True):
            column.append(held)

    def batch(self) -> pa.RecordBatch:
        """All that was taken in, by columns."""
        arrays = [_array(held, FAULTS.field(name).type) for name, held in self._columns.items()]
        return pa.RecordBatch.from_arrays(arrays, schema=FAULTS)


def _plain(number: object) -> object:
    if isinstance(number, list | tuple):
        return [_plain(each) for each in number]
    return number if number is None or isinstance(number, bool | int | float | str) else str(number)


def _array(held: list[Any], kind: pa.DataType) -> pa.Array:
    try:
        return pa.array(held, kind)
    except UnicodeEncodeError:  # a lone surrogate somewhere
        return pa.array(map(_encodable, held), kind)


def _encodable(held: Any) -> Any:
    return held.encode("utf-8", "replace").decode() if isinstance(held, str) else held


class Batch:
    """What became of some rows.

    `admitted`  which of them, a NumPy array of booleans
    `values`    the columns of those in their declared types; or the error that one has no place in its column
    `digest`, `faults`  what is wrong with the others
    `listed`    some of their refusals
    """

    __slots__ = ("admitted", "digest", "dropped", "fallbacks", "faults", "listed", "rows", "unjudged", "values")

    def __init__(self, rows: int, admitted: Any, digest: Digest) -> None:
        self.rows = rows
        self.admitted = admitted
        self.values: Mapping[str, Any] | DoesNotFit = {}
        self.digest = digest
        self.faults: pa.RecordBatch | None = None
        self.listed: list[RefusedRow] = []
        self.dropped: set[str] = set()
        self.fallbacks: list[tuple[int, Fault]] = []
        self.unjudged = 0

    def admitted_rows(self, schema: pa.Schema) -> pa.RecordBatch | None:
        """The admitted rows; None for none. Raises DoesNotFit where a value has no place in the column of its field."""
        if isinstance(self.values, DoesNotFit):
            raise DoesNotFit(f"{self.values}; the mask and the faults stand") from None
        if not self.values:
            return None
        return pa.RecordBatch.from_arrays([self.values[name] for name in schema.names], schema=schema)


class TableVerdict:
    """What a gate said of a table. It is truthy when every row was admitted.

    `mask`      which rows were admitted: a Series of pandas or Polars, or an Arrow array, as the table came
    `admitted`  the admitted rows in their declared column types, in the same form; in pandas they keep their labels
    `faults`    every fault, a row each: `row` (from 0), `column`, `pointer`, `code`, `message`, `given`, `expected`; in
                pandas under the labels of the rows
    `digest`    the faults added up: a `Digest`, as of a file, whose records count from 1
    `rows`, `refused`  how many rows there were, and how many were refused
    `dropped`   columns, and keys inside of them, that nobody declared and that were left out
    `fallbacks`   what was refused and has something else in its place, as (row, fault)
    `unjudged`  how many values a document with flaws could not judge
    """

    def __init__(
        self, table: Table, schema: pa.Schema | None, batches: Sequence[Batch], dtypes: Mapping[str, Any]
    ) -> None:
        self._table = table
        self._schema = schema
        self._dtypes = dtypes
        self._batches = batches
        self.rows = table.rows
        self.refused = int(sum(each.rows - int(each.admitted.sum()) for each in batches))
        self.dropped: tuple[str, ...] = tuple(sorted(set().union(*(each.dropped for each in batches))))
        self.fallbacks = [one for each in batches for one in each.fallbacks]
        self.unjudged = sum(each.unjudged for each in batches)

    def __bool__(self) -> bool:
        return not self.refused

    def __len__(self) -> int:
        return self.rows

    @cached_property
    def _admitted(self) -> Any:
        parts = [each.admitted for each in self._batches]
        return np.concatenate(parts) if parts else np.empty(0, bool)

    @property
    def mask(self) -> Any:
        """Which rows were admitted."""
        return self._table.mask(self._admitted)

    @cached_property
    def digest(self) -> Digest:
        """What is wrong, added up."""
        whole = Digest()
        for each in self._batches:
            whole.merge(each.digest)
        return whole

    @property
    def admitted(self) -> Any:
        """The admitted rows. Raises DoesNotFit where a value has no place in the column of its field."""
        if self._schema is None:
            return self._table.as_it_came(self._admitted)
        return self._table.of(self.admitted_arrow(), np.flatnonzero(self._admitted), self._dtypes)

    def admitted_arrow(self) -> pa.Table:
        """The admitted rows as an Arrow table. Raises DoesNotFit, TypeError where no types are declared."""
        if self._schema is None:
            raise TypeError("a document declares no column types: ask for .admitted, the rows as they came")
        batches = [made for each in self._batches if (made := each.admitted_rows(self._schema)) is not None]
        return pa.Table.from_batches(batches, self._schema)

    @property
    def faults(self) -> Any:
        """Every fault, a row each."""
        table = self.faults_arrow()
        return self._table.of(table, table.column("row").to_numpy())

    def faults_arrow(self) -> pa.Table:
        """Every fault, a row each, as an Arrow table."""
        return pa.Table.from_batches([each.faults for each in self._batches if each.faults is not None], FAULTS)

    def __repr__(self) -> str:
        told = f"{self.rows - self.refused:,} of {counted(self.rows, 'row')} admitted"
        return f"<TableVerdict {told}{f', {self.digest.faults:,} faults' if self.refused else ''}>"
