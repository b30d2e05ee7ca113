"""Types without their wrappings: aliases, `NewType`s, `Annotated`, and what type variables stand for."""

from __future__ import annotations

import dataclasses
import sys
import types
import typing
from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, Any, NamedTuple, TypeVar

from ..declare.described import Described
from ..declare.errors import DeclarationError
from ..declare.variants import Amendment, Variant
from .names_in_quotes import Placed, Sees, in_quotes, is_alias, mark_of


def is_record_type(declared: object) -> bool:
    """Whether a type is one that a record is made of."""
    if isinstance(declared, Variant | Described):
        return True
    if not isinstance(declared, type):
        return False
    return dataclasses.is_dataclass(declared) or is_typed_dict(declared) or is_named_tuple(declared)


def is_typed_dict(declared: object) -> bool:
    """Whether a class is a TypedDict, be it of `typing` or of `typing_extensions`, which has one of its own."""
    if typing.is_typeddict(declared):
        return True
    kept = ("__required_keys__", "__optional_keys__", "__total__")
    return isinstance(declared, type) and issubclass(declared, dict) and all(hasattr(declared, each) for each in kept)


def is_named_tuple(declared: type) -> bool:
    """Whether a class is a NamedTuple."""
    return issubclass(declared, tuple) and hasattr(declared, "_fields") and hasattr(declared, "_make")


class NamedType(NamedTuple):
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
    through: tuple[NamedType, ...] = ()


def _nowhere(named: NamedType) -> bool:
    return False


def unwrapped(
    declared: Any,
    given: Mapping[Any, Any] | None = None,
    seen: Sees | None = None,
    stops: Callable[[NamedType], bool] = _nowhere,
) -> Unwrapped:
    """A type without its aliases, `NewType`s, `Annotated` and the like; at a name for which `stops` is true, that.

    What a type variable stands for is said in other words than its own class's: past it, `given` no longer holds.
    Without `seen`, a name in quotes is left as it is. Raises DeclarationError for a name that stands for itself.
    """
    metadata: tuple[object, ...] = ()
    given = given or {}
    through: tuple[NamedType, ...] = ()
    while True:
        if isinstance(declared, Placed):
            if not declared.text.isidentifier():
                declared = placed(declared.seen(declared.text), declared.seen)
                continue
        elif seen is not None and (text := in_quotes(declared)) is not None:
            if not text.isidentifier():
                declared = seen(text)
                continue
            if (held := seen(text)) is typing.Self or is_alias(held):
                declared = held
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
        elif origin in (typing.Required, typing.NotRequired, typing.Final) or is_read_only(origin):
            declared = typing.get_args(declared)[0]
        elif (is_record_type(origin) or origin is Amendment) and not isinstance(declared, type):
            return Unwrapped(substituted(placed(declared, seen), given), metadata, {}, through)
        else:
            return Unwrapped(declared, metadata, given, through)


def placed(declared: Any, seen: Sees | None) -> Any:
    """A type whose names in quotes stand for what `seen` gives, wherever it is carried.

    For types that are handed on, as arguments of generic ones: their fields are read in another class, maybe in another
    module, where the same name may stand for something else.
    """
    if seen is None:
        return declared
    if isinstance(declared, str | typing.ForwardRef):
        return _placed_name(declared, seen)
    return _rebuilt(declared, lambda each: placed(each, seen))


def _placed_name(declared: str | typing.ForwardRef, seen: Sees) -> Any:
    """What a text in quotes stands for, or, where that may lead to itself, its name with what it stands for."""
    text = declared if isinstance(declared, str) else declared.__forward_arg__
    try:
        held = seen(text)
    except DeclarationError:  # told where it is read, if ever: not all that a class is given is
        return Placed(text, None, seen)
    if not text.isidentifier():
        return placed(held, seen)
    if held is typing.Self or is_alias(held) or isinstance(held, type | TypeVar):
        return held
    is_record = is_record_type(typing.get_origin(held)) and not _has_quotes(held)
    return held if is_record else Placed(text, held, seen)


def _has_quotes(declared: Any) -> bool:
    """Whether a type has names in quotes in it."""
    return in_quotes(declared) is not None or any(map(_has_quotes, typing.get_args(declared)))


def _named(declared: Any, given: Mapping[Any, Any], seen: Sees | None) -> NamedType | None:
    """The name that a type is, if it is one."""
    if seen is not None and isinstance(declared, Placed):
        held = declared.held if declared.held is not None else declared.seen(declared.text)
        own = {**_known(held, given), **declared.given}
        return NamedType(declared.text, placed(held, declared.seen), own, _mark(held, own))
    if seen is not None and (text := in_quotes(declared)) is not None:
        held = seen(text)
        return NamedType(text, held, given, _mark(held, _known(held, given)))
    origin = typing.get_origin(declared)
    if is_alias(origin):
        arguments = [substituted(placed(each, seen), given) for each in typing.get_args(declared)]
        name = f"{origin.__name__}Of{'And'.join(getattr(each, '__name__', 'Value') for each in arguments)}"
        own = given_to(origin.__type_params__, arguments)
        return NamedType(name, _value(origin, seen), own, _mark(origin, own))
    if is_alias(declared):
        return NamedType(declared.__name__, _value(declared, seen), given, (id(declared),))
    return None


def _known(held: Any, given: Mapping[Any, Any]) -> dict[Any, Any]:
    """Those of the type variables of a type that stand for something."""
    return {each: given[each] for each in getattr(held, "__parameters__", ()) if each in given}


def _mark(held: Any, own: Mapping[Any, Any]) -> tuple[object, ...]:
    return (id(held), *((id(each), mark_of(new)) for each, new in own.items()))


def _value(alias: Any, seen: Sees | None) -> Any:
    """What an alias of the `type` statement stands for, whose names in quotes are those of its module."""
    return placed(alias.__value__, seen.of(alias) if seen is not None else None)


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


def variables_by_class(declared: Any, seen: Sees) -> dict[Any, dict[Any, Any]]:
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
            arguments = [substituted(placed(each, seen.of(owner)), given) for each in typing.get_args(base)]
            waiting.append((generic, given_to(getattr(generic, "__parameters__", ())[: len(arguments)], arguments)))
    return found


def is_read_only(origin: object) -> bool:
    """Whether something is `ReadOnly`, which stood in `typing_extensions` before it came to `typing`."""
    homes = (typing, sys.modules.get("typing_extensions"))
    return origin is not None and any(origin is getattr(home, "ReadOnly", Ellipsis) for home in homes)


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
    return owner if declared is typing.Self else _rebuilt(declared, lambda each: _with_owner(each, owner))


def _rebuilt(declared: Any, change: Callable[[Any], Any]) -> Any:
    """A type with its arguments changed; the same one where none of them is."""
    origin, arguments = typing.get_origin(declared), typing.get_args(declared)
    if not arguments or origin is typing.Literal:
        return declared
    if origin is Annotated:
        arguments = arguments[:1]
    made = tuple(change(each) for each in arguments)
    if all(new is old for new, old in zip(made, arguments, strict=True)):
        return declared
    if origin is Annotated:
        return Annotated[(made[0], *declared.__metadata__)]
    return typing.Union[made] if origin in (typing.Union, types.UnionType) else origin[made]  # noqa: UP007
