"""Types without their wrappings: aliases, `NewType`s, `Annotated`, and what type variables stand for."""

from __future__ import annotations

import dataclasses
import typing
from collections.abc import Mapping
from typing import Annotated, Any, TypeVar

from ..declare.variants import Variant


def is_record_type(declared: object) -> bool:
    """Whether a type is one that a record is made of."""
    if isinstance(declared, Variant):
        return True
    if not isinstance(declared, type):
        return False
    return dataclasses.is_dataclass(declared) or typing.is_typeddict(declared) or is_named_tuple(declared)


def is_named_tuple(declared: type) -> bool:
    """Whether a class is a NamedTuple."""
    return issubclass(declared, tuple) and hasattr(declared, "_fields") and hasattr(declared, "_make")


def unwrapped(declared: Any, given: Mapping[Any, Any] | None = None) -> tuple[Any, tuple[object, ...]]:
    """A type without its aliases, `NewType`s and `Annotated`, and the metadata of all of them from the inside out."""
    metadata: tuple[object, ...] = ()
    while True:
        origin = typing.get_origin(declared)
        if origin is Annotated:
            metadata = (*declared.__metadata__, *metadata)
            declared = declared.__origin__
        elif given and isinstance(declared, TypeVar) and declared in given:
            declared = given[declared]
        elif isinstance(declared, Variant):
            return declared, metadata
        elif origin is not None and type(origin).__name__ == "TypeAliasType":
            given = {**(given or {}), **dict(zip(origin.__type_params__, typing.get_args(declared), strict=True))}
            declared = _substituted(origin.__value__, given)
        elif hasattr(declared, "__supertype__"):
            declared = declared.__supertype__
        elif type(declared).__name__ == "TypeAliasType":
            declared = declared.__value__
        elif origin in (typing.Required, typing.NotRequired) or _is_read_only(origin):
            declared = typing.get_args(declared)[0]
        elif given and is_record_type(origin) and not isinstance(declared, type):
            return _substituted(declared, given), metadata
        else:
            return declared, metadata


def _is_read_only(origin: object) -> bool:
    return origin is not None and origin is getattr(typing, "ReadOnly", Ellipsis)


def _substituted(declared: Any, given: Mapping[Any, Any]) -> Any:
    """A generic type with its type variables replaced by what they stand for."""
    wanted = getattr(declared, "__parameters__", ())
    return declared[tuple(given.get(each, each) for each in wanted)] if wanted else declared
