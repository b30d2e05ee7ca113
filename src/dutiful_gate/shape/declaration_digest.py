"""A digest of all that a declaration says now, wherever it comes from: what was built of another one is stale."""

from __future__ import annotations

import dataclasses
import io
import pickle
import re
import sys
from collections.abc import Callable, Iterator, Mapping
from enum import Enum
from functools import partial
from hashlib import blake2b
from types import BuiltinFunctionType, FunctionType, MethodType, ModuleType
from typing import Any, Final, ForwardRef, NewType, TypeVar

from ..declare.before_reading import via_of
from ..declare.described import described
from ..declare.errors import DeclarationError
from ..declare.records import keys_of, record_rules, unknown_keys_of
from .constructors import only_stores, runs_own_code
from .hints import hints_of, names_of

_NOT_OURS: Final = sys.stdlib_module_names | {__name__.partition(".")[0]}
_PLAIN: Final = frozenset([str, int, float, bool, type(None), tuple, list, dict])
_BY_NAME: Final = (FunctionType, BuiltinFunctionType, type, NewType, TypeVar)
_NAME: Final = re.compile(r"[A-Za-z_]\w*")


def digest_of_declaration(declared: Any, keys: Callable[[str], str] | None = None) -> bytes | None:
    """A digest of a declared type and of all that it leads to, the same in every process for the same declaration.

    Of records it has the evaluated annotations with their rules, defaults, rules between fields and texts, of their
    bases too; the members of enumerations; what aliases stand for; `keys` are asked for the name of each field.
    Functions are told by their names: they are called, not copied. None where something cannot be told by value.
    """
    told = _Told(keys)
    try:
        return told.digest(declared)
    except Exception:  # an object that cannot be packed, an annotation that names nothing
        return None


class _Told:
    """What was told, and what waits to be: each class and alias once."""

    def __init__(self, keys: Callable[[str], str] | None) -> None:
        self.keys = keys
        self.known: set[int] = set()
        self.waiting: list[Any] = []
        self.kept: list[Any] = []  # so that no number is used twice
        self.owner: Any = None

    def digest(self, declared: Any) -> bytes:
        """See `digest_of_declaration`."""
        made = blake2b(digest_size=16)
        made.update(self.packed(declared))
        while self.waiting:
            self.owner = self.waiting.pop()
            made.update(self.packed(list(self.of(self.owner))))
        return made.digest()

    def packed(self, held: Any) -> bytes:
        """Something as bytes; what it leads to waits."""
        stream = io.BytesIO()
        packer = _DigestPacker(stream, self)
        packer.fast = True  # equal values give equal bytes, whichever objects they share
        packer.dump(held)
        return stream.getvalue()

    def later(self, held: Any) -> None:
        """Let a class or an alias be told by itself, once."""
        if id(held) in self.known:
            return
        self.known.add(id(held))
        if str(getattr(held, "__module__", "")).partition(".")[0] in _NOT_OURS:
            return
        self.kept.append(held)
        self.waiting.append(held)

    def of(self, held: Any) -> Iterator[Any]:
        """All that a class or an alias says."""
        if not isinstance(held, type):
            yield getattr(held, "__value__", None) or getattr(held, "__supertype__", None) or _bounds(held)
        elif issubclass(held, Enum):
            yield [(name, member.value) for name, member in held.__members__.items()]
        elif (record := described(held)) is not None:
            yield record
        else:
            yield from self.of_class(held)

    def of_class(self, held: type) -> Iterator[Any]:
        """What a class says that is no enumeration."""
        try:
            hints = hints_of(held, {})
        except DeclarationError:  # no record, or one that no gate can be made of
            hints = dict(getattr(held, "__annotations__", {}))
        yield [*held.__mro__[1:]], list(hints.items()), record_rules(held), unknown_keys_of(held), held.__doc__
        yield keys_of(held), via_of(held)
        yield [(name, self.keys(name)) for name in hints] if self.keys is not None else ()
        yield sorted(getattr(held, "__required_keys__", ())), getattr(held, "_field_defaults", None)
        if dataclasses.is_dataclass(held):
            unset = dataclasses.MISSING
            for each in dataclasses.fields(held):
                if not (each.default is unset and each.default_factory is unset and each.init):
                    yield each.name, each.default, each.default_factory, each.init
            yield only_stores(held)
        yield runs_own_code(held)
        # What is computed from a record stands in its class.
        for name, each in vars(held).items():
            if isinstance(each, property) and each.fget is not None:
                yield name, getattr(each.fget, "__annotations__", None), getattr(each.fget, "__dict__", None)

    def by_name(self, text: str) -> None:
        """Let what a text of an annotation names be told as well."""
        seen = names_of(self.owner, {}, "") if isinstance(self.owner, type) else None
        for name in set(_NAME.findall(text)) if seen is not None else ():
            found = seen.first.get(name, seen.around.get(name)) if seen is not None else None
            if found is not None and not isinstance(found, ModuleType):
                self.aliased(found)

    def aliased(self, found: Any) -> None:
        """Something that is named: a class by itself, anything else as it stands."""
        if isinstance(found, _BY_NAME) or hasattr(found, "__value__"):
            self.later(found)
        elif id(found) not in self.known:
            self.known.add(id(found))
            self.kept.append(found)
            self.waiting.append(_Alias(found))


class _Alias:
    """What a name in quotes stands for, where it is no class."""

    def __init__(self, held: Any) -> None:
        self.__value__ = held


class _DigestPacker(pickle.Pickler):
    """Packs values; classes and functions are packed as their names, sets in one order."""

    def __init__(self, stream: io.BytesIO, told: _Told) -> None:
        super().__init__(stream, protocol=5)
        self._told = told

    def persistent_id(self, held: Any) -> Any:
        """What stands for an object; None for one that is packed as it is."""
        kind = type(held)
        if kind in _PLAIN:
            return None
        if isinstance(held, _BY_NAME) or hasattr(held, "__value__"):
            if not isinstance(held, FunctionType | BuiltinFunctionType):
                self._told.later(held)
            return f"{getattr(held, '__module__', '')}:{getattr(held, '__qualname__', '') or held.__name__}"
        if kind is set or kind is frozenset:
            return f"{kind.__name__}:{sorted(self._told.packed(each) for each in held)}"
        if isinstance(held, Enum):
            self._told.later(kind)
            return f"{kind.__module__}:{kind.__qualname__}.{held.name}"
        if kind is ForwardRef:
            self._told.by_name(held.__forward_arg__)
            return f"text:{held.__forward_arg__}"
        return None

    def reducer_override(self, held: Any) -> Any:
        """How what cannot be packed is told all the same."""
        if isinstance(held, MethodType | partial) or not isinstance(held, Mapping):
            return NotImplemented
        return (dict, (list(held.items()),))


def _bounds(held: Any) -> Any:
    return getattr(held, "__bound__", None), getattr(held, "__constraints__", ())
