"""What tells a function of a developer's own from another of the same name: its code, and that of what it calls."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import sha256
from types import CodeType, FunctionType, ModuleType
from typing import Any, Final

_MOST: Final = 200
"""So many functions are followed; past them, and past methods and builtins, nothing is told."""
_PLAIN: Final = (int, float, str, bytes, bool, type(None), tuple, frozenset)


def mark_of(function: Any) -> str:
    """A digest of a function in brackets, "" for what is none of Python's.

    It is of the code, the defaults and what is kept from around it, and of the functions and plain constants that it
    names, in its own module and in others; not of methods that it calls on values.
    """
    function = getattr(function, "__func__", function)
    function = getattr(function, "func", function)  # of a partial
    if not isinstance(function, FunctionType):
        return ""
    return f" [{digest_of_text('|'.join(_told(function)))}]"


def digest_of_text(text: str) -> str:
    """A short digest of a text."""
    return sha256(text.encode("utf-8", "replace")).hexdigest()[:8]


def _told(function: FunctionType) -> Iterator[str]:
    waiting = [function]
    seen: set[int] = set()
    while waiting and len(seen) < _MOST:
        each = waiting.pop(0)
        if id(each.__code__) in seen:
            continue
        seen.add(id(each.__code__))
        yield _code(each.__code__)
        yield repr([_constant(held) for held in (*(each.__defaults__ or ()), *(each.__kwdefaults__ or {}).values())])
        for name, held in _named(each):
            if isinstance(held, FunctionType):
                waiting.append(held)
            elif isinstance(held, _PLAIN):
                yield f"{name}={_constant(held)}"


def _named(function: FunctionType) -> Iterator[tuple[str, Any]]:
    """What a function names from outside of it, as far as it is there."""
    code = function.__code__
    for name, cell in zip(code.co_freevars, function.__closure__ or (), strict=False):
        try:
            yield name, cell.cell_contents
        except ValueError:  # it is not filled yet
            continue
    names = list(_names(code))
    for name in names:
        held = function.__globals__.get(name)
        yield name, held
        if isinstance(held, ModuleType):
            yield from ((f"{name}.{inner}", getattr(held, inner, None)) for inner in names)


def _names(code: CodeType) -> Iterator[str]:
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _names(constant)


def _code(code: CodeType) -> str:
    constants = ",".join(map(_constant, code.co_consts))
    return f"{code.co_code.hex()}|{constants}|{code.co_names}|{code.co_varnames}"


def _constant(held: Any) -> str:
    if isinstance(held, CodeType):
        return _code(held)
    if isinstance(held, frozenset):
        return repr(sorted(map(repr, held)))
    if isinstance(held, tuple):
        return f"({','.join(map(_constant, held))})"
    return repr(held) if isinstance(held, _PLAIN) else type(held).__qualname__
