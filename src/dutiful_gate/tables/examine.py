"""Whole tables against a declaration: by column where that settles it, row by row where it does not."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from itertools import islice
from typing import Any, Final

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..declare.kinds import AnyNumber
from ..declare.sources import Source
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.reading import gate_reading
from ..gates.typed import Gate
from ..read.unreadable import CannotStart
from ..report.digest import Digest
from ..report.fault import pointer
from ..report.verdict import Verdict
from ..shape.shape import Record
from .arrow_types import Column, DoesNotFit, as_json, columns_of, record_of, use_column
from .cells import Cells
from .column_names import nested_names, wire_names
from .frames import PandasTable, Piece, Table, table_of
from .usual_arrays import usual
from .vector_columns import Columns, RecordJudge
from .vector_records import record_judge
from .verdicts import Batch, Faults, RefusedRow, TableVerdict

PIECE: Final = 65_536
"""So many rows are looked at together: what that takes beside the table stays small."""


def examine_table(
    gate: AnyGate[Any], table: Any, *, first: int = 1, told: Callable[[int, int], Any] | None = None
) -> TableVerdict:
    """Examine all rows of a table: the same verdicts as of one record after the other, by column where that settles it.

    `gate`   a gate of a record, or of a document. One for `Source.TEXT` reads text in cells as that of CSV is read
    `table`  a DataFrame of pandas or Polars, an Arrow table or record batch
    `first`  the number of its first row in the digest, where it is a part of a larger table
    `told`   is called, now and then, with how many rows are done, of how many

    Columns are named as in the data, as the attributes are, or `berth.number` for a field inside. Nothing in a cell is
    null where the field may be null; else the field is absent: its default stands in, or it lacks a value. What NumPy
    holds in a DataFrame has NaN for nothing, unless the field takes NaN.

    Raises CannotStart for a table that cannot be read, and what functions of one's own raise.
    """
    reader = TableReader(gate)
    held = table_of(table, reader.nan_is_value)
    batches = []
    done = 0
    for batch in reader.examined(held.pieces(PIECE), held.names, first):
        batches.append(batch)
        done += batch.rows
        if told is not None:
            told(done, held.rows)
    return TableVerdict(held, reader.schema(held.names), batches, reader.dtypes(held))


class TableReader:
    """What examines pieces of tables by one gate.

    `source` is the name that digests give the table; of `listing` faults, the refusals they are in are kept whole.
    `unplaced`: it is a part of a table, and it is not known with which number its rows begin.
    """

    def __init__(self, gate: AnyGate[Any], *, source: str = "", listing: int = 0, unplaced: bool = False) -> None:
        self.gate = gate
        self._unplaced = unplaced
        self._source = source
        self._left = listing
        self._reading = gate_reading(gate, Source.NATIVE if gate.reads is Source.NATIVE else Source.MIXED)
        if isinstance(gate, DocumentGate):
            self._reading = gate
        self._typed = gate if isinstance(gate, Gate) else None
        self._record: Record | None = record_of(gate) if self._typed is not None else None
        self._cells = Cells(gate.shape, from_text=gate.reads is Source.TEXT, plain=self._typed is None)
        self._columns = Columns(self._typed, self._cells, record_judge) if self._typed is not None else None
        self._judges: dict[tuple[Any, ...], RecordJudge | None] = {}
        self._declared: dict[str, Column] = {} if self._record is None else columns_of(gate)

    @property
    def nan_is_value(self) -> frozenset[str]:
        """The columns in which NaN is a number."""
        if self._record is None:
            return frozenset()
        taking = [field for field in self._record.fields if isinstance(field.use.kind, AnyNumber)]
        return frozenset(name for field in taking for name in (field.wire, field.attribute, *field.also))

    def schema(self, names: list[str]) -> pa.Schema | None:
        """The columns of admitted rows; None where they stay as they came."""
        if self._record is None:
            return None
        places = self._places(names).items()
        return pa.schema([pa.field(name, column.type, nullable=column.nullable) for name, column in places])

    def dtypes(self, table: Table) -> Mapping[str, Any]:
        """The types that columns of admitted rows have in pandas, where that is what came."""
        from .column_types import pandas_dtypes

        return pandas_dtypes(self.gate) if self._record is not None and isinstance(table, PandasTable) else {}

    def _places(self, names: list[str]) -> dict[str, Column]:
        """The columns that admitted rows have: those declared, and of rows that gather others these too."""
        record = self._record
        assert record is not None
        made = dict(self._declared)
        if record.rests:
            known = {name for field in record.fields for name in (field.wire, *field.also)}
            values = [field.use.bare.node.value for field in record.rests if hasattr(field.use.bare.node, "value")]
            column = use_column(values[0], self.gate.shape) if len(values) == 1 else Column(pa.string(), as_json)
            wires = wire_names(record, names)
            made |= {name: column for name in names if wires.get(name, name) not in known}
        return made

    def examined(self, pieces: Iterator[tuple[int, Piece]], names: list[str], first: int) -> Iterator[Batch]:
        """What became of pieces of a table, one after the other."""
        done = 0
        for count, piece in pieces:
            yield self._examined(self._nested(piece, count), count, names, done, first)
            done += count

    # Names

    def _nested(self, piece: Piece, count: int) -> Piece:
        """The piece in usual types, with columns such as `berth.number` as fields of one that is a record."""
        piece = {name: usual(array) if isinstance(array, pa.Array) else array for name, array in piece.items()}
        return piece if self._record is None else self._gathered(piece, self._record, count)

    def _gathered(self, piece: Piece, record: Record, count: int) -> Piece:
        found = nested_names(record, list(piece), self.gate.shape)
        if not found:
            return piece
        moved = {column: holder for holder, inside in found.items() for column in inside.values()}
        by_wire = {field.wire: field for field in record.fields}
        made: Piece = {}
        for name, array in piece.items():
            holder = moved.get(name)
            if holder is None:
                made[name] = array
            elif holder not in made:
                field = by_wire[holder]
                inside = {further: piece[column] for further, column in found[holder].items()}
                inside = self._gathered(inside, self.gate.shape.sure_record(field.use), count)
                made[holder] = _struct(inside, count, may_be_nothing=field.use.nullable or not field.required)
        return made

    # Rows

    def _examined(self, piece: Piece, count: int, names: list[str], begin: int, first: int) -> Batch:
        values, sure = self._by_column(piece, count)
        doubtful = np.flatnonzero(~sure) if sure is not None else np.empty(0, np.int64)
        batch = self._batch(count, np.ones(count, bool) if sure is None else sure)
        if len(doubtful):
            self._row_by_row(piece, doubtful, names, begin, first, batch, values)
        elif values is not None:
            batch.values = values
        batch.digest.admitted = int(batch.admitted.sum())
        batch.dropped |= self._dropped(piece)
        return batch

    def _by_column(self, piece: Piece, count: int) -> tuple[dict[str, pa.Array] | None, Any]:
        """The columns in their declared types, and where rows are surely sound; None for the first: nowhere."""
        if self._columns is None or self._record is None or self._reading.reads is Source.NATIVE:
            return None, np.zeros(count, bool)
        if self._reading.asks_elsewhere:  # row by row, a window at a time: its checks are asked once for many
            return None, np.zeros(count, bool)
        types = {name: array.type if isinstance(array, pa.Array) else None for name, array in piece.items()}
        mark = tuple(types.items())
        if mark not in self._judges:
            self._judges[mark] = record_judge(self._columns, self._record, types)
        judge = self._judges[mark]
        if judge is None:
            return None, np.zeros(count, bool)
        values, sure = judge(piece, count)
        if sure is None:
            return values, None
        known = pc.fill_null(sure, False).to_numpy(zero_copy_only=False)
        return values, None if known.all() else known.copy()

    def _row_by_row(
        self,
        piece: Piece,
        doubtful: Any,
        names: list[str],
        begin: int,
        first: int,
        batch: Batch,
        values: Mapping[str, Any] | None,
    ) -> None:
        """Look at some rows one by one, and put what is admitted of them beside the columns of the others.

        `begin` is the row that the piece begins with, from 0; `first` the number of the first row of the table.
        """
        wires = wire_names(self._record, list(piece)) if self._record is not None else {}
        came_as = {wire: name for name, wire in wires.items()}
        chosen = piece if len(doubtful) == batch.rows else {name: _at(piece[name], doubtful) for name in piece}
        places = self._places(names) if self._record is not None else {}
        rows = zip(doubtful.tolist(), self._each(chosen, len(doubtful)), strict=True)
        found, made = self._taken(rows, batch, begin, first, came_as, places)
        if self._record is not None:
            batch.values = _put_together(values, doubtful, found, made, places, batch.rows)

    def _taken(
        self,
        rows: Iterable[tuple[int, Verdict[Any]]],
        batch: Batch,
        begin: int,
        first: int,
        came_as: Mapping[str, str],
        places: Mapping[str, Column],
    ) -> tuple[list[int], list[dict[str, Any] | DoesNotFit]]:
        """Take in verdicts of rows of a batch; gives the admitted rows, with what stands in their columns."""
        found: list[int] = []
        made: list[dict[str, Any] | DoesNotFit] = []
        faults = Faults()
        for at, verdict in rows:
            row = begin + at
            if not verdict:
                refusal = RefusedRow(first + row, verdict)
                batch.digest.add(refusal, self._source)
                if self._left > 0:
                    batch.listed.append(refusal)
                    self._left -= len(verdict.faults)
                for fault in verdict.faults:
                    faults.add(row, fault, came_as)
            else:
                batch.admitted[at] = True
                if self._record is not None:
                    found.append(at)
                    made.append(self._plain(verdict.value, places, row))
            if verdict.fallbacks:
                batch.fallbacks += [(row, fault) for fault in verdict.fallbacks]
            batch.dropped.update(map(pointer_of_key, verdict.dropped))
            batch.unjudged += len(verdict.unjudged)
        if batch.digest.refused:
            batch.faults = faults.batch()
        return found, made

    def of_records(self, records: Iterable[Any]) -> Iterator[Batch]:
        """What became of records that are no table yet: plain data, or the JSON of it."""
        if self._record is not None and self._record.rests:
            raise CannotStart(f"{self._record.name} gathers keys that nobody declared, and columns would lose them")
        places = self._places([]) if self._record is not None else {}
        begin = 0
        for several in _in_pieces(records, PIECE // 8):
            batch = self._batch(len(several), np.zeros(len(several), bool))
            verdicts = self.gate._window(partial(self._of_each, several))
            found, made = self._taken(enumerate(verdicts), batch, begin, 1, {}, places)
            if self._record is not None:
                batch.values = _put_together(None, np.array(found), found, made, places, batch.rows)
            batch.digest.admitted = int(batch.admitted.sum())
            begin += len(several)
            yield batch

    def _of_each(self, records: list[Any]) -> list[Verdict[Any]]:
        gate = self.gate
        return [gate.examine_json(each) if isinstance(each, str | bytes) else gate.examine(each) for each in records]

    def _batch(self, rows: int, admitted: Any) -> Batch:
        return Batch(rows, admitted, Digest(unplaced=self._unplaced))

    def _each(self, piece: Piece, count: int) -> Iterator[Verdict[Any]]:
        wires = wire_names(self._record, list(piece)) if self._record is not None else {}
        columns = {wires.get(name, name): array for name, array in piece.items()}
        rows = self._cells.rows(columns, self._record, count)
        return self._reading.examine_each(rows) if self._reading.asks_elsewhere else map(self._reading.examine, rows)

    def verdicts(self, piece: Piece, count: int) -> Iterator[Verdict[Any]]:
        """The verdicts of all rows of a piece, looked at one by one."""
        return self._each(self._nested(piece, count), count)

    def _plain(self, value: Any, places: Mapping[str, Column], row: int) -> dict[str, Any] | DoesNotFit:
        assert isinstance(self._reading, Gate)
        plain = self._reading._engine.release_admitted(value, secrets=True)
        try:
            return {name: column.held(name, plain.get(name)) for name, column in places.items()}
        except DoesNotFit as error:
            return DoesNotFit(f"row {row}, {error}")

    def _dropped(self, piece: Piece) -> set[str]:
        record = self._record
        if record is None or record.rests:
            return set()
        known = {name for field in record.fields for name in (field.wire, *field.also)}
        wires = wire_names(record, list(piece))
        return {name for name in piece if wires.get(name, name) not in known}


def pointer_of_key(path: tuple[Any, ...]) -> str:
    """A key that was left out, as it is told: a column by its name, what is inside of one by its pointer."""
    return str(path[0]) if len(path) == 1 else pointer(path)


def _put_together(
    values: Mapping[str, Any] | None,
    doubtful: Any,
    found: list[int],
    made: list[Any],
    places: Mapping[str, Column],
    rows: int,
) -> dict[str, pa.Array] | DoesNotFit:
    """The columns of admitted rows: those settled by column, and those looked at one by one, in their order."""
    lost = next((each for each in made if isinstance(each, DoesNotFit)), None)
    if lost is not None:
        return lost
    extra = {name: pa.array([each[name] for each in made], column.type) for name, column in places.items()}
    if values is None:
        return extra
    settled = np.ones(rows, bool)
    settled[doubtful] = False
    kept = {name: values[name].filter(pa.array(settled)) for name in places}
    if not found:
        return kept
    numbers = np.concatenate([np.flatnonzero(settled), np.array(found, np.int64)])
    order = pa.array(np.argsort(numbers, kind="stable"))
    return {name: pa.concat_arrays([kept[name], extra[name]]).take(order) for name in places}


def _in_pieces(records: Iterable[Any], size: int) -> Iterator[list[Any]]:
    iterator = iter(records)
    while several := list(islice(iterator, size)):
        yield several


def _at(array: Any, rows: Any) -> Any:
    return array.take(pa.array(rows)) if isinstance(array, pa.Array) else [array[row] for row in rows]


def _struct(inside: Piece, count: int, *, may_be_nothing: bool) -> pa.Array:
    """Columns as one of records; where all of them have nothing, and nothing may stand there, nothing does."""
    arrays = [array if isinstance(array, pa.Array) else _objects(name, array) for name, array in inside.items()]
    mask = None
    if may_be_nothing and arrays:
        nothing = arrays[0].is_null()
        for array in arrays[1:]:
            nothing = pc.and_(nothing, array.is_null())
        mask = nothing if pc.any(nothing).as_py() else None
    return pa.StructArray.from_arrays(arrays, names=list(inside), mask=mask)


def _objects(name: str, values: list[Any]) -> pa.Array:
    try:
        return pa.array(values, from_pandas=True)
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError, OverflowError, UnicodeError):
        raise CannotStart(
            f"the column {name!r} holds objects of several kinds, and stands for a field inside: give it one type"
        ) from None
