"""Whether a table holds all that a gate admits: by reasoning over both, and by writing values to real databases.

Reasoning asks of each column what it would refuse or change, and looks for the smallest value that the gate admits and
that is so. Writing puts sound values and those at the edges into a temporary copy of the table, one at a time, reads
each back, and takes it out again; nothing stays.
"""

from __future__ import annotations

import types
import typing
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from dataclasses import make_dataclass
from datetime import datetime
from decimal import Decimal
from enum import Enum
from functools import partial
from random import Random
from typing import Annotated, Any, Final

from sqlalchemy import (
    CheckConstraint,
    Column,
    ForeignKeyConstraint,
    PrimaryKeyConstraint,
    Table,
    UniqueConstraint,
    create_engine,
)
from sqlalchemy import types as sql
from sqlalchemy.engine import Engine

from ..declare.described import described
from ..declare.errors import DeclarationError
from ..declare.records import obeys
from ..declare.rules import Rule
from ..declare.sources import Source
from ..declare.subjects import it
from ..gates.typed import Gate
from ..sample.cannot_sample import CannotSample
from ..sample.edges import Edges
from ..sample.sampling import maker_for, payloads
from ..shape.hints import hints_of
from ..shape.shape import Record
from ..shape.walk import holds_secret
from .check_constraints import Checks, turned
from .columns import annotation_of
from .disagreements import Agreement, Mismatch
from .own_code import own_code
from .records import MappedField, fields_of, mapper_of
from .trial_rows import Writing, columns_of, edge_values

_TRIED: Final = 12
"""So many values are looked at to find the smallest that is refused."""
_OF_FIELD: Final = 40
_LARGE: Final = 10**300


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
    record = gate.shape.record_of(gate.shape.root.bare)
    if record is None:
        raise DeclarationError("only a gate of a record can be held against a table", remedy="name a record")
    secrets = frozenset(field.attribute for field in record.fields if holds_secret(field.use, gate.shape.guarded))
    made = Agreement(secrets)
    pairs = _pairs(record, model, made)
    annotations = _annotations(gate.declared, record)
    values: dict[str, list[Any]] = {}
    holed = any(engine.dialect.name == "postgresql" for engine in databases.values())
    attributes = {field.column.name: name for name, field in pairs.items()}
    checks = {table: Checks(table, attributes) for table in mapper_of(model).tables if isinstance(table, Table)}
    made.unread += [words for table_checks in checks.values() for words in table_checks.unread]
    made.unread += [words for table in checks for words in _other_constraints(table)]
    made.unread += own_code(model, pairs, made=record.builder is model)
    for attribute, field in pairs.items():
        table_checks = checks.get(field.column.table)
        more = table_checks.by_column.get(field.column.name, []) if table_checks is not None else []
        tell = partial(made.shown, attribute)
        for words, value in _reasoned(annotations[attribute], field.column, more, made.unread, tell, holed=holed):
            made.add(Mismatch(attribute, words, tell(value)))
            values.setdefault(attribute, []).append(value)
    together = [each for table_checks in checks.values() for each in table_checks.together]
    if together:
        _hold_together(gate, record, annotations, together, made, seed)
    writings = [Writing(gate, model, annotations, pairs, values, made, name, told) for name in databases]
    for writing, engine in zip(writings, databases.values(), strict=True):
        writing.run(engine, rows, seed)
    lacking = [writing.lacking for writing in writings]
    for name in pairs if lacking else ():
        if all(name in each for each in lacking):
            made.unread.append(
                f"{name}: {'; '.join(dict.fromkeys(each[name] for each in lacking))}: it was not written"
            )
    return made


def _pairs(record: Record, model: Any, made: Agreement) -> dict[str, MappedField]:
    """The columns of a record's fields; what has no counterpart is told."""
    columns = {field.attribute: field for field in fields_of(model)}
    pairs = {field.attribute: columns[field.attribute] for field in record.fields if field.attribute in columns}
    others = mapper_of(model).all_orm_descriptors.keys()
    for field in record.fields:
        name = field.attribute
        if name not in columns and name in others:
            made.unread.append(
                f"{name}: it is no column, but code or a query of the class: what it keeps was not tried"
            )
        elif name not in columns:
            made.add(Mismatch(name, "is admitted, and no column holds it"))
        elif (column := pairs[name].column).computed is not None or (column.identity and column.identity.always):
            made.add(Mismatch(name, "is admitted, and the database makes the values of the column: it refuses others"))
            del pairs[name]
    for name, mapped in columns.items():
        told = mapped.column
        has_own = mapped.made or told.nullable or told.default is not None or told.server_default is not None
        if name not in pairs and not has_own:
            made.add(Mismatch(name, "the column needs a value, and no field brings one"))
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


