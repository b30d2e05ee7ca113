"""The columns of a declaration as pandas, and as SQL, have them; and an empty table of the right kinds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ..gates.base import AnyGate
from ..shape.nodes import Choice
from .arrow_types import arrow_schema, columns_of, record_of


def pandas_dtypes(gate: AnyGate[Any]) -> dict[str, Any]:
    """The dtypes of the columns of admitted rows in pandas, by the names in the data.

    Numbers and truth are NumPy's where the field always has a value, and nullable (`Int64`, `Float64`, `boolean`) where
    it may have none; text is pandas' own, a closed set of texts a category; moments are `datetime64[us, UTC]`; dates,
    decimals, lists and records are Arrow's. Raises DeclarationError where the gate reads no records.
    """
    record = record_of(gate)
    choices = {
        field.wire: [each for each in field.use.bare.node.wire if each is not None]
        for field in record.fields
        if isinstance(field.use.bare.node, Choice)
    }
    return {
        name: _dtype(column.type, choices.get(name), nullable=column.nullable)
        for name, column in columns_of(gate).items()
    }


def _dtype(kind: pa.DataType, choices: list[Any] | None, *, nullable: bool) -> Any:
    import pandas as pd

    if pa.types.is_string(kind):
        if choices is not None and all(isinstance(each, str) for each in choices):
            return pd.CategoricalDtype(choices)
        return pd.StringDtype(na_value=float("nan")) if _has_new_text() else pd.StringDtype()
    if pa.types.is_int64(kind):
        return pd.Int64Dtype() if nullable else _numpy("int64")
    if pa.types.is_float64(kind):
        return pd.Float64Dtype() if nullable else _numpy("float64")
    if pa.types.is_boolean(kind):
        return pd.BooleanDtype() if nullable else _numpy("bool")
    if pa.types.is_timestamp(kind):
        return pd.DatetimeTZDtype("us", kind.tz) if kind.tz else _numpy("datetime64[us]")
    return pd.ArrowDtype(kind)


def _numpy(name: str) -> Any:
    import numpy as np

    return np.dtype(name)


def _has_new_text() -> bool:
    """Whether text is a type of its own in this pandas."""
    import pandas as pd

    return int(pd.__version__.partition(".")[0]) >= 3


def as_pandas(table: pa.Table, dtypes: Mapping[str, Any], index: Any) -> Any:
    """An Arrow table as a DataFrame, with dtypes by name: those of others are as pandas chooses them."""
    import pandas as pd

    columns = {name: _series(table.column(name), dtypes.get(name), index) for name in table.column_names}
    return pd.DataFrame(columns, index=index, copy=False)


def _series(column: pa.ChunkedArray, dtype: Any, index: Any) -> Any:
    import pandas as pd

    if dtype is None:
        return pd.Series(column.to_pandas().array, index=index)
    if isinstance(dtype, pd.ArrowDtype):
        return pd.Series(pd.arrays.ArrowExtensionArray(column), index=index)
    if isinstance(dtype, pd.CategoricalDtype):
        codes = pc.fill_null(pc.index_in(column, pa.array(dtype.categories, column.type)), -1)
        return pd.Series(pd.Categorical.from_codes(codes.to_numpy(), dtype=dtype), index=index)
    if hasattr(dtype, "__from_arrow__"):
        return pd.Series(dtype.__from_arrow__(column), index=index)
    return pd.Series(column.to_numpy(), index=index)


def empty_table(gate: AnyGate[Any], of: str = "arrow") -> Any:
    """A table without rows, with the columns of a declaration: `of` is "arrow", "pandas" or "polars"."""
    table = arrow_schema(gate).empty_table()
    if of == "arrow":
        return table
    if of == "pandas":
        import pandas as pd

        return as_pandas(table, pandas_dtypes(gate), pd.RangeIndex(0))
    if of == "polars":
        import polars as pl

        return pl.from_arrow(table)
    raise ValueError(f'of={of!r} is no kind of table: "arrow", "pandas" or "polars"')


def sql_columns(gate: AnyGate[Any]) -> list[Any]:
    """The columns of a declaration for a table of SQLAlchemy: `Table("lines", MetaData(), *sql_columns(gate))`.

    Text has its greatest length where that is bounded, decimals their digits, moments a time zone; lists, records and
    what has no one type are JSON; a field that may have no value is nullable. Needs the extra `storage`. Raises
    DeclarationError where the gate reads no records.
    """
    from sqlalchemy import Column

    record = record_of(gate)
    columns = columns_of(gate)
    return [
        Column(field.wire, _sql_type(columns[field.wire].type, field), nullable=columns[field.wire].nullable)
        for field in (*record.fields, *record.computed)
    ]


def _sql_type(kind: pa.DataType, field: Any) -> Any:
    from sqlalchemy import types as sql

    from ..declare.rules import Length, Rule
    from ..shape.nodes import Scalar

    bare = field.use.bare
    node = bare.node
    parts = (*bare.parts, *(field.use.parts if bare is not field.use else ()))
    if pa.types.is_string(kind):
        texts = [each for each in node.wire if isinstance(each, str)] if isinstance(node, Choice) else []
        if texts and len(texts) == len(node.wire):
            return sql.String(max(map(len, texts)))
        if not isinstance(node, Scalar) or node.kind.facts.open or field.use.making is not None:
            return sql.JSON()
        most = [part.ceiling for part in parts if isinstance(part, Length) and part.ceiling is not None]
        return sql.String(min(most)) if most and node.kind.facts.text else sql.Text()
    if pa.types.is_int64(kind):
        every = [part.ends for part in parts if isinstance(part, Rule) and part.ends is not None]
        low = max((ends.floor for ends in every if ends.floor is not None), default=-(2**63))
        high = min((ends.ceiling for ends in every if ends.ceiling is not None), default=2**63)
        return sql.Integer() if low >= -(2**31) and high < 2**31 else sql.BigInteger()
    if pa.types.is_decimal(kind):
        return sql.Numeric(kind.precision, kind.scale)
    if pa.types.is_timestamp(kind):
        return sql.DateTime(timezone=kind.tz is not None)
    plain = {pa.float64(): sql.Double(), pa.bool_(): sql.Boolean(), pa.date32(): sql.Date()}
    return plain.get(kind, sql.JSON())


__all__ = ["arrow_schema", "as_pandas", "empty_table", "pandas_dtypes", "sql_columns"]
