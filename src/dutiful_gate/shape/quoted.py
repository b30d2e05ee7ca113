"""Types written as text in quotes: `"Cargo | None"`, `"dict[str, Cargo]"`. Read as syntax; nothing in it is run."""

from __future__ import annotations

import ast
from collections.abc import Callable
from typing import Any, ForwardRef, TypeVar, Union, get_origin

from ..declare.errors import DeclarationError


def type_of(text: str, seen: Callable[[str], Any]) -> Any:
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


def _type(said: ast.expr, seen: Callable[[str], Any]) -> Any:
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


def _held(said: ast.expr, seen: Callable[[str], Any]) -> Any:
    """What a name, or a name in a module, stands for."""
    match said:
        case ast.Name(id=name):
            return seen(name)
        case ast.Attribute(value=module, attr=name) if not name.startswith("_"):
            return getattr(_held(module, seen), name)
        case _:
            raise ValueError
