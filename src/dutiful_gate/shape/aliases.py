"""Types without their wrappings: aliases, `NewType`s, `Annotated`, and what type variables stand for."""

from __future__ import annotations

import dataclasses
import typing
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, NamedTuple, TypeVar

from ..declare.errors import DeclarationError
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


class Unwrapped(NamedTuple):
    """A type without its wrappings, what stood beside it from the inside out, and what its type variables stand for."""

    declared: Any
    metadata: tuple[object, ...]
    given: Mapping[Any, Any]


def unwrapped(declared: Any, given: Mapping[Any, Any] | None = None) -> Unwrapped:
    """A type without its aliases, `NewType`s, `Annotated` and the like.

    What a type variable stands for is said in other words than its own class's: past it, `given` no longer holds.
    """
    metadata: tuple[object, ...] = ()
    given = given or {}
    while True:
        origin = typing.get_origin(declared)
        if origin is Annotated:
            metadata = (*declared.__metadata__, *metadata)
            declared = declared.__origin__
        elif isinstance(declared, TypeVar) and declared in given:
            declared, given = given[declared], {}
        elif isinstance(declared, TypeVar) and has_default(declared):
            declared, given = declared.__default__, {}  # type: ignore[attr-defined, unused-ignore]
        elif isinstance(declared, Variant):
            return Unwrapped(declared, metadata, given)
        elif origin is not None and type(origin).__name__ == "TypeAliasType":
            given = given_to(origin.__type_params__, [substituted(each, given) for each in typing.get_args(declared)])
            declared = origin.__value__
        elif hasattr(declared, "__supertype__"):
            declared = declared.__supertype__
        elif type(declared).__name__ == "TypeAliasType":
            declared = declared.__value__
        elif origin in (typing.Required, typing.NotRequired, typing.Final) or _is_read_only(origin):
            declared = typing.get_args(declared)[0]
        elif is_record_type(origin) and not isinstance(declared, type):
            return Unwrapped(substituted(declared, given), metadata, {})
        else:
            return Unwrapped(declared, metadata, given)


def has_default(variable: Any) -> bool:
    """Whether a type variable has a default (PEP 696)."""
    ask = getattr(variable, "has_default", None)
    return bool(ask()) if ask is not None else False


def given_to(variables: Sequence[Any], arguments: Sequence[Any]) -> dict[Any, Any]:
    """What type variables stand for. Raises DeclarationError for those that stand for any number of types."""
    for variable in variables:
        if not isinstance(variable, TypeVar):
            raise DeclarationError(
                f"{variable} stands for any number of types", remedy="declare a type variable for each of them"
            )
    return dict(zip(variables, arguments, strict=False))


def variables_by_class(declared: Any) -> dict[Any, dict[Any, Any]]:
    """For a record type, what the type variables of each class it is made of stand for."""
    origin = typing.get_origin(declared) or declared
    found: dict[Any, dict[Any, Any]] = {}
    waiting = [(origin, given_to(getattr(origin, "__parameters__", ()), typing.get_args(declared)))]
    while waiting:
        owner, given = waiting.pop()
        if owner in found:
            continue
        found[owner] = given
        bases = owner.__dict__.get("__orig_bases__") or getattr(owner, "__bases__", ())
        for base in bases:
            generic = typing.get_origin(base) or base
            if generic is typing.Generic or not isinstance(generic, type):
                continue
            arguments = [substituted(each, given) for each in typing.get_args(base)]
            waiting.append((generic, given_to(getattr(generic, "__parameters__", ())[: len(arguments)], arguments)))
    return found


def _is_read_only(origin: object) -> bool:
    return origin is not None and origin is getattr(typing, "ReadOnly", Ellipsis)


def substituted(declared: Any, given: Mapping[Any, Any]) -> Any:
    """A type with its type variables replaced by what they stand for."""
    if isinstance(declared, TypeVar):
        return given.get(declared, declared)
    if isinstance(declared, list):  # the parameters of a callable
        return [substituted(each, given) for each in declared]
    wanted = getattr(declared, "__parameters__", ())
    if not wanted or (isinstance(declared, type) and typing.get_origin(declared) is None):
        return declared
    return declared[tuple(given.get(each, each) for each in wanted)]
