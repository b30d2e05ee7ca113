"""Whether a table holds all that a gate admits: by reasoning over both, and by writing values to real databases.

Reasoning asks of each column what it would refuse or change, and looks for the smallest value that the gate admits and
that is so. Writing puts sound values and those at the edges into a temporary copy of the table, one at a time, reads
each back, and takes it out again; nothing stays.
"""

from __future__ import annotations

import typing
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from datetime import datetime
from decimal import Decimal
from enum import Enum
from random import Random
from typing import Annotated, Any, Final

from sqlalchemy import (
    CheckConstraint,
    Column,
    ForeignKeyConstraint,
    MetaData,
    PrimaryKeyConstraint,
    Table,
    UniqueConstraint,
    create_engine,
    insert,
    select,
    text,
)
from sqlalchemy import types as sql
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.types import TypeEngine

from ..declare.described import described
from ..declare.errors import DeclarationError
from ..declare.rules import Length, Rule
from ..declare.sources import Source
from ..declare.subjects import it
from ..declare.values import Value
from ..gates.typed import Gate
from ..report.shown_values import shown
from ..sample.payloads import CannotSample
from ..sample.sampling import maker_for, payloads
from ..shape.hints import hints_of
from ..shape.nodes import Link, Record
from .check_constraints import Checks, check_constraints
from .columns import annotation_of
from .records import MappedField, fields_of, mapper_of

_REASONING: Final = "reasoning"
_TRIED: Final = 12
"""So many values are looked at to find the smallest that is refused."""
_OF_FIELD: Final = 40
_LARGE: Final = 10**300


class Disagreement(Value):
    """Something that the gate admits, and the table does not hold.

    `field`  the field, "" for the whole
    `words`  what is the matter: "admits text of any length; the column holds 80"
    `value`  the smallest value that shows it, in words; "" where there is none to show
    `found`  where it was found: "reasoning", or the name of a database
    `sort`   of what sort it is, where a database tells: the name of its error
    """

    field: str
    words: str
    value: str = ""
    found: str = _REASONING
    sort: str = ""


class Agreement:
    """What was found.

    `disagreements`  what the table does not hold, by field
    `unknowable`     what a gate cannot know: columns that are unique, keys of other tables
    `unread`         constraints that were not understood: whether the table holds all that is admitted is open then
    `written`        by database, how many rows were written and came back
    """

    def __init__(self) -> None:
        self.disagreements: list[Disagreement] = []
        self.unknowable: list[str] = []
        self.unread: list[str] = []
        self.written: dict[str, int] = {}

    def add(self, found: Disagreement) -> None:
        """One more; of those of one sort that a database shows for a field, only that of the smallest value is kept."""
        for at, known in enumerate(self.disagreements):
            if found.sort and (known.field, known.found, known.sort) == (found.field, found.found, found.sort):
                if (len(found.value), found.value) < (len(known.value), known.value):
                    self.disagreements[at] = found
                return
        self.disagreements.append(found)

    def __bool__(self) -> bool:
        return not self.disagreements and not self.unread


def agreement(
    gate: Gate[Any],
    model: Any,
    databases: Mapping[str, Engine] | None = None,
    *,
    rows: int = 200,
    seed: int = 0,
    told: Callable[[int], Any] | None = None,
) -> Agreement:
    """Hold a gate of a record against a mapped class: fields and columns of one name belong together.

    `databases`  where rows are written, by name; SQLite in memory by default. Tables are made there under another name
                 and taken away again
    `rows`       how many sound rows are written to each, beside those at the edges of each field
    `told`       is called with 1 for each row

    It is true where no disagreement was found and every constraint was read. Raises DeclarationError for a gate of no
    record, and for what is no mapped class.
    """
    if databases is None:
        own = create_engine("sqlite://")
        try:
            return agreement(gate, model, {"SQLite": own}, rows=rows, seed=seed, told=told)
        finally:
            own.dispose()
    mapper_of(model)
    node = gate.shape.root.bare.node
    if not isinstance(node, Link):
        raise DeclarationError("only a gate of a record can be held against a table", remedy="name a record")
    record = gate.shape.records[node.key]
    made = Agreement()
    pairs = _pairs(record, model, made)
    annotations = _annotations(gate.declared, record)
    values: dict[str, list[Any]] = {}
    holed = any(engine.dialect.name == "postgresql" for engine in databases.values())
    checks = {table: Checks(table) for table in mapper_of(model).tables if isinstance(table, Table)}
    made.unread += [words for table_checks in checks.values() for words in table_checks.unread]
    made.unread += [words for table in checks for words in _other_constraints(table)]
    for attribute, field in pairs.items():
        table_checks = checks.get(field.column.table)
        more = table_checks.by_column.get(field.column.name, []) if table_checks is not None else []
        for words, value in _reasoned(annotations[attribute], field.column, more, holed=holed):
            made.add(Disagreement(attribute, words, shown(value)))
            values.setdefault(attribute, []).append(value)
    for name, engine in databases.items():
        _Writing(gate, annotations, pairs, values, made, name, told).run(engine, rows, seed)
    return made


