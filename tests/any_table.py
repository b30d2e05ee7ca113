"""Random tables for random declarations: columns of many Arrow and pandas types, sound, at the edges, and wrong."""

# Rooms: tables

from __future__ import annotations

import math
import warnings
from contextlib import suppress
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

import pandas as pd
import pyarrow as pa

from any_declaration import Maker
from dutiful_gate import DeclarationError, Gate, Source, camel
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads
from dutiful_gate.shape.nodes import Link
from dutiful_gate.shape.shape import Field
from dutiful_gate.tables.arrow_types import field_column
from dutiful_gate.tables.arrow_types import record_of as record_of

_KINDS: tuple[Any, ...] = (
    pa.int8(), pa.int64(), pa.uint64(), pa.float32(), pa.float64(), pa.string(), pa.large_string(), pa.bool_(),
    pa.date32(), pa.date64(), pa.timestamp("s"), pa.timestamp("us"), pa.timestamp("ns"), pa.timestamp("us", "UTC"),
    pa.timestamp("ns", "+02:00"), pa.timestamp("s", "Europe/London"), pa.decimal128(12, 2), pa.duration("s"),
    pa.time64("us"), pa.binary(), pa.null(), pa.list_(pa.int64()), pa.dictionary(pa.int32(), pa.string()),
)  # fmt: skip
_ODD: tuple[Any, ...] = (
    None, 0, 1, -1, 7, 127, 2**63 - 1, -(2**63), 2**64 - 1, 0.5, 3.0, math.nan, math.inf, -0.0, 1e300, "", " ", "x", "QLP",
    " mrw ", "ß", "İ", "12", "2026-05-04", "2026-05-04T09:30:00Z", "a@ternsound.example", True, False, date(2026, 5, 4),
    date.min, date.max, datetime(2026, 5, 4), datetime(2026, 5, 4, 9, 30, 0, 7), datetime(1, 1, 1), datetime.max,
    datetime(2026, 5, 4, tzinfo=UTC), datetime(1969, 12, 31, 23, 59, 59, 999_999, UTC), Decimal("12.50"), Decimal("0.1"),
    timedelta(hours=1), b"crate", [1, 2], [None], [],
)  # fmt: skip


def any_record(seed: int) -> Gate[Any] | None:
    """A gate of a random record; None where the seed gives none."""
    maker = Maker(seed)
    random = maker.random
    words: dict[str, Any] = {"keys": camel} if random.random() < 0.15 else {}
    if random.random() < 0.1:
        words["unknown"] = "refuse"
    if random.random() < 0.1:
        words["lenient"] = True
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            declared = random.choice([maker.record, maker.record, maker.loose_record, maker.ready_made])(2)
            if maker.names:
                words["names"] = maker.names
            gate = Gate(declared, random.choice([Source.JSON] * 5 + [Source.TEXT]), **words)
        except DeclarationError:
            return None
    return gate if isinstance(gate.shape.root.node, Link) else None


