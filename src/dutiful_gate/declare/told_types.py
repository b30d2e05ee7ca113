"""Types that values are told by, when they are handed over."""

from __future__ import annotations

import types
from collections.abc import Collection, Mapping
from typing import Any, Literal, Union, get_args, get_origin

from .errors import DeclarationError


def kind_told_by(kind: Any, name: str) -> Any:
    """A type without the names of aliases around it. Raises DeclarationError where no value can be told by it."""
    plain = _plain(kind)
    if problem := _no_kind(plain):
        raise DeclarationError(f"{name} is of {problem}, by which no value can be told", remedy="name a class")
    return plain


def _plain(kind: Any) -> Any:
    """A type without what stands around it: the name of an alias or a NewType, and what is beside it."""
    if hasattr(kind, "__supertype__"):
        return _plain(kind.__supertype__)
    if hasattr(kind, "__metadata__"):
        return _plain(kind.__origin__)
    return _plain(kind.__value__) if type(kind).__name__ == "TypeAliasType" else kind


def _tells(kind: Any) -> bool:
    try:
        return kind is Any or isinstance(isinstance(None, kind), bool)
    except TypeError:  # a TypedDict, or a protocol of which nothing can be asked
        return False


def _no_kind(kind: Any) -> str:
    """What cannot be told of a type, as people read it; "" where values can be told by it."""
    if kind is Any or (isinstance(kind, type) and get_origin(kind) is None):
        return repr(kind) if kind is type(None) or not _tells(kind) else ""
    origin = get_origin(kind)
    if origin is Literal:
        return ""
    if origin in (Union, types.UnionType):
        return next(filter(None, (_no_kind(each) for each in get_args(kind) if each is not type(None))), "")
    if isinstance(origin, type) and (issubclass(origin, Collection) or origin.__module__ == "collections.abc"):
        if not issubclass(origin, Collection):
            return repr(kind)
        return next(filter(None, (_no_kind(each) for each in get_args(kind) if each is not Ellipsis)), "")
    return repr(kind)


def is_of(kind: Any, value: Any) -> bool:
    """Whether a value is of a type: a bool is no number, an int is a float too, a float is no NaN, a date-time has an
    offset and is no date, and a text is no collection of texts."""
    if kind is Any:
        return True
    origin = get_origin(kind)
    if origin is None:
        return _is_instance(kind, value)
    if origin is Literal:
        return any(value == each and value.__class__ is each.__class__ for each in get_args(kind))
    if origin in (Union, types.UnionType):
        return any(value is None if each is type(None) else is_of(each, value) for each in get_args(kind))
    if not isinstance(value, origin) or isinstance(value, str | bytes | bytearray):
        return False
    inner = get_args(kind)
    if isinstance(value, Mapping):
        return all(is_of(inner[0], key) and is_of(inner[1], held) for key, held in value.items())
    if origin is tuple and Ellipsis not in inner:
        return len(value) == len(inner) and all(map(is_of, inner, value))
    return all(is_of(inner[0], each) for each in value)


def _is_instance(kind: type, value: Any) -> bool:
    from datetime import date, datetime

    if isinstance(value, bool):
        return kind in (bool, object)
    if kind is float:
        return isinstance(value, int) or (isinstance(value, float) and value == value)
    if kind is date and isinstance(value, datetime):
        return False
    if not isinstance(value, kind):
        return False
    return not isinstance(value, datetime) or value.utcoffset() is not None


def all_will_do(kind: Any) -> bool:
    """Whether every value of a class will do: NaN does not, nor a date-time without an offset."""
    return kind is not float and getattr(kind, "__module__", "") != "datetime"


def shown_kind(kind: Any) -> str:
    """A type as people read it."""
    return getattr(kind, "__name__", str(kind)) if get_origin(kind) is None else str(kind)


def told_wrong(value: Any) -> str:
    """What was handed over instead, without its value: that may be a secret."""
    told = type(value).__name__
    if hasattr(value, "utcoffset") and value.utcoffset() is None:
        return f"{told} without an offset"
    return f"{told} of other values" if isinstance(value, Collection) and not isinstance(value, str) else told


def ordered() -> tuple[type, ...]:
    """The classes whose values faults may tell: numbers and times."""
    from datetime import date, timedelta
    from decimal import Decimal

    return int, float, Decimal, date, timedelta


def sample_of(kind: Any) -> Any:
    """A value of a type, None where none is known."""
    from datetime import UTC, date, datetime, timedelta
    from decimal import Decimal
    from uuid import UUID

    made: dict[Any, Any] = {
        int: 1, float: 1.0, str: "x", bool: True, bytes: b"x", Decimal: Decimal(1), date: date(2026, 5, 4),
        datetime: datetime(2026, 5, 4, tzinfo=UTC), timedelta: timedelta(hours=1), UUID: UUID(int=1),
    }  # fmt: skip
    if isinstance(kind, type) and hasattr(kind, "__members__"):
        return next(iter(kind.__members__.values()), None)
    return made.get(kind) if isinstance(kind, type) else None
