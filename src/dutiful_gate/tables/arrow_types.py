"""The columns of a declaration as Arrow types, and what is put into them of a record that goes out."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any, Final

import pyarrow as pa

from ..declare.errors import DeclarationError
from ..declare.kinds.base import Kind
from ..declare.kinds.decimal import Exact, ExactAsText
from ..declare.kinds.half_typed import HalfTyped
from ..declare.kinds.lenient import Lenient
from ..declare.kinds.moment import Day, LocalMoment, MomentKind
from ..declare.kinds.number import Number, Whole
from ..declare.kinds.truth import Truth
from ..declare.rules import Between, Multiple
from ..declare.steps import RoundedTo
from ..gates.base import AnyGate
from ..gates.typed import Gate
from ..shape.nodes import Choice, Entries, Items, Link, Scalar
from ..shape.shape import Field, Record, Shape
from ..shape.uses import Use
from ..shape.walk import holds_secret

WHOLE_64: Final = range(-(2**63), 2**63)
_MOST_DIGITS: Final = 38


class DoesNotFit(ValueError):
    """An admitted value has no place in the column of its field: its words tell which, and what to do."""


class Column:
    """A column of the records of a declaration.

    `type`  its Arrow type
    `make`  what makes of the plain data that goes out, which is not null, what Arrow takes for it
    `nullable`  whether a record may have nothing there
    `above`  the records around it: one inside of itself has no struct type
    `hides`  whether its values may not be shown
    """

    __slots__ = ("above", "hides", "make", "nullable", "type")

    def __init__(self, type_: pa.DataType, make: Callable[[Any], Any]) -> None:
        self.type = type_
        self.make = make
        self.nullable = True
        self.hides = False
        self.above: frozenset[str] = frozenset()

    def held(self, name: str, plain: Any) -> Any:
        """The same; what it raises names the column, and has nothing that may not be shown."""
        try:
            return self.of(plain)
        except DoesNotFit as error:
            told = "a value has no place in its column" if self.hides else str(error)
        raise DoesNotFit(f"{name}: {told}")

    def of(self, plain: Any) -> Any:
        """What Arrow takes for plain data, null among it. Raises DoesNotFit."""
        return None if plain is None else self.make(plain)


def arrow_schema(gate: AnyGate[Any]) -> pa.Schema:
    """The columns of the records of a gate: numbers, truth, dates, moments, lists, records as such, others as text.

    Decimals whose places are bounded (by `it.multiple_of(Decimal("0.01"))` or `rounded_to(2)`) are `decimal128`,
    others text with every digit. What has no one type (unions, tuples, `Any`, most maps) is its JSON.
    Raises DeclarationError where the gate reads no records that are declared.
    """
    columns = columns_of(gate)
    return pa.schema([pa.field(name, column.type, nullable=column.nullable) for name, column in columns.items()])


def columns_of(gate: AnyGate[Any]) -> dict[str, Column]:
    """The columns of the records of a gate, by their names. Raises DeclarationError where it reads none."""
    record = record_of(gate)
    return {field.wire: field_column(field, gate.shape) for field in (*record.fields, *record.computed)}


def record_of(gate: AnyGate[Any]) -> Record:
    """The record that a gate reads. Raises DeclarationError where it reads none."""
    record = gate.shape.record_of(gate.shape.root.bare) if isinstance(gate, Gate) else None
    if record is None:
        raise DeclarationError(
            "columns are made of records that are declared, and this gate reads none",
            remedy="give a gate of a dataclass, a TypedDict or a NamedTuple",
        )
    return record


def field_column(field: Field, shape: Shape, above: frozenset[str] = frozenset()) -> Column:
    """The column of a field."""
    column = use_column(field.use, shape, above)
    column.above = above
    column.hides = holds_secret(field.use, shape.guarded)
    column.nullable = field.may_lack or field.use.may_be_null or field.default is None
    return column


def use_column(use: Use, shape: Shape, above: frozenset[str] = frozenset()) -> Column:
    """The same of a use; `above` are the records around it."""
    inner = use.bare
    if any(each.making is not None or each.via is not None or each.split for each in (use, inner)):
        return Column(pa.string(), as_json)
    node = inner.node
    if isinstance(node, Scalar):
        return _scalar(node.kind, (*inner.parts, *(use.parts if use is not inner else ())))
    if isinstance(node, Choice) and all(isinstance(each, str) for each in node.wire):
        return Column(pa.string(), as_text)
    if isinstance(node, Items):
        item = use_column(node.item, shape, above)
        return Column(pa.list_(item.type), lambda held: [item.of(each) for each in held])
    if isinstance(node, Entries) and node.key.facts.text:
        value = use_column(node.value, shape, above)
        return Column(
            pa.map_(pa.string(), value.type), lambda held: [(key, value.of(each)) for key, each in held.items()]
        )
    if isinstance(node, Link) and node.key not in above:
        record = shape.records[node.key]
        if holds_all(record):
            inside = {
                each.wire: field_column(each, shape, above | {node.key}) for each in (*record.fields, *record.computed)
            }
            fields = [pa.field(name, column.type) for name, column in inside.items()]
            return Column(pa.struct(fields), _struct(inside))
    return Column(pa.string(), as_json)


def holds_all(record: Record) -> bool:
    """Whether a struct has a place for all that a record may be: what is absent is not null, and a tuple no struct."""
    fields = (*record.fields, *record.computed)
    lacks = record.mends or any(each.may_lack for each in fields)
    return bool(fields) and not (record.rests or lacks or record.form == "tuple")


def _struct(inside: dict[str, Column]) -> Callable[[Any], Any]:
    def make(held: Any) -> dict[str, Any]:
        return {name: column.of(held.get(name)) for name, column in inside.items()}

    return make


def _scalar(kind: Kind, parts: tuple[Any, ...]) -> Column:
    while isinstance(kind, Lenient | HalfTyped):
        kind = kind.inner
    if isinstance(kind, Whole):
        return Column(pa.int64(), _whole)
    if isinstance(kind, Number):
        return Column(pa.float64(), float)
    if isinstance(kind, Truth):
        return Column(pa.bool_(), bool)
    if isinstance(kind, Day):
        return Column(pa.date32(), date.fromisoformat)
    if isinstance(kind, LocalMoment):
        return Column(pa.timestamp("us"), datetime.fromisoformat)
    if isinstance(kind, MomentKind):
        return Column(pa.timestamp("us", tz="UTC"), _moment)
    if isinstance(kind, Exact | ExactAsText) and (bounds := digits_of(parts)) is not None:
        return Column(pa.decimal128(*bounds), _decimal(*bounds))
    return Column(pa.string(), as_text)


def digits_of(parts: tuple[Any, ...]) -> tuple[int, int] | None:
    """How many digits decimals have at most, and how many of them after the point; None where nothing bounds that."""
    places: list[int] = []
    most = 0
    for part in parts:
        if isinstance(part, RoundedTo):
            places.append(max(0, part.digits))
        elif isinstance(part, Multiple):
            step = part.step if isinstance(part.step, Decimal | int) else Decimal(repr(part.step))
            exponent = Decimal(step).normalize().as_tuple().exponent
            places.append(max(0, -exponent) if isinstance(exponent, int) else 0)
        elif isinstance(part, Between) and isinstance(part.floor, Decimal | int):
            most = max(len(str(abs(int(part.floor)))), len(str(abs(int(part.ceiling)))))
    if not places or min(places) > _MOST_DIGITS:
        return None
    scale = min(places)
    return (most + scale if most and most + scale <= _MOST_DIGITS else _MOST_DIGITS), scale


def _decimal(precision: int, scale: int) -> Callable[[Any], Decimal]:
    def make(held: Any) -> Decimal:
        number = held if isinstance(held, Decimal) else Decimal(repr(held) if isinstance(held, float) else held)
        if number.adjusted() >= precision - scale and number:
            raise DoesNotFit(f"the number {number} has more than the {precision} digits of its column")
        return number.quantize(Decimal((0, (1,), -scale))) if number.adjusted() + scale < 28 else number

    return make


def _whole(held: Any) -> int:
    number = int(held)
    if number not in WHOLE_64:
        raise DoesNotFit(f"the whole number {_few(number)} does not fit into the 64 bits of its column")
    return number


def _few(number: int) -> str:
    return str(number) if number.bit_length() < 200 else f"of {number.bit_length()} bits"


def _moment(held: Any) -> datetime:
    if isinstance(held, int | float):
        return datetime.fromtimestamp(held, UTC)
    try:
        return datetime.fromisoformat(held).astimezone(UTC)
    except OverflowError:
        raise DoesNotFit(f"the date-time {held} has no place in a column of date-times in UTC") from None


def as_text(held: Any) -> str:
    """Text as it is, anything else as its JSON."""
    return held if isinstance(held, str) else as_json(held)


def as_json(held: Any) -> str:
    """The JSON of plain data."""
    return json.dumps(held, ensure_ascii=False, default=str)
