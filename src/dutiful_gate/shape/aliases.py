"""Types without their wrappings: aliases, `NewType`s, `Annotated`, and what type variables stand for."""

from __future__ import annotations

import dataclasses
import types
import typing
from collections.abc import Callable, Mapping, Sequence
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


class Named(NamedTuple):
    """A type behind a name: a name in quotes, or an alias of the `type` statement, with its arguments.

    `mark` tells it from others; `given` is what the type variables in `declared` stand for.
    """

    name: str
    declared: Any
    given: Mapping[Any, Any]
    mark: tuple[object, ...]


class Unwrapped(NamedTuple):
    """A type without its wrappings, what stood beside it from the inside out, what its type variables stand for, and
    the names that led to it."""

    declared: Any
    metadata: tuple[object, ...]
    given: Mapping[Any, Any]
    through: tuple[Named, ...] = ()


Sees = Callable[[str], Any]
"""Gives the type that a text in quotes stands for; raises DeclarationError where it cannot be seen."""


def _nowhere(named: Named) -> bool:
    return False


def unwrapped(
    declared: Any,
    given: Mapping[Any, Any] | None = None,
    seen: Sees | None = None,
    stops: Callable[[Named], bool] = _nowhere,
) -> Unwrapped:
    """A type without its aliases, `NewType`s, `Annotated` and the like; at a name for which `stops` is true, that.

    What a type variable stands for is said in other words than its own class's: past it, `given` no longer holds.
    Without `seen`, a name in quotes is left as it is. Raises DeclarationError for a name that stands for itself.
    """
    metadata: tuple[object, ...] = ()
    given = given or {}
    through: tuple[Named, ...] = ()
    while True:
        text = _in_quotes(declared)
        if seen is not None and text is not None and not text.isidentifier():
            declared = seen(text)
            continue
        if seen is not None and text is not None and seen(text) is typing.Self:
            declared = typing.Self
        if (named := _named(declared, given, seen)) is not None:
            if any(each.mark == named.mark for each in through):
                raise nothing_between(named.name)
            if stops(named):
                return Unwrapped(named, metadata, given, through)
            through = (*through, named)
            declared, given = named.declared, named.given
            continue
        origin = typing.get_origin(declared)
        if origin is Annotated:
            metadata = (*declared.__metadata__, *metadata)
            declared = declared.__origin__
        elif isinstance(declared, TypeVar) and declared in given:
            declared, given = given[declared], {}
        elif isinstance(declared, TypeVar) and has_default(declared):
            declared, given = declared.__default__, {}  # type: ignore[attr-defined, unused-ignore]
        elif declared is typing.Self and declared in given:
            declared, given = given[declared], {}
        elif isinstance(declared, Variant):
            return Unwrapped(declared, metadata, given, through)
        elif hasattr(declared, "__supertype__"):
            declared = declared.__supertype__
        elif origin in (typing.Required, typing.NotRequired, typing.Final) or _is_read_only(origin):
            declared = typing.get_args(declared)[0]
        elif is_record_type(origin) and not isinstance(declared, type):
            arguments = tuple(_without_quotes(each, seen) for each in typing.get_args(declared))
            return Unwrapped(substituted(origin[arguments], given), metadata, {}, through)
        else:
            return Unwrapped(declared, metadata, given, through)


def _in_quotes(declared: Any) -> str | None:
    """The text of a type that is written in quotes."""
    return (
        declared.__forward_arg__
        if isinstance(declared, typing.ForwardRef)
        else declared
        if isinstance(declared, str)
        else None
    )


def _without_quotes(declared: Any, seen: Sees | None) -> Any:
    """A type that is what it is called by, where its name in quotes is no alias."""
    text = _in_quotes(declared)
    if text is None or seen is None:
        return declared
    held = seen(text)
    plain = isinstance(held, type | TypeVar) or is_record_type(typing.get_origin(held))
    return held if plain else declared


def _named(declared: Any, given: Mapping[Any, Any], seen: Sees | None) -> Named | None:
    """The name that a type is, if it is one."""
    if seen is not None and (text := _in_quotes(declared)) is not None:
        held = seen(text)
        own = {each: given[each] for each in getattr(held, "__parameters__", ()) if each in given}
        return Named(text, held, given, (id(held), *map(repr, own.items())))
    origin = typing.get_origin(declared)
    if type(origin).__name__ == "TypeAliasType":
        arguments = [substituted(each, given) for each in typing.get_args(declared)]
        name = f"{origin.__name__}Of{'And'.join(getattr(each, '__name__', 'Value') for each in arguments)}"
        return Named(
            name, origin.__value__, given_to(origin.__type_params__, arguments), (id(origin), *map(repr, arguments))
        )
    if type(declared).__name__ == "TypeAliasType":
        return Named(declared.__name__, declared.__value__, given, (id(declared),))
    return None


def nothing_between(name: str) -> DeclarationError:
    """What is told of a name that leads to itself by nothing but other names and unions."""
    return DeclarationError(
        f"{name} leads to itself with nothing between", remedy=f"put a list, dict or record between, as in list[{name}]"
    )


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
        found[owner] = {**given, typing.Self: declared}
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
    if typing.Self in given:
        declared = _with_owner(declared, given[typing.Self])
    wanted = getattr(declared, "__parameters__", ())
    if not wanted or (isinstance(declared, type) and typing.get_origin(declared) is None):
        return declared
    return declared[tuple(given.get(each, each) for each in wanted)]


def _with_owner(declared: Any, owner: Any) -> Any:
    """A type in which `Self` is the record that it stands in."""
    if declared is typing.Self:
        return owner
    origin, arguments = typing.get_origin(declared), typing.get_args(declared)
    if not arguments or origin is typing.Literal:
        return declared
    made = tuple(_with_owner(each, owner) for each in arguments)
    if all(new is old for new, old in zip(made, arguments, strict=True)):
        return declared
    if origin is Annotated:
        return Annotated[(made[0], *declared.__metadata__)]
    return typing.Union[made] if origin in (typing.Union, types.UnionType) else origin[made]  # noqa: UP007
