"""Rows of a gate's values, written to a temporary copy of a table in one database, and read back."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from datetime import datetime
from decimal import Decimal
from random import Random
from typing import Any

from sqlalchemy import CheckConstraint, Column, MetaData, Table, insert, select, text
from sqlalchemy import types as sql
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.types import TypeEngine

from ..declare.errors import DeclarationError
from ..declare.sources import Source
from ..gates.typed import Gate
from ..sample.cannot_sample import CannotSample
from ..sample.edges import Edges
from ..sample.sampling import maker_for
from .check_constraints import check_constraints
from .disagreements import Agreement, Mismatch
from .own_code import by_its_class
from .records import MappedField


class Writing:
    """Writes values of a gate to a copy of the table in one database."""

    def __init__(
        self,
        gate: Gate[Any],
        model: Any,
        annotations: Mapping[str, Any],
        pairs: Mapping[str, MappedField],
        values: Mapping[str, list[Any]],
        made: Agreement,
        name: str,
        told: Callable[[int], Any] | None,
    ) -> None:
        self.gate = gate
        self.model = model
        record = gate.shape.record_of(gate.shape.root.bare)
        self._is_made = record is not None and record.builder is model
        self.annotations = annotations
        self.pairs = pairs
        self.values = values
        self.made = made
        self.name = name
        self.told = told
        self.written = 0
        self.lacking: dict[str, str] = {}
        """The fields whose columns the database cannot have, and why."""
        self._culprits: set[str] = set()

    def run(self, engine: Engine, rows: int, seed: int) -> None:
        """Write sound rows, and then for each field values at its edges in a row that is sound otherwise."""
        sound = self._sound(rows, seed)
        if not sound:
            self.made.unread.append(f"{self.name}: no sound row could be made, so nothing was written")
            return
        for name, field in self.pairs.items():
            try:
                field.column.type.compile(dialect=engine.dialect)
            except SQLAlchemyError:
                self.lacking[name] = f"{self.name} has no columns of {type(field.column.type).__name__}"
        self.pairs = {name: field for name, field in self.pairs.items() if name not in self.lacking}
        sound = [{name: held for name, held in row.items() if name in self.pairs} for row in sound]
        if not self.pairs:
            return
        metadata = MetaData()
        self._table = _copy(self.pairs, metadata, "")
        # A table of each column alone tells which of them a row is refused for.
        self._alone = {
            name: _copy({name: field}, metadata, f"_{at}") for at, (name, field) in enumerate(self.pairs.items())
        }
        with engine.connect() as connection:
            try:
                metadata.create_all(connection)
            except SQLAlchemyError as error:
                words = str(getattr(error, "orig", error)).splitlines()[0]
                self.made.unread.append(f"{self.name}: a copy of the table cannot be made there: {words}")
                return  # what was begun ends with the connection
            try:
                base = sound[0]
                for row in sound:
                    if self._row(connection, row):
                        base = row
                is_admitted = _judge_of_rows(self.gate)
                for attribute in self.pairs:
                    for value in (*self.values.get(attribute, ()), *edge_values(self.annotations[attribute])):
                        row = {**base, attribute: value}
                        if is_admitted(row):
                            self._row(connection, row)
            finally:
                connection.rollback()
        self.made.written[self.name] = self.written

    def _sound(self, rows: int, seed: int) -> list[dict[str, Any]]:
        made = []
        with suppress(CannotSample):
            makes = maker_for(self.gate, Random(seed))
            for _ in range(rows):
                verdict = self.gate.examine(makes.make())
                if verdict:
                    made.append(dict(columns_of(verdict.value, self.pairs)))
        return made

    def _row(self, connection: Connection, row: Mapping[str, Any]) -> bool:
        """Write one row; where it does not come back, find which field it is. Whether it did."""
        self.written += 1
        if self.told is not None:
            self.told(1)
        for name, words, sort in by_its_class(self.model, row, self.made) if not self._is_made else ():
            value = self.made.shown(name, row.get(name)) if name else ""
            self.made.add(Mismatch(name, words, value, "the class", sort))
        wrong = self._wrong(connection, row)
        for found in wrong:
            self.made.add(found)
        return not wrong

    def _wrong(self, connection: Connection, row: Mapping[str, Any]) -> list[Mismatch]:
        """What is wrong with a row."""
        error = self._refused(connection, self._table, row)
        if isinstance(error, dict):
            return [
                Mismatch(
                    name,
                    f"{self.made.shown(name, row[name])} comes back from {self.name} as {self.made.shown(name, held)}"
                    f"{_remedy(row[name], held)}",
                    self.made.shown(name, row[name]),
                    self.name,
                    "changed",
                )
                for name, held in error.items()
            ]
        if error is None:
            return []
        found: list[Mismatch] = []
        known = [name for name in row if name in self._culprits]
        for name in (*known, *(name for name in row if name not in known)):
            if found and name not in known:
                break  # what is known to be refused is enough of a reason
            value = row[name]
            alone = self._refused(connection, self._alone[name], {name: value})
            if isinstance(alone, tuple):
                told = self.made.shown(name, value)
                words = f"{self.name} refuses {told}: {self.made.told(name, alone[1])}"
                found.append(Mismatch(name, words, told, self.name, alone[0]))
                self._culprits.add(name)
        return found or [
            Mismatch("", f"{self.name} refuses a row: {self.made.told('', error[1])}", "", self.name, error[0])
        ]

    def _refused(
        self, connection: Connection, table: Table, row: Mapping[str, Any]
    ) -> tuple[str, str] | dict[str, Any] | None:
        """Why a row is refused (the error's name, its words), which values come back changed, or None for neither."""
        columns = {name: self.pairs[name].column.name for name in row}
        savepoint = connection.begin_nested()
        try:
            connection.execute(insert(table).values({columns[name]: value for name, value in row.items()}))
            back = connection.execute(select(*(table.c[column] for column in columns.values()))).one()
        except Exception as error:  # what a database or its driver says of a value
            told = getattr(error, "orig", None) or error
            return type(told).__name__, (str(told).splitlines() or [""])[0][:160]
        finally:
            savepoint.rollback()
        changed = {name: held for name, held in zip(columns, back, strict=True) if not _same(row[name], held)}
        return changed or None


def _judge_of_rows(gate: Gate[Any]) -> Callable[[Mapping[str, Any]], bool]:
    """What tells whether a gate with rules between fields admits a row of typed values, by attribute."""
    record = gate.shape.sure_record(gate.shape.root)
    if not (record.rules or record.checks):
        return lambda row: True
    try:
        native: Gate[Any] = Gate(gate.declared, Source.NATIVE, limits=gate.limits)
    except DeclarationError:
        return lambda row: True
    wires = {field.attribute: field.wire for field in native.shape.sure_record(native.shape.root).fields}
    return lambda row: native.accepts({wires.get(name, name): value for name, value in row.items()})


def _same(sent: Any, came: Any) -> bool:
    """Whether a value came back: of the same kind, and equal."""
    if isinstance(sent, float) and isinstance(came, float | Decimal):
        return float(came) == sent or (sent != sent and came != came)
    numbers = isinstance(sent, int | Decimal) and isinstance(came, int | float | Decimal)
    if numbers and not isinstance(sent, bool) and not isinstance(came, bool):
        return Decimal(str(came)) == Decimal(str(sent))
    return type(sent) is type(came) and bool(sent == came)


def _copy(pairs: Mapping[str, MappedField], metadata: MetaData, more: str) -> Table:
    """A temporary table of some columns, without keys of others, with the check constraints on these columns alone."""
    tables: dict[str, Any] = {field.column.table.name: field.column.table for field in pairs.values()}
    columns = [
        Column(each.column.name, _type(each.column.type), nullable=each.column.nullable) for each in pairs.values()
    ]
    name = f"agreement_of_{'_'.join(sorted(tables))}"[:50] + more
    copied = Table(name, metadata, *columns, prefixes=["TEMPORARY"])
    known = {column.name for column in columns}
    for table in tables.values():
        for words in check_constraints(table):
            if {column.name for column in table.columns if column.name in words} <= known:
                copied.append_constraint(CheckConstraint(text(words)))
    return copied


def _type(kind: TypeEngine[Any]) -> TypeEngine[Any]:
    """A column type for a copy: a type that databases know by a name has another one there."""
    if not isinstance(kind, sql.Enum):
        return kind
    made: Any = kind.copy()  # type: ignore[no-untyped-call]
    made.name = f"agreement_of_{made.name}"[:60]
    return made  # type: ignore[no-any-return]


def _remedy(written: object, held: object) -> str:
    """What to do where a moment came back without its offset."""
    lost = isinstance(written, datetime) and isinstance(held, datetime) and written.tzinfo and not held.tzinfo
    return "; a column of dutiful_gate.storage.Moment keeps it" if lost else ""


def edge_values(annotation: Any) -> list[Any]:
    """What a field admits of the values at the edges of its rules."""
    try:
        gate = Gate(annotation)
        edges = Edges(gate.shape, Random(0)).of(gate.shape.root)
    except (DeclarationError, CannotSample):
        return []
    verdicts = (gate.examine(payload) for payload in edges)
    return [verdict.value for verdict in verdicts if verdict and verdict.value is not None]


def columns_of(value: Any, names: Iterable[str]) -> Iterator[tuple[str, Any]]:
    """The values of a record by attribute, of those that it has."""
    for name in names:
        if isinstance(value, dict):
            if name in value:
                yield name, value[name]
        elif hasattr(value, name):
            yield name, getattr(value, name)
