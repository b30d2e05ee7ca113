"""Columns to annotations: the Python type of a column, with the rules that its SQL type makes."""

from __future__ import annotations

import types
import typing
from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from enum import Enum
from typing import Annotated, Any, Final, Literal, Union

from sqlalchemy import Column
from sqlalchemy import types as sql
from sqlalchemy.types import TypeDecorator, TypeEngine

from ..declare.errors import DeclarationError
from ..declare.marks import without_offset
from ..declare.subjects import it

_BITS: Final[tuple[tuple[type, int], ...]] = ((sql.SmallInteger, 16), (sql.BigInteger, 64), (sql.Integer, 32))
"""How large whole numbers are in their columns: the standard leaves it to the database, and PostgreSQL says this."""


def annotation_of(column: Column[Any], written: Any = None, more: Sequence[Any] = ()) -> Any:
    """The annotation of a column's values: what its owner wrote (`Mapped[...]`, without the `Mapped`), or else the type
    that its SQL type has in Python; with the rules of the SQL type, and `more` beside it; null where it may be null.

    Raises DeclarationError for a column whose values have no type in Python.
    """
    base, beside = _apart(written) if written is not None else (None, [])
    if base is None:
        base = _python_type(column)
    chosen, rules = _by_type(column.type, base)
    parts = [*beside, *(rule for rule in rules if rule not in beside), *more]
    whole = Annotated[(chosen, *parts)] if parts else chosen
    return Union[whole, None] if column.nullable else whole  # noqa: UP007 - it may be a description


def _apart(written: Any) -> tuple[Any, list[Any]]:
    """A written annotation as its type, without null, and what stands beside it."""
    beside: list[Any] = []
    while True:
        origin = typing.get_origin(written)
        if origin is Annotated:
            written, *parts = typing.get_args(written)
            beside = [*parts, *beside]
        elif origin in (Union, types.UnionType):
            options = [each for each in typing.get_args(written) if each is not type(None)]
            if len(options) == len(typing.get_args(written)):
                return written, beside
            written = options[0] if len(options) == 1 else Union[tuple(options)]  # noqa: UP007
        else:
            return written, beside


def _python_type(column: Column[Any]) -> Any:
    if isinstance(column.type, sql.JSON):
        return Any
    try:
        found: Any = column.type.python_type
    except NotImplementedError:
        found = object
    if found is object:  # what SQLAlchemy says of a type that says nothing
        raise DeclarationError(
            f"the column type {column.type!r} has no type in Python",
            remedy="annotate it, as in Mapped[str]",
            field=str(column.key),
        )
    return list[Any] if found is list else found


def _by_type(kind: TypeEngine[Any], base: Any) -> tuple[Any, list[Any]]:
    """The type of values of a SQL type, which was said to be `base`, and the rules that the SQL type makes."""
    if isinstance(kind, TypeDecorator):
        return base, []  # what it keeps is its own affair
    if isinstance(kind, sql.Enum):
        if kind.enum_class is not None:
            return (base if isinstance(base, type) and issubclass(base, Enum) else kind.enum_class), []
        return (Literal[tuple(kind.enums)] if base is str else base), []
    if isinstance(kind, sql.ARRAY):
        item, rules = _by_type(kind.item_type, _item_of(base, kind))
        return list[Annotated[(item, *rules)]] if rules else list[item], []  # type: ignore[valid-type]
    if isinstance(kind, sql.String) and kind.length is not None and base is str:
        return base, [it.length <= kind.length]
    if isinstance(kind, sql.LargeBinary) and kind.length is not None:
        return base, [it.length <= kind.length]
    if isinstance(kind, sql.Numeric) and base in (Decimal, float) and kind.precision is not None:
        return base, _digits(kind, base)
    if isinstance(kind, sql.DateTime) and base is datetime and not kind.timezone:
        return base, [without_offset]
    for whole, bits in _BITS:
        if isinstance(kind, whole) and base is int:
            return base, [it.between(-(2 ** (bits - 1)), 2 ** (bits - 1) - 1)]
    return base, []


def _item_of(base: Any, kind: Any) -> Any:
    given = typing.get_args(base)
    return given[0] if given and given[0] is not Any else kind.item_type.python_type


def _digits(kind: sql.Numeric[Any], base: Any) -> list[Any]:
    """So many digits, of which so many behind the point; a Float's precision is in binary digits, and no bound."""
    if isinstance(kind, sql.Float) or kind.precision is None:
        return []
    places = kind.scale or 0
    least = Decimal(1).scaleb(-places)
    most = Decimal(10) ** (kind.precision - places) - least
    if base is float:
        return [it.between(-float(most), float(most))]
    return [it.between(-most, most), it.multiple_of(least)]