class TableMaker:
    """Makes tables for a gate, the same for the same seed."""

    def __init__(self, gate: Gate[Any], seed: int) -> None:
        self.gate = gate
        self.random = Random(seed)
        self.record = record_of(gate)
        self.edges = Edges(gate.shape, self.random)

    def columns(self, rows: int) -> dict[str, list[Any]]:
        """Plain data of sound records by columns, spoilt here and there."""
        random, maker = self.random, Payloads(self.gate.shape, self.random)
        held: list[Any] = []
        with suppress(CannotSample):  # it looked long then: once is enough
            held += [maker.make() for _ in range(rows)]
        held = [each if isinstance(each, dict) else {} for each in [*held, *[{}] * (rows - len(held))]]
        made: dict[str, list[Any]] = {}
        for field in self.record.fields:
            values = [each.get(field.wire) for each in held]
            typed = random.random() < 0.5
            for at in range(rows):
                roll = random.random()
                if roll < 0.08:
                    values[at] = random.choice(self.edges.of(field.use))
                elif roll < 0.12:
                    values[at] = None
                elif roll < 0.15:
                    values[at] = random.choice(_ODD)
            made[field.wire] = self._as_typed(field, values) if typed else values
        return made

    def _as_typed(self, field: Field, values: list[Any]) -> list[Any]:
        column = field_column(field, self.gate.shape)
        made = []
        for each in values:
            try:
                made.append(column.of(each))
            except Exception:  # it is no such value: it stays as it is
                made.append(each)
        return made

    def named(self, made: dict[str, list[Any]]) -> dict[str, list[Any]]:
        """The columns under other names that they may have, in any order, some left out, some added."""
        random = self.random
        by_wire = {field.wire: field.attribute for field in self.record.fields}
        names = list(made)
        random.shuffle(names)
        told: dict[str, list[Any]] = {}
        for name in names:
            if random.random() < 0.05:
                continue
            known = by_wire[name] if random.random() < 0.2 else name
            told[known if known not in made or known == name else name] = made[name]
        if random.random() < 0.1:
            told["nobody.knows"] = [random.choice(_ODD[:8]) for _ in range(len(next(iter(made.values()), [])))]
        return told

    def arrow(self, rows: int) -> pa.Table:
        """An Arrow table: each column in a type that holds what it can of its values, and null in the place of the rest."""
        columns = self.named(self.columns(rows))
        return pa.table({name: self._array(values) for name, values in columns.items()} or {"none": [None] * rows})

    def _array(self, values: list[Any]) -> pa.Array:
        random = self.random
        if random.random() < 0.75:
            try:
                return _varied(pa.array(values), random)
            except (pa.ArrowException, OverflowError, UnicodeError, TypeError, ValueError):
                pass
        several = [each for each in values if each is not None]
        kinds = [kind for kind in _KINDS if random.random() < 0.4 or _holds(several[:1], kind)]
        kind = max(
            kinds or [pa.string()], key=lambda each: (sum(_holds([value], each) for value in several), str(each))
        )
        plain = kind.value_type if pa.types.is_dictionary(kind) else kind
        held = pa.array([value if _holds([value], plain) else None for value in values], plain)
        return held.dictionary_encode() if pa.types.is_dictionary(kind) else held

    def pandas(self, rows: int) -> pd.DataFrame:
        """A DataFrame: columns of objects, and of dtypes of NumPy, pandas and Arrow."""
        columns = self.named(self.columns(rows))
        frame = pd.DataFrame({name: self._series(values) for name, values in columns.items()}, index=range(rows))
        if self.random.random() < 0.3:
            frame.index = [f"row {at}" for at in range(rows)]
        return frame

    def _series(self, values: list[Any]) -> pd.Series:
        random = self.random
        made = pd.Series(values, dtype=object)
        for dtype in random.sample([None, "Int64", "float64", "Float64", "boolean", "str", "category", "arrow"], 8):
            if random.random() < 0.3:
                return made
            try:
                if dtype is None:
                    return pd.Series(values)
                if dtype == "arrow":
                    array = self._array(values)
                    return pd.Series(pd.arrays.ArrowExtensionArray(pa.chunked_array([array])))
                if dtype != "str" or all(each is None or isinstance(each, str) for each in values):
                    return made.astype(dtype)
            except Exception:  # not all values are of the dtype
                continue
        return made


def _holds(values: list[Any], kind: pa.DataType) -> bool:
    try:
        pa.array(values, kind)
    except (pa.ArrowException, OverflowError, UnicodeError, TypeError, ValueError):
        return False
    return True


def _encoded(array: pa.Array, random: Random) -> pa.Array:
    """The same values by runs, in views, in few bits, or by entries of which one is nothing."""
    kind = array.type
    if pa.types.is_list(kind):
        sizes = [len(each) if each is not None else 0 for each in array.to_pylist()]
        offsets = [sum(sizes[:at]) for at in range(len(sizes))]
        nothing = array.is_null()
        return pa.ListViewArray.from_arrays(
            pa.array(offsets, pa.int32()), pa.array(sizes, pa.int32()), array.flatten(), mask=nothing
        )
    if pa.types.is_nested(kind) or pa.types.is_null(kind):
        return array
    if pa.types.is_decimal(kind) and kind.precision <= 9:
        return array.cast(pa.decimal32(kind.precision, kind.scale))
    if random.random() < 0.5:
        return pa.RunEndEncodedArray.from_arrays(pa.array(range(1, len(array) + 1), pa.int32()), array)
    numbers = pa.array(range(len(array)), pa.int32())
    return pa.DictionaryArray.from_arrays(numbers, array)


def _varied(array: pa.Array, random: Random) -> pa.Array:
    """The same values in another type, or told in another way, where that holds all of them."""
    if random.random() < 0.15:
        return _encoded(array, random)
    if random.random() < 0.3 and not pa.types.is_nested(array.type) and not pa.types.is_null(array.type):
        return array.dictionary_encode()
    others = random.sample(_KINDS, 5) if random.random() < 0.5 else []
    for kind in others:
        try:
            again = array.cast(kind)
        except pa.ArrowException:
            continue
        if again.null_count == array.null_count:
            return again
    return array