def _pairs(record: Record, model: Any, made: Agreement) -> dict[str, MappedField]:
    """The columns of a record's fields; what has no counterpart is told."""
    columns = {field.attribute: field for field in fields_of(model)}
    pairs = {field.attribute: columns[field.attribute] for field in record.fields if field.attribute in columns}
    for field in record.fields:
        if field.attribute not in columns:
            made.add(Disagreement(field.attribute, "is admitted, and no column holds it"))
    for name, column in columns.items():
        told = column.column
        has_own = column.made or told.nullable or told.default is not None or told.server_default is not None
        if name not in pairs and not has_own:
            made.add(Disagreement(name, "the column needs a value, and no field brings one"))
    for table in mapper_of(model).tables:
        if isinstance(table, Table):
            unique = [each for each in table.constraints if isinstance(each, UniqueConstraint)]
            named = [", ".join(column.name for column in each.columns) for each in unique]
            named += [", ".join(map(str, each.columns.keys())) for each in table.indexes if each.unique]
            made.unknowable += [f"unique: {each}" for each in sorted(named)]
            made.unknowable += [f"a row of {key.target_fullname}: {key.parent.name}" for key in table.foreign_keys]
    return pairs


def _annotations(declared: Any, record: Record) -> dict[str, Any]:
    """What the fields of a record were declared as. Raises DeclarationError for a variant, which has none itself."""
    told = described(declared)
    if told is not None:
        return {field.attribute: field.annotation for field in told.fields}
    fields = getattr(declared, "fields", None)
    if isinstance(fields, tuple):
        return {field.attribute: field.annotation for field in fields}
    if not isinstance(typing.get_origin(declared) or declared, type):
        raise DeclarationError("a variant has no annotations of its own", remedy="name the record that it is made of")
    return dict(hints_of(typing.get_origin(declared) or declared, {}, "", {}))


# By reasoning


def _reasoned(annotation: Any, column: Column[Any], more: Iterable[Any], *, holed: bool) -> Iterator[tuple[str, Any]]:
    """What a column does not hold of the values of a field: in words, and the smallest of them.

    `holed` tells that the database is one that keeps no U+0000.
    """
    values = _values(annotation, _TRIED)
    given = [value for value in values if value is not None]
    if not column.nullable and column.default is None and _admits(annotation, None):
        yield "admits null; the column is not null", None
    wanted = _holds(column)
    other = next((value for value in given if not _fits(value, wanted)), None)
    if other is not None:
        words = f"gives {_kind(type(other))}; the column takes {_kind(wanted)}"
        yield words, other
        return
    kind = column.type
    length = getattr(kind, "length", None)
    if length is not None and isinstance(kind, sql.String | sql.LargeBinary) and not isinstance(kind, sql.Enum):
        longer = _least(annotation, [it.length == length + 1, it.length > length])
        if longer is not None:
            most = Gate(annotation).schema()
            ceiling = _most_length(most)
            admits = f"up to {ceiling}" if ceiling is not None else "any length"
            yield f"admits text of {admits}; the column holds {length}", longer
    if holed and isinstance(kind, sql.String) and not isinstance(kind, sql.Enum):
        odd = _least(annotation, [it.contains("\0")])
        if odd is not None:
            yield "admits U+0000; PostgreSQL keeps no text with it", odd
    if isinstance(kind, sql.Enum):
        members = set(kind.enum_class) if kind.enum_class is not None else set(kind.enums)
        odd = next(
            (value for value in _values(annotation, _OF_FIELD) if value is not None and value not in members), None
        )
        if odd is not None:
            yield f"admits what is none of {len(members)} members of the column", odd
    if isinstance(kind, sql.DateTime) and not kind.timezone:
        zoned = next((each for each in given if isinstance(each, datetime) and each.tzinfo is not None), None)
        if zoned is not None:
            yield "admits moments with an offset; the column keeps none", zoned
    yield from _outside(annotation, column, more)


