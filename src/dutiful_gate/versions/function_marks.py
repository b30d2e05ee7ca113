"""What tells a function of a developer's own from another of the same name: its code, its state, and what it calls."""

from __future__ import annotations

import os
import re
import sys
import sysconfig
from collections.abc import Iterator
from dis import get_instructions
from functools import lru_cache, partial
from hashlib import sha256
from logging import Logger
from pathlib import Path
from types import (
    BuiltinFunctionType,
    ClassMethodDescriptorType,
    CodeType,
    FunctionType,
    GetSetDescriptorType,
    MemberDescriptorType,
    MethodDescriptorType,
    MethodType,
    MethodWrapperType,
    ModuleType,
    WrapperDescriptorType,
)
from typing import Any, Final

from ..document.declaring.naming import words_of

_MOST: Final = 1_000
_DEEPEST: Final = 40
"""So many functions and values are followed, and so far in; what needs more is equal to itself only."""
_PLAIN: Final = (float, complex, str, bytes, bool, type(None), range, type(...))
_OF_C: Final = (
    BuiltinFunctionType, MethodWrapperType, MethodDescriptorType, WrapperDescriptorType, ClassMethodDescriptorType,
    GetSetDescriptorType, MemberDescriptorType,
)  # fmt: skip
_OUR_PACKAGE: Final = __name__.partition(".")[0]
_TELL_NOTHING: Final = words_of(
    "__module__ __doc__ __qualname__ __firstlineno__ __static_attributes__ __dict__ __weakref__ __annotations__ "
    "__annotate_func__ __annotations_cache__ __slots__ __match_args__ _abc_impl __abstractmethods__ "
    "__dataclass_fields__ __dataclass_params__ __parameters__ __orig_bases__"
)
"""What a class has that neither its methods nor its objects do anything by."""


def mark_of(function: Any) -> str:
    """A digest of a callable in brackets; "" for what is none.

    It is of its code, its defaults, what is kept from around it or in it (closures, `partial`, the object of a bound
    method, the fields of an object that can be called), and of the functions and constants that it names, in its own
    module and in others; not of methods that it calls on values. What is installed is told by its name. Where
    something cannot be told by value, the mark is that of this object in this process alone: nothing is called equal
    that might not be.
    """
    return f" [{mark_of_value(function)}]" if callable(function) else ""


def mark_of_value(held: Any, *, most: int = _MOST) -> str:
    """A digest of a value, the same for equal ones, on the same terms. It is not to be shown: there may be secrets.

    What is made of more than `most` values is equal to itself only.
    """
    try:
        return digest_of_text("|".join(_Telling(most=most).told(held)))
    except Exception:  # an object that lies, or raises when it is looked at
        return digest_of_text(_itself(held))


def digest_of_text(text: str) -> str:
    """A short digest of a text."""
    return sha256(text.encode("utf-8", "replace")).hexdigest()[:16]


def _itself(held: Any) -> str:
    """What is equal to the same object of this process only."""
    return f"{type(held).__name__} {os.getpid()}.{id(held)}"


