"""Typed records as Parquet: numbered files of a hundred thousand records each, with the columns of the declaration."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Callable
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any, Final

import pyarrow as pa
import pyarrow.parquet as pq

from ..declare.kinds.base import Kind
from ..declare.kinds.lenient import Lenient
from ..declare.kinds.moment import Day, LocalMoment, Moment
from ..declare.kinds.number import Number, Whole
from ..declare.kinds.truth import Truth
from ..gates.base import AnyGate
from ..gates.typed import Gate
from ..shape.nodes import Choice, Entries, Items, Link, Scalar, Shape, Use
from .opened import BrokenOff, CannotStart
from .outputs import columns_of, part_of

PART_ROWS: Final = 100_000
GROUP_ROWS: Final = 10_000
_WHOLE_64: Final = range(-(2**63), 2**63)


class ParquetParts:
    """Numbered Parquet files: `lines.parquet` becomes `lines-00001.parquet` and so on. The state counts whole ones."""

    def __init__(self, path: Path, gate: AnyGate[Any]) -> None:
        self._path = path
        self._schema = arrow_schema(gate)
        self._parts = 0
        self._rows = 0
        self._held: list[dict[str, Any]] = []
        self._writer: pq.ParquetWriter | None = None

    def path(self) -> Path:
        """See `Output`."""
        return self._path

    def taken(self) -> list[Path]:
        """See `Output`."""
        named = re.compile(rf"{re.escape(self._path.stem)}-[0-9]{{5,}}{re.escape(self._path.suffix)}")
        there = sorted(self._path.parent.iterdir()) if self._path.parent.is_dir() else []
        return [each for each in there if named.fullmatch(each.name)]

    def named(self, number: int) -> Path:
        """The file of a number, from 1."""
        return self._path.with_name(f"{self._path.stem}-{number:05}{self._path.suffix}")

    def open(self, state: int | None) -> None:
        """See `Output`."""
        self._parts = state or 0
        for number in range(1, self._parts + 1):
            if not part_of(self.named(number)).exists():
                raise CannotStart(f"{str(part_of(self.named(number)))!r} is not there any more")
        try:
            part_of(self.named(self._parts + 1)).open("wb").close()
        except OSError as error:
            raise CannotStart(f"{str(part_of(self._path))!r} cannot be written: {error.strerror}") from None

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
            self._writer = pq.ParquetWriter(part_of(self.named(self._parts + 1)), self._schema)
        self._writer.write_table(pa.Table.from_pylist(self._held, self._schema))
        self._held.clear()

    def _end_part(self) -> None:
        self._write_group()
        self.close()
        with part_of(self.named(self._parts + 1)).open("rb+") as stream:
            os.fsync(stream.fileno())
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
        if writer is not None:
            writer.close()

    def finish(self, state: int) -> list[Path]:
        """See `Output`."""
        self.close()
        names = [self.named(number) for number in range(1, state + 1)]
        for name in names:
            if part_of(name).exists():
                os.replace(part_of(name), name)
        part_of(self.named(state + 1)).unlink(missing_ok=True)
        return names


class PlainRecord:
    """What Arrow is given of a record: plain data, with dates and moments as such."""

    def __init__(self, gate: AnyGate[Any]) -> None:
        self._gate = gate
        self._columns = _columns(gate)

    def __call__(self, value: Any) -> dict[str, Any]:
        """The columns of a record. Raises BrokenOff for a number that has no place in one."""
        assert isinstance(self._gate, Gate)
        plain = self._gate.release_admitted(value, secrets=True)
        return {
            name: make(plain[name]) if plain.get(name) is not None else None
            for name, (_, make) in self._columns.items()
        }


Column = tuple[pa.DataType, Callable[[Any], Any]]


def arrow_schema(gate: AnyGate[Any]) -> pa.Schema:
    """The columns of the records of a gate: numbers, truth, dates, moments, lists, records as such, others as text.

    What has no one type there (unions, tuples, `Any`, maps of other keys than text) is its JSON. Raises CannotStart
    where the gate reads no records that are declared.
    """
    return pa.schema([pa.field(name, kind) for name, (kind, _) in _columns(gate).items()])


def _columns(gate: AnyGate[Any]) -> dict[str, Column]:
    fields = columns_of(gate)
    return {field.wire: _column(field.use, gate.shape, frozenset()) for field in fields}


def _column(use: Use, shape: Shape, above: frozenset[str]) -> Column:
    """The type of a column, and what makes of plain data what Arrow takes for it; `above` are the records around."""
    inner = use.bare
    if any(each.making is not None or each.via is not None or each.split for each in (use, inner)):
        return pa.string(), _json
    node = inner.node
    if isinstance(node, Scalar):
        return _scalar(node.kind)
    if isinstance(node, Choice) and all(isinstance(each, str) for each in node.wire):
        return pa.string(), _text
    if isinstance(node, Items):
        kind, make = _column(node.item, shape, above)
        return pa.list_(kind), lambda held: [None if each is None else make(each) for each in held]
    if isinstance(node, Entries) and node.key.facts.text:
        kind, make = _column(node.value, shape, above)
        return pa.map_(pa.string(), kind), lambda held: [
            (key, None if each is None else make(each)) for key, each in held.items()
        ]
    if isinstance(node, Link) and node.key not in above:
        record = shape.records[node.key]
        inside = {
            each.wire: _column(each.use, shape, above | {node.key}) for each in (*record.fields, *record.computed)
        }
        if inside and not record.rests and record.form == "object":
            return pa.struct([pa.field(name, kind) for name, (kind, _) in inside.items()]), _struct(inside)
    return pa.string(), _json


def _struct(inside: dict[str, Column]) -> Callable[[Any], Any]:
    def make(held: Any) -> dict[str, Any]:
        return {
            name: None if held.get(name) is None else of_field(held[name]) for name, (_, of_field) in inside.items()
        }

    return make


def _scalar(kind: Kind) -> Column:
    while isinstance(kind, Lenient):
        kind = kind.inner
    if isinstance(kind, Whole):
        return pa.int64(), _whole
    if isinstance(kind, Number):
        return pa.float64(), float
    if isinstance(kind, Truth):
        return pa.bool_(), bool
    if isinstance(kind, Day):
        return pa.date32(), date.fromisoformat
    if isinstance(kind, LocalMoment):
        return pa.timestamp("us"), datetime.fromisoformat
    if isinstance(kind, Moment):
        return pa.timestamp("us", tz="UTC"), _moment
    return pa.string(), _text


def _whole(held: Any) -> int:
    number = int(held)
    if number not in _WHOLE_64:
        raise BrokenOff(f"the whole number {number} does not fit into the 64 bits of a Parquet column: write .ndjson")
    return number


def _moment(held: Any) -> datetime:
    if isinstance(held, int | float):
        return datetime.fromtimestamp(held, UTC)
    return datetime.fromisoformat(held).astimezone(UTC)


def _text(held: Any) -> str:
    return held if isinstance(held, str) else _json(held)


def _json(held: Any) -> str:
    return json.dumps(held, ensure_ascii=False, default=str)