def _outside(annotation: Any, column: Column[Any], more: Iterable[Any]) -> Iterator[tuple[str, Any]]:
    """What is outside of the numbers of a column, or refused by its check constraints."""
    own = annotation_of(column, None, [])
    rules = [rule for rule in _rules_of(own) if not isinstance(rule, Length) and isinstance(rule, Rule)]
    for rule in (*rules, *more):
        try:
            judge = Gate(Annotated[(_bare(own), rule)], Source.NATIVE)
        except DeclarationError:
            continue
        refused = [
            value
            for beyond in _beyond(rule)
            for value in _values(annotation, _TRIED, beyond)
            if value is not None and not judge.accepts(value)
        ]
        some = [each for each in _values(annotation, _OF_FIELD) if each is not None]
        some += [each for each in _close(some, rule) if _admits(annotation, each)]
        refused += [each for each in some if not judge.accepts(each)]
        if refused:
            least = min(refused, key=_size)
            yield f"admits {shown(least)}; the column needs {rule}", least


def _beyond(rule: Any) -> Iterator[Any]:
    """Rules that ask for what another refuses."""
    ceiling, floor = getattr(rule, "ceiling", None), getattr(rule, "floor", None)
    on: Any = it.length if isinstance(rule, Length) else it
    if ceiling is not None:
        yield from _next_to(on, ceiling, 1)
        yield on > ceiling
    if floor is not None:
        yield from _next_to(on, floor, -1)
        yield on < floor
        yield on <= floor


def _close(values: Iterable[Any], rule: Any) -> Iterator[Any]:
    """Numbers close to others that are no multiples of the step of a rule."""
    step = getattr(rule, "step", None)
    if step is None:
        return
    for value in values:
        kind = type(value)
        if kind in (Decimal, float):
            yield kind(Decimal(str(step)) / 10)
            yield value + kind(Decimal(str(step)) / 10)
            yield value - kind(Decimal(str(step)) / 10)


def _admits(annotation: Any, value: Any) -> bool:
    """Whether a field admits a typed value."""
    try:
        return Gate(annotation, Source.NATIVE).accepts(value)
    except DeclarationError:
        return False


def _next_to(on: Any, bound: Any, direction: int) -> Iterator[Any]:
    """The rule for the value next to a bound."""
    if isinstance(bound, int):
        yield on == bound + direction
    elif isinstance(bound, Decimal):
        yield on == bound + direction * Decimal(1).scaleb(int(bound.as_tuple().exponent))


def _rules_of(annotation: Any) -> list[Any]:
    found: list[Any] = []
    for each in typing.get_args(annotation) if typing.get_origin(annotation) is not Annotated else [annotation]:
        if typing.get_origin(each) is Annotated:
            found += each.__metadata__
    return found


def _bare(annotation: Any) -> Any:
    for each in typing.get_args(annotation) if typing.get_origin(annotation) is not Annotated else [annotation]:
        if typing.get_origin(each) is Annotated:
            return typing.get_args(each)[0]
        if each is not type(None):
            return each
    return annotation


def _holds(column: Column[Any]) -> Any:
    """The type of the values that a column takes."""
    try:
        found = column.type.python_type
    except NotImplementedError:
        return object
    return object if isinstance(column.type, sql.JSON | sql.ARRAY | sql.TypeDecorator) else found


def _fits(value: Any, wanted: Any) -> bool:
    if wanted in (object, Enum):
        return True
    if wanted in (float, Decimal):
        return isinstance(value, int | float | Decimal) and not isinstance(value, bool)
    if wanted is bool:
        return isinstance(value, bool)
    if wanted is int:
        return isinstance(value, int) and not isinstance(value, bool)
    if wanted is str:
        return isinstance(value, str)
    return isinstance(value, wanted)


def _kind(kind: Any) -> str:
    return str(getattr(kind, "__name__", kind))


def _values(annotation: Any, count: int, *rules: Any) -> list[Any]:
    """Typed values that a field admits, with rules beside its own; none where none can be made."""
    try:
        gate = Gate(Annotated[(annotation, *rules)] if rules else annotation)
        made = []
        for payload in payloads(gate, count):
            verdict = gate.examine(payload)
            if verdict:
                made.append(verdict.value)
        return made
    except (DeclarationError, CannotSample):
        return []


def _least(annotation: Any, asked: Iterable[Any]) -> Any:
    """The smallest value that a field admits, and of which something else holds; None for none."""
    for rule in asked:
        found = [value for value in _values(annotation, _TRIED, rule) if value is not None]
        if found:
            return min(found, key=_size)
    return None


def _size(value: Any) -> tuple[float, str]:
    """What the smallest value has least of: its size as a number, or its length."""
    words = str(value)
    number: Any = abs(value) if isinstance(value, int | float | Decimal) else len(words)
    return float(number) if number < _LARGE else float("inf"), words