class _Telling:
    """Tells a value in pieces of text, which are the same for what is equal by value."""

    def __init__(self, around: _Telling | None = None, most: int = _MOST) -> None:
        self.depth: int = around.depth if around is not None else 0
        self.left: list[int] = around.left if around is not None else [most]
        self.seen: dict[int, int] = {}
        self.kept: list[Any] = around.kept if around is not None else []  # so that no number is used twice

    def told(self, held: Any) -> Iterator[str]:
        """A value, and what it is made of."""
        kind = type(held)
        if kind in _PLAIN:
            yield repr(held)
        elif kind is int:
            yield hex(held)  # decimal digits are not written for every number
        elif kind is re.Pattern:
            yield f"pattern {held.pattern!r} {held.flags}"
        elif id(held) in self.seen:
            yield f"again {self.seen[id(held)]}"
        elif self.left[0] <= 0 or self.depth >= _DEEPEST:
            yield _itself(held)
        else:
            self.left[0] -= 1
            self.seen[id(held)] = len(self.seen)
            self.kept.append(held)
            yield kind.__qualname__
            self.depth += 1
            yield from self.inside(held)
            self.depth -= 1

    def inside(self, held: Any) -> Iterator[str]:
        """What a value that is not plain is made of."""
        kind = type(held)
        if kind is ModuleType or isinstance(held, Logger):
            yield held.__name__ if kind is ModuleType else held.name
        elif (name := _name_of(held)) is not None:
            yield name
        elif kind is FunctionType:
            yield from self.function(held)
        elif isinstance(held, type):
            yield from self.all(*held.__mro__[1:])
            for attribute, each in held.__dict__.items():
                if attribute not in _TELL_NOTHING:
                    yield attribute
                    yield from self.told(each)
        elif isinstance(held, _OF_C):
            yield held.__name__
            yield from self.told(held.__self__ if hasattr(held, "__self__") else held.__objclass__)
        elif kind is MethodType:
            yield from self.all(held.__func__, held.__self__)
        elif kind is partial:
            yield from self.all(held.func, held.args, held.keywords, vars(held))
        elif kind is dict:
            yield from self.all(*(each for item in held.items() for each in item))
        elif kind is list or kind is tuple:
            yield from self.all(*held)
        elif kind is set or kind is frozenset:
            yield from sorted("|".join(_Telling(self).told(each)) for each in held)
        elif kind is staticmethod or kind is classmethod:
            yield from self.told(held.__func__)
        elif kind is property:
            yield from self.all(held.fget, held.fset)
        elif kind is lru_cache_kind:
            yield from self.told(held.__wrapped__)  # what is kept of earlier calls tells nothing
        else:
            yield from self.object(held)

    def all(self, *several: Any) -> Iterator[str]:
        """Several values, and how many they are."""
        yield str(len(several))
        for each in several:
            yield from self.told(each)

    def object(self, held: Any) -> Iterator[str]:
        """An object by its class and fields; where some of its state is no field, by what it says of it for copies."""
        kind = type(held)
        yield from self.told(kind)
        names = _slots_of(kind)
        if not _hides_state(kind, len(names)):
            fields = dict(getattr(held, "__dict__", {}))
            fields |= {name: getattr(held, name) for name in names if hasattr(held, name)}
            yield from self.all(fields)
        elif _name_of(kind) is not None:
            try:
                told = held.__reduce_ex__(2)
            except Exception:
                yield _itself(held)
            else:
                if isinstance(told, str):  # it is a constant of its module
                    yield told
                else:
                    yield from self.all(*told[:3], *(list(each or ()) for each in told[3:5]))
        else:
            yield _itself(held)

    def function(self, function: FunctionType) -> Iterator[str]:
        """The code of a function, its defaults, and what it names from outside of it, as far as that is there."""
        code = function.__code__
        yield from self.code(code)
        yield from self.all(function.__defaults__, function.__kwdefaults__)
        for name, cell in zip(code.co_freevars, function.__closure__ or (), strict=False):
            yield name
            try:
                yield from self.told(cell.cell_contents)
            except ValueError:  # it is not filled yet
                continue
        names = list(dict.fromkeys(_names(code)))
        for name in names:
            if name in function.__globals__:
                yield name
                yield from self.used(function.__globals__[name], names)
        package = str(function.__globals__.get("__package__") or "")
        for name in dict.fromkeys(_imports(code)):
            if not _is_installed(name):
                near = [sys.modules.get(each) for each in (name, f"{package}.{name}".rstrip("."))]
                found = next((each for each in near if each is not None), None)
                # Not imported yet: what it will be is not known.
                yield from self.used(found, names) if found is not None else [_itself(function)]

    def used(self, held: Any, names: list[str], deep: int = 0) -> Iterator[str]:
        """What stands under a name; of a module, what stands in it under the names that are used."""
        yield from self.told(held)
        if type(held) is ModuleType and not _is_installed(held.__name__) and deep < _DEEPEST:
            for name in names:
                if name in vars(held) and vars(held)[name] is not held:
                    yield name
                    yield from self.used(vars(held)[name], names, deep + 10)

    def code(self, code: CodeType) -> Iterator[str]:
        """What a function does, wherever it stands."""
        yield f"{code.co_code.hex()} {code.co_exceptiontable.hex()} {code.co_flags} {code.co_names} {code.co_varnames}"
        for held in code.co_consts:
            yield from self.code(held) if isinstance(held, CodeType) else self.told(held)


@lru_cache
def _kept(value: object) -> object:
    return value


lru_cache_kind: Final = type(_kept)


def _name_of(held: Any) -> str | None:
    """The name by which a class or function is found that is installed, or built in; None for any other."""
    module, name = getattr(held, "__module__", None), getattr(held, "__qualname__", None)
    if not isinstance(held, type) and isinstance(owner := getattr(held, "__objclass__", None), type):
        module = owner.__module__  # a method of a built-in class
    module = module if module is not None else getattr(getattr(held, "__self__", None), "__name__", None)
    if not isinstance(module, str) or not isinstance(name, str) or not _is_installed(module):
        return None
    found: Any = sys.modules.get(module)
    for step in name.split("."):
        found = getattr(found, step, None)
    return f"{module}.{name}" if found is held else None


_INSTALLED: Final = tuple(
    {str(Path(sysconfig.get_path(name)).resolve()) + os.sep for name in ("stdlib", "platstdlib", "purelib", "platlib")}
)


@lru_cache(maxsize=1_000)
def _is_installed(module: str) -> bool:
    """Whether a module is of the standard library, of this package, or installed: both versions run beside the same."""
    top = module.partition(".")[0]
    if top in sys.stdlib_module_names or top == _OUR_PACKAGE:
        return True
    file = getattr(sys.modules.get(module), "__file__", None)
    return isinstance(file, str) and str(Path(file).resolve()).startswith(_INSTALLED)


def _slots_of(kind: type) -> list[str]:
    """The fields that the classes of an object keep outside of its `__dict__`."""
    found: list[str] = []
    for each in kind.__mro__:
        slots = each.__dict__.get("__slots__", ())
        for name in [slots] if isinstance(slots, str) else slots:
            if name not in ("__dict__", "__weakref__"):
                private = name.startswith("__") and not name.endswith("__")
                found.append(f"_{each.__name__.lstrip('_')}{name}" if private else name)
    return found


def _hides_state(kind: type, slots: int) -> bool:
    """Whether objects of a class are larger than their fields: one of C keeps something elsewhere."""
    further = [name for name, at in (("__dict__", kind.__dictoffset__), ("__weakref__", kind.__weakrefoffset__)) if at]
    plain = type("Plain", (), {"__slots__": (*(f"slot{at}" for at in range(slots)), *further)})
    return bool(kind.__itemsize__) or kind.__basicsize__ > plain.__basicsize__


def _names(code: CodeType) -> Iterator[str]:
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _names(constant)


def _imports(code: CodeType) -> Iterator[str]:
    """The modules that a function imports when it runs."""
    yield from (str(each.argval) for each in get_instructions(code) if each.opname == "IMPORT_NAME")
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _imports(constant)
