"""Types written as text in quotes: `"Cargo | None"`, `"dict[str, Cargo]"`. Read as syntax; nothing in it is run."""

from __future__ import annotations

import ast
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ForwardRef, Protocol, TypeVar, Union, get_args, get_origin

from ..declare.errors import DeclarationError


class Sees(Protocol):
    """Gives the type that a text in quotes stands for, where it is written."""

    def __call__(self, text: str, /) -> Any:
        """The type. Raises DeclarationError where it cannot be seen."""
        ...

    def of(self, owner: Any) -> Sees:
        """What is seen from a class, or from an alias of the `type` statement."""
        ...


@dataclass(frozen=True, eq=False)
class Placed:
    """A name in quotes with what it stands for where it is written, so that it can be read elsewhere.

    An argument of other types to `typing`, which is why it can be called, and says its type variables. `held` is None
    where it could not be seen.
    """

    text: str
    held: Any
    seen: Sees
    given: Mapping[Any, Any] = field(default_factory=dict)

    def __call__(self) -> None:
        """Nothing: `typing` takes for a type what can be called."""
        raise TypeError(f"{self.text!r} is a type")

    @property
    def __parameters__(self) -> tuple[Any, ...]:
        # An alias of the `type` statement says by these what it takes, not what is in it.
        return () if is_alias(self.held) else getattr(self.held, "__parameters__", ())

    def __getitem__(self, arguments: Any) -> Placed:
        every = arguments if isinstance(arguments, tuple) else (arguments,)
        given = {each: new for each, new in zip(self.__parameters__, every, strict=True) if each is not new}
        return Placed(self.text, self.held, self.seen, given)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Placed) and mark_of(self) == mark_of(other)

    def __hash__(self) -> int:
        return hash((self.text, id(self.held)))

    def __repr__(self) -> str:
        return self.text


def is_alias(declared: object) -> bool:
    """Whether a type is an alias of the `type` statement."""
    return type(declared).__name__ == "TypeAliasType"


def mark_of(declared: Any) -> object:
    """What tells a type from others: equal for types that are written alike and mean the same."""
    if isinstance(declared, Placed):
        return (declared.text, id(declared.held), *((id(each), mark_of(new)) for each, new in declared.given.items()))
    if arguments := get_args(declared):
        return (repr(get_origin(declared)), *map(mark_of, arguments))
    return declared if isinstance(declared, type) else repr(declared)


def in_quotes(declared: Any) -> str | None:
    """The text of a type that is written in quotes."""
    if isinstance(declared, ForwardRef):
        return declared.__forward_arg__
    if isinstance(declared, Placed):
        return declared.text
    return declared if isinstance(declared, str) else None


def type_of(text: str, seen: Sees) -> Any:
    """The type that a text stands for; names in it stay in quotes, but where `seen` is asked for what they stand for.

    Raises DeclarationError for what is no type, and what `seen` raises.
    """
    try:
        return _type(ast.parse(text.strip(), mode="eval").body, seen)
    except DeclarationError:
        raise
    except Exception:
        raise DeclarationError(
            f"{text!r} in quotes is no type that can be read",
            remedy="give it a name of its own, and put the name in quotes",
        ) from None


def _type(said: ast.expr, seen: Sees) -> Any:
    match said:
        case ast.Constant(value=str() as text):
            return ForwardRef(text)
        case ast.Constant(value=held) if held is None or held is ...:
            return held
        case ast.Name(id=name):
            held = seen(name)
            # What may lead to itself stays a name, so that this is noticed.
            return held if isinstance(held, type | TypeVar) and get_origin(held) is None else ForwardRef(name)
        case ast.BinOp(left=left, op=ast.BitOr(), right=right):
            return Union[_type(left, seen), _type(right, seen)]  # noqa: UP007 - a name in quotes has no |
        case ast.Subscript(value=generic, slice=inner):
            origin = _held(generic, seen)
            if isinstance(inner, ast.Tuple):
                return origin[tuple(_type(each, seen) for each in inner.elts)]
            return origin[_type(inner, seen)]
        case ast.Attribute():
            return _held(said, seen)
        case _:
            raise ValueError


def _held(said: ast.expr, seen: Sees) -> Any:
    """What a name, or a name in a module, stands for."""
    match said:
        case ast.Name(id=name):
            return seen(name)
        case ast.Attribute(value=module, attr=name) if not name.startswith("_"):
            return getattr(_held(module, seen), name)
        case _:
            raise ValueError
