"""Types written as text in quotes: `"Cargo | None"`, `"dict[str, Cargo]"`. Read as syntax; nothing in it is run."""

from __future__ import annotations

import ast
import typing
from typing import Any, Union

from ..declare.errors import DeclarationError


def type_of(text: str) -> Any:
    """The type that a text stands for, names in it left in quotes. Raises DeclarationError for what is no type."""
    try:
        return _type(ast.parse(text, mode="eval").body)
    except (SyntaxError, ValueError, TypeError, RecursionError, MemoryError):
        raise DeclarationError(
            f"{text!r} in quotes is no type that can be read",
            remedy="give it a name of its own, and put the name in quotes",
        ) from None


def _type(said: ast.expr) -> Any:
    match said:
        case ast.Constant(value=None):
            return None
        case ast.Constant(value=str() as text):
            return type_of(text) if not text.isidentifier() else typing.ForwardRef(text)
        case ast.Constant(value=held) if held is ...:
            return ...
        case ast.Name(id=name):
            return typing.ForwardRef(name)
        case ast.BinOp(left=left, op=ast.BitOr(), right=right):
            return Union[_type(left), _type(right)]  # noqa: UP007 - a name in quotes has no |
        case ast.Subscript(value=ast.Name(id=name), slice=inner) if name in _GENERIC:
            several = inner.elts if isinstance(inner, ast.Tuple) else [inner]
            return _GENERIC[name][tuple(map(_type, several)) if isinstance(inner, ast.Tuple) else _type(inner)]
        case _:
            raise ValueError


_GENERIC: dict[str, Any] = {
    "list": list,
    "dict": dict,
    "set": set,
    "frozenset": frozenset,
    "tuple": tuple,
    "Optional": typing.Optional,
    "Union": Union,
    "Sequence": typing.Sequence,
    "Mapping": typing.Mapping,
}
