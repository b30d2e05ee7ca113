"""What tells a function of a developer's own from another of the same name: its code, its state, and what it calls."""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Iterator
from datetime import date, time, timedelta, timezone
from decimal import Decimal
from enum import Enum
from fractions import Fraction
from functools import partial
from hashlib import sha256
from logging import Logger
from pathlib import PurePath
from types import (
    BuiltinFunctionType,
    ClassMethodDescriptorType,
    CodeType,
    FunctionType,
    MethodDescriptorType,
    MethodType,
    MethodWrapperType,
    ModuleType,
    WrapperDescriptorType,
)
from typing import Any, Final
from uuid import UUID
from zoneinfo import ZoneInfo

_MOST: Final = 400
_DEEPEST: Final = 40
"""So many functions and values are followed, and so far in; what needs more is equal to itself only."""
_PLAIN: Final = (int, float, complex, str, bytes, bool, type(None), range, type(...))
_TOLD_BY_TEXT: Final = (
    *_PLAIN, date, time, timedelta, timezone, ZoneInfo, Decimal, Fraction, UUID, PurePath, re.Pattern,
)  # fmt: skip
_NAMED_ALONE: Final = (ModuleType, Logger)
_TELL_NOTHING: Final = ("__module__", "__doc__", "__qualname__", "__firstlineno__")
_OF_C: Final = (
    BuiltinFunctionType,
    MethodDescriptorType,
    WrapperDescriptorType,
    MethodWrapperType,
    ClassMethodDescriptorType,
)


def mark_of(function: Any) -> str:
    """A digest of a callable in brackets; "" for what is none.

    It is of its code, its defaults, what is kept from around it or in it (closures, `partial`, the object of a bound
    method, the fields of an object that can be called), and of the functions and constants that it names, in its own
    module and in others; not of methods that it calls on values. Where something in it cannot be told by value, the
    mark is that of this object in this process alone: nothing is called equal that might not be.
    """
    if not callable(function):
        return ""
    return f" [{mark_of_value(function)}]"


def mark_of_value(held: Any) -> str:
    """A digest of a value, the same for equal ones, on the same terms."""
    return digest_of_text("|".join(_Telling().told(held)))


def digest_of_text(text: str) -> str:
    """A short digest of a text."""
    return sha256(text.encode("utf-8", "replace")).hexdigest()[:8]


def _itself(held: Any) -> str:
    """What is equal to the same object of this process only."""
    return f"{type(held).__qualname__} {os.getpid()}.{id(held)}"


class _Telling:
    """Tells a value in pieces of text, which are the same for what is equal by value."""

    def __init__(self) -> None:
        self.depth = 0
        self.seen: dict[int, int] = {}
        self.kept: list[Any] = []  # so that no number of an object is used twice

    def told(self, held: Any) -> Iterator[str]:
        """A value, and what it is made of."""
        if isinstance(held, _TOLD_BY_TEXT) and type(held).__module__ != "__main__":
            yield f"{type(held).__qualname__} {held!r}"
            return
        if id(held) in self.seen:
            yield f"again {self.seen[id(held)]}"
            return
        if len(self.seen) >= _MOST or self.depth >= _DEEPEST:
            yield _itself(held)
            return
        self.seen[id(held)] = len(self.seen)
        self.kept.append(held)
        yield type(held).__qualname__
        self.depth += 1
        yield from self.inside(held)
        self.depth -= 1

    def inside(self, held: Any) -> Iterator[str]:
        """What a value that is not plain is made of."""
        if isinstance(held, FunctionType):
            yield from (
                [f"{held.__module__}.{held.__qualname__}"] if _is_standard(held.__module__) else self.function(held)
            )
        elif isinstance(held, MethodType):
            yield from self.all(held.__func__, held.__self__)
        elif isinstance(held, partial):
            yield from self.all(held.func, held.args, held.keywords)
        elif isinstance(held, type):
            yield f"{held.__module__}.{held.__qualname__}"
            yield from self.methods(held)
        elif isinstance(held, _NAMED_ALONE):
            yield held.__name__ if isinstance(held, ModuleType) else held.name
        elif isinstance(held, Enum):
            yield from self.all(type(held), held.name, held.value)
        elif isinstance(held, _OF_C):
            yield f"{getattr(held, '__module__', None)}.{held.__qualname__}"
            owner = getattr(held, "__self__", None)
            if not isinstance(owner, ModuleType | type(None)):
                yield from self.told(owner)
        elif isinstance(held, dict):
            yield from self.all(*(each for item in held.items() for each in item))
        elif isinstance(held, list | tuple):
            yield from self.all(*held)
        elif isinstance(held, set | frozenset):
            yield from sorted("|".join(_Telling().told(each)) for each in held)
        elif hasattr(held, "__wrapped__") and hasattr(
            held, "cache_info"
        ):  # functools.cache: what is kept tells nothing
            yield from self.told(held.__wrapped__)
        else:
            yield from self.object(held)

    def all(self, *several: Any) -> Iterator[str]:
        """Several values, and how many they are."""
        yield str(len(several))
        for each in several:
            yield from self.told(each)

    def object(self, held: Any) -> Iterator[str]:
        """An object by its fields and the methods of its class; hidden state makes it equal to itself only."""
        fields = dict(getattr(held, "__dict__", {}))
        layouts = [each for each in type(held).__mro__ if each is not object]
        for each in layouts:
            slots = each.__dict__.get("__slots__", ())
            for name in [slots] if isinstance(slots, str) else slots:
                if name not in ("__dict__", "__weakref__") and hasattr(held, name):
                    fields[name] = getattr(held, name)
        if not all(map(_is_written_in_python, layouts)):
            yield _itself(held)
            return
        yield from self.told(type(held))
        yield from self.all(*sorted(fields))
        yield from self.all(*(fields[name] for name in sorted(fields)))

    def methods(self, kind: type) -> Iterator[str]:
        """What the classes of an object define, those of the standard library apart."""
        for each in kind.__mro__:
            if _is_standard(each.__module__):
                continue
            for name, held in each.__dict__.items():
                inner = held.__func__ if isinstance(held, staticmethod | classmethod) else held
                inner = inner.fget if isinstance(inner, property) else inner
                if isinstance(inner, (FunctionType, *_PLAIN)) and name not in _TELL_NOTHING:
                    yield name
                    yield from self.told(inner)

    def function(self, function: FunctionType) -> Iterator[str]:
        """The code of a function, its defaults, and what it names from outside of it, as far as that is there."""
        code = function.__code__
        yield _code(code)
        yield from self.all(*(function.__defaults__ or ()), *(function.__kwdefaults__ or {}).values())
        for name, cell in zip(code.co_freevars, function.__closure__ or (), strict=False):
            yield name
            try:
                yield from self.told(cell.cell_contents)
            except ValueError:  # it is not filled yet
                continue
        names = list(_names(code))
        for name in names:
            if name not in function.__globals__:
                continue
            yield name
            held = function.__globals__[name]
            yield from self.told(held)
            if isinstance(held, ModuleType):
                for inner in names:
                    if inner in vars(held):
                        yield inner
                        yield from self.told(vars(held)[inner])


def _is_written_in_python(kind: type) -> bool:
    """Whether a class keeps all its state in fields: one of C may keep some elsewhere."""
    module = sys.modules.get(kind.__module__)
    return kind.__module__ == "__main__" or str(getattr(module, "__file__", "")).endswith(".py")


def _is_standard(module: str | None) -> bool:
    """Whether a module is of the standard library, which is told by its names."""
    return str(module).partition(".")[0] in sys.stdlib_module_names


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
    return repr(held)
