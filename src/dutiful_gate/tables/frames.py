"""Tables as users hold them, piece by piece as Arrow columns: pandas, Polars, Arrow; and back again."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from datetime import UTC, date, datetime
from typing import Any, Final

import pyarrow as pa

from ..read.unreadable import CannotStart
from .column_names import check_names

_NO_ONE_TYPE: Final = (
    pa.ArrowInvalid,
    pa.ArrowTypeError,
    pa.ArrowNotImplementedError,
    OverflowError,
    UnicodeError,
    TypeError,
)
"""What is raised where values have no one type of Arrow."""

Piece = dict[str, Any]
"""Some rows by columns: an Arrow array each, or a list of objects where Arrow has no one type for them."""


class Table(ABC):
    """A table of some library.

    `names`  those of its columns, in order
    `rows`   how many rows it has
    """

    names: list[str]
    rows: int

    @abstractmethod
    def pieces(self, size: int) -> Iterator[tuple[int, Piece]]:
        """Its rows in pieces of at most so many, each with how many there are."""

    @abstractmethod
    def mask(self, admitted: Any) -> Any:
        """A mask, given as a NumPy array of booleans, as the library has such."""

    @abstractmethod
    def of(self, table: pa.Table, rows: Any, dtypes: Mapping[str, Any] | None = None) -> Any:
        """An Arrow table in the library's own form: `rows` says from which rows of this table its rows come."""

    @abstractmethod
    def as_it_came(self, admitted: Any) -> Any:
        """The rows of a mask, a NumPy array of booleans, as they are, in the library's own form."""


class ArrowTable(Table):
    """An Arrow table, or a record batch."""

    def __init__(self, table: pa.Table | pa.RecordBatch) -> None:
        self.table = pa.Table.from_batches([table]) if isinstance(table, pa.RecordBatch) else table
        self.names = list(self.table.column_names)
        self.rows = self.table.num_rows
        check_names(self.names)

    def pieces(self, size: int) -> Iterator[tuple[int, Piece]]:
        """See `Table`."""
        for batch in self.table.to_batches(max_chunksize=size):
            yield batch.num_rows, dict(zip(self.names, batch.columns, strict=True))

    def mask(self, admitted: Any) -> Any:
        """See `Table`."""
        return pa.array(admitted)

    def of(self, table: pa.Table, rows: Any, dtypes: Mapping[str, Any] | None = None) -> Any:
        """See `Table`."""
        return table

    def as_it_came(self, admitted: Any) -> Any:
        """See `Table`."""
        return self.table.filter(pa.array(admitted))


class PandasTable(Table):
    """A DataFrame of pandas.

    In columns that NumPy holds, NaN and NaT stand for nothing; in `nan_is_value`, columns whose field takes NaN, NaN is
    a number. In nullable and Arrow-backed columns, NA alone stands for nothing.
    """

    def __init__(self, frame: Any, nan_is_value: frozenset[str]) -> None:
        self.frame = frame
        self.nan_is_value = nan_is_value
        self.names = list(frame.columns)
        self.rows = len(frame)
        check_names(self.names)

    def pieces(self, size: int) -> Iterator[tuple[int, Piece]]:
        """See `Table`."""
        columns = [(name, self.frame[name].array) for name in self.names]
        for begin in range(0, self.rows, size):
            count = min(size, self.rows - begin)
            yield count, {name: self._arrow(name, array[begin : begin + count]) for name, array in columns}

    def _arrow(self, name: str, array: Any) -> Any:
        if str(array.dtype) == "object":
            values = list(array)
            kind = _one_type(values)
            try:
                return values if kind is None else pa.array(values, kind)
            except _NO_ONE_TYPE:
                return values
        try:
            if name in self.nan_is_value and array.dtype.kind == "f" and hasattr(array, "to_numpy"):
                return _floats_with_nan(array)
            made = _one_array(pa.array(array, from_pandas=True))
            # What pandas has types of its own for, such as periods, is no number that it is stored as.
            return list(array) if isinstance(made.type, pa.BaseExtensionType) else made
        except _NO_ONE_TYPE:
            return list(array)

    def mask(self, admitted: Any) -> Any:
        """See `Table`."""
        import pandas as pd

        return pd.Series(admitted, index=self.frame.index)

    def of(self, table: pa.Table, rows: Any, dtypes: Mapping[str, Any] | None = None) -> Any:
        """See `Table`."""
        from .column_types import as_pandas

        return as_pandas(table, dtypes or {}, self.frame.index[rows])

    def as_it_came(self, admitted: Any) -> Any:
        """See `Table`."""
        return self.frame[admitted]


_PLAIN: Final = {str: pa.string(), bool: pa.bool_(), int: pa.int64(), bytes: pa.binary(), date: pa.date32()}


def _one_type(values: list[Any]) -> pa.DataType | None:
    """The type that objects have in common, where nothing of them is lost in it; None where they are looked at as such.

    Arrow would find one for more: it takes date-times of several zones together, and dicts of several keys.
    """
    kinds = {type(each) for each in values if each is not None}
    if kinds == {list}:
        inside = _one_type([each for value in values if value is not None for each in value] or [""])
        return None if inside is None or pa.types.is_nested(inside) else pa.list_(inside)
    if kinds == {datetime} and all(each is None or each.tzinfo is UTC for each in values):
        return pa.timestamp("us", "UTC")
    return _PLAIN.get(next(iter(kinds))) if len(kinds) == 1 else None


def _floats_with_nan(array: Any) -> pa.Array:
    import pandas as pd

    if isinstance(array.dtype, pd.ArrowDtype) or hasattr(array, "_mask"):
        return _one_array(pa.array(array))
    return pa.array(array.to_numpy(), from_pandas=False)


def _one_array(array: Any) -> pa.Array:
    return array.combine_chunks() if isinstance(array, pa.ChunkedArray) else array


class PolarsTable(ArrowTable):
    """A DataFrame of Polars, which hands its columns over as Arrow's."""

    def __init__(self, frame: Any) -> None:
        super().__init__(frame.to_arrow())
        self.frame = frame

    def mask(self, admitted: Any) -> Any:
        """See `Table`."""
        import polars as pl

        return pl.Series("admitted", admitted)

    def of(self, table: pa.Table, rows: Any, dtypes: Mapping[str, Any] | None = None) -> Any:
        """See `Table`."""
        import polars as pl

        return pl.from_arrow(table)

    def as_it_came(self, admitted: Any) -> Any:
        """See `Table`."""
        return self.frame.filter(admitted)


def table_of(data: Any, nan_is_value: frozenset[str] = frozenset()) -> Table:
    """The table that data is. Raises CannotStart for what is none."""
    if isinstance(data, pa.Table | pa.RecordBatch):
        return ArrowTable(data)
    made: Mapping[str, Callable[[], Table]] = {
        "pandas": lambda: PandasTable(data, nan_is_value),
        "polars": lambda: PolarsTable(data),
    }
    library = type(data).__module__.partition(".")[0]
    if library in made and type(data).__name__ == "DataFrame":
        return made[library]()
    if library == "polars" and type(data).__name__ == "LazyFrame":
        raise CannotStart("a LazyFrame has no rows yet: collect() it first")
    if hasattr(data, "__arrow_c_stream__"):
        with suppress(pa.ArrowException, TypeError):  # a single column says that it is a stream, too
            return ArrowTable(pa.table(data))
    raise CannotStart(
        f"{type(data).__name__} is no table: give a DataFrame of pandas or Polars, an Arrow table or a record batch"
    )