def _reasoned(
    annotation: Any,
    column: Column[Any],
    more: Iterable[Any],
    unread: list[str],
    tell: Callable[[object], str],
    *,
    holed: bool,
) -> Iterator[tuple[str, Any]]:
    """What a column does not hold of the values of a field: in words, and the smallest of them.

    `tell` shows a value, as far as it may be seen; `holed` tells that the database is one that keeps no U+0000. What
    cannot be judged goes to `unread`.
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
    if isinstance(kind, sql.ARRAY):
        yield from _of_items(annotation, column, unread, tell, holed=holed)
    else:
        yield from _outside(annotation, column, more, unread, tell)


def _of_items(
    annotation: Any, column: Column[Any], unread: list[str], tell: Callable[[object], str], *, holed: bool
) -> Iterator[tuple[str, Any]]:
    """What a column of lists does not hold of the items of a field."""
    whole = _bare(annotation)
    items = [each for each in typing.get_args(whole) if each is not Ellipsis]
    kind: Any = column.type
    if len(items) != 1:
        unread.append(f"{column.name}: its items were tried, not read")
        return
    inner = Column(column.name, kind.item_type, nullable=True)
    nested = typing.get_origin(_bare(items[0])) in (list, tuple, set, frozenset)
    for words, value in _reasoned(items[0], inner, (), unread, tell, holed=holed) if not nested else ():
        yield f"its items: {words}", [value]


def _outside(
    annotation: Any, column: Column[Any], more: Iterable[Any], unread: list[str], tell: Callable[[object], str]
) -> Iterator[tuple[str, Any]]:
    """What is outside of the numbers of a column, or refused by its check constraints."""
    try:
        own = annotation_of(column, None, [])
    except DeclarationError:  # a type of somebody's own, which says nothing of its values
        own = annotation
    rules = [rule for rule in _rules_of(own) if isinstance(rule, Rule) and not rule.measures_size]
    at_the_edges = edge_values(annotation)
    for rule in (*(rules if own is not annotation else ()), *more):
        try:
            judge = Gate(Annotated[(_bare(own), rule)], Source.NATIVE)
        except DeclarationError:
            unread.append(f"{column.name}: {rule}")
            continue
        refused = [
            value
            for beyond in _beyond(rule)
            for value in _values(annotation, _TRIED, beyond)
            if value is not None and not judge.accepts(value)
        ]
        some = [each for each in _values(annotation, _OF_FIELD) if each is not None]
        near = [*_close(some, rule), *rule.edges(judge.shape.root.facts)]
        some += [*at_the_edges, *(each for each in near if _admits(annotation, each))]
        refused += [each for each in some if not judge.accepts(each)]
        if refused:
            least = min(refused, key=_size)
            yield f"admits {tell(least)}; the column needs {rule}", least


def _hold_together(
    gate: Gate[Any],
    record: Record,
    annotations: Mapping[str, Any],
    together: Iterable[tuple[Any, frozenset[str]]],
    made: Agreement,
    seed: int,
) -> None:
    """Hold what a gate admits against checks of several columns; one that is not shown to be broken is unread, unless
    the gate asks for the same."""
    asked = {str(rule) for rule in record.rules} | {turned(rule) for rule in record.rules}
    rows = [dict(columns_of(value, annotations)) for value in _admitted(gate, seed)]
    for rule, names in together:
        if str(rule) in asked:
            continue
        broken = None
        if names <= set(annotations):
            fields = [(name, annotations[name]) for name in sorted(names)]
            with suppress(DeclarationError, TypeError):
                judge: Gate[Any] = Gate(obeys(rule)(make_dataclass("Row", fields)), Source.NATIVE)
                given = ({name: row[name] for name in names} for row in rows if names <= set(row))
                broken = next((row for row in given if not judge.accepts(row)), None)
        if broken is None:
            made.unread.append(f"{rule}: the gate does not ask for it, and no value was found that it refuses")
        else:
            told = ", ".join(f"{name} {made.shown(name, broken[name])}" for name in sorted(broken))
            made.add(Mismatch("", f"admits {told}; the table needs {rule}", told))


def _admitted(gate: Gate[Any], seed: int) -> list[Any]:
    """Values that a gate admits: sound ones, those with the value of one field in another, and those at the edges."""
    random = Random(seed)
    makes, edges = maker_for(gate, random), Edges(gate.shape, random)
    tried: list[Any] = []
    with suppress(CannotSample):
        for _ in range(_OF_FIELD):
            sound = makes.make()
            tried += [sound, *({**sound, key: sound[other]} for key in sound for other in sound)]
            tried += [edges.spoiled(gate.shape.root, sound) for _ in range(_TRIED)]
    return [verdict.value for each in tried if (verdict := gate.examine(each))]


def _beyond(rule: Any) -> Iterator[Any]:
    """Rules that ask for what another refuses."""
    ceiling, floor = getattr(rule, "ceiling", None), getattr(rule, "floor", None)
    on: Any = it.length if rule.measures_size else it
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


def _options(annotation: Any) -> list[Any]:
    """What a value may be besides null."""
    if typing.get_origin(annotation) in (typing.Union, types.UnionType):
        return [each for each in typing.get_args(annotation) if each is not type(None)]
    return [annotation]


def _rules_of(annotation: Any) -> list[Any]:
    parted = (each for each in _options(annotation) if typing.get_origin(each) is Annotated)
    return [part for each in parted for part in each.__metadata__]


def _bare(annotation: Any) -> Any:
    """The type alone, without null and without rules."""
    (first, *_) = _options(annotation)
    return _bare(typing.get_args(first)[0]) if typing.get_origin(first) is Annotated else first


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


def _other_constraints(table: Table) -> Iterator[str]:
    """Constraints of sorts that nothing here knows, such as those of one database alone."""
    known = (CheckConstraint, UniqueConstraint, PrimaryKeyConstraint, ForeignKeyConstraint)
    for constraint in table.constraints:
        if not isinstance(constraint, known):
            yield f"{type(constraint).__name__} of {', '.join(getattr(constraint, 'columns', {}).keys())}"


__all__ = ["Agreement", "Mismatch", "agreement"]