def _most_length(document: Mapping[str, Any]) -> int | None:
    found = document.get("maxLength")
    return found if isinstance(found, int) else None


# By writing


class _Writing:
    """Writes values of a gate to a copy of the table in one database."""

    def __init__(
        self,
        gate: Gate[Any],
        annotations: Mapping[str, Any],
        pairs: Mapping[str, MappedField],
        values: Mapping[str, list[Any]],
        made: Agreement,
        name: str,
        told: Callable[[int], Any] | None,
    ) -> None:
        self.gate = gate
        self.annotations = annotations
        self.pairs = pairs
        self.values = values
        self.made = made
        self.name = name
        self.told = told
        self.written = 0
        self._culprits: set[str] = set()

    def run(self, engine: Engine, rows: int, seed: int) -> None:
        """Write sound rows, and then for each field values at its edges in a row that is sound otherwise."""
        sound = self._sound(rows, seed)
        if not sound:
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
                base = sound[0]
                for row in sound:
                    if self._row(connection, row):
                        base = row
                for attribute in self.pairs:
                    for value in (*self.values.get(attribute, ()), *self._at_the_edges(attribute)):
                        self._row(connection, {**base, attribute: value})
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
                    made.append(self._columns(verdict.value))
        return made

    def _columns(self, value: Any) -> dict[str, Any]:
        """The values of a record by attribute, as far as there are columns for them."""
        if isinstance(value, dict):
            return {name: value[name] for name in self.pairs if name in value}
        return {name: getattr(value, name) for name in self.pairs if hasattr(value, name)}

    def _at_the_edges(self, attribute: str) -> list[Any]:
        from ..sample.edges import Edges

        try:
            gate = Gate(self.annotations[attribute])
            edges = Edges(gate.shape, Random(0)).of(gate.shape.root)
        except (DeclarationError, CannotSample):
            return []
        found = []
        for payload in edges:
            verdict = gate.examine(payload)
            if verdict:
                found.append(verdict.value)
        return found

    def _row(self, connection: Connection, row: Mapping[str, Any]) -> bool:
        """Write one row; where it does not come back, find which field it is. Whether it did."""
        self.written += 1
        if self.told is not None:
            self.told(1)
        wrong = self._wrong(connection, row)
        for found in wrong:
            self.made.add(found)
        return not wrong

    def _wrong(self, connection: Connection, row: Mapping[str, Any]) -> list[Disagreement]:
        """What is wrong with a row."""
        error = self._refused(connection, self._table, row)
        if isinstance(error, dict):
            return [
                Disagreement(
                    name,
                    f"{shown(row[name])} comes back from {self.name} as {shown(held)}{_remedy(row[name], held)}",
                    shown(row[name]),
                    self.name,
                    "changed",
                )
                for name, held in error.items()
            ]
        if error is None:
            return []
        found: list[Disagreement] = []
        known = [name for name in row if name in self._culprits]
        for name in (*known, *(name for name in row if name not in known)):
            if found and name not in known:
                break  # what is known to be refused is enough of a reason
            value = row[name]
            alone = self._refused(connection, self._alone[name], {name: value})
            if isinstance(alone, tuple):
                words = f"{self.name} refuses {shown(value)}: {alone[1]}"
                found.append(Disagreement(name, words, shown(value), self.name, alone[0]))
                self._culprits.add(name)
        return found or [Disagreement("", f"{self.name} refuses a row: {error[1]}", "", self.name, error[0])]

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


def _same(sent: Any, came: Any) -> bool:
    """Whether a value came back: of the same kind, and equal."""
    if isinstance(sent, float) and isinstance(came, float | Decimal):
        return float(came) == sent or (sent != sent and came != came)
    if isinstance(sent, int | Decimal) and isinstance(came, int | float | Decimal) and not isinstance(sent, bool):
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


def _other_constraints(table: Table) -> Iterator[str]:
    """Constraints of sorts that nothing here knows, such as those of one database alone."""
    known = (CheckConstraint, UniqueConstraint, PrimaryKeyConstraint, ForeignKeyConstraint)
    for constraint in table.constraints:
        if not isinstance(constraint, known):
            yield f"{type(constraint).__name__} of {', '.join(getattr(constraint, 'columns', {}).keys())}"


__all__ = ["Agreement", "Disagreement", "agreement"]


def _remedy(written: object, held: object) -> str:
    """What to do where a moment came back without its offset."""
    lost = isinstance(written, datetime) and isinstance(held, datetime) and written.tzinfo and not held.tzinfo
    return "; a column of dutiful_gate.storage.Moment keeps it" if lost else ""
