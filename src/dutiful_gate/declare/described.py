"""Records that are described instead of written as a class, by whoever knows another kind of class, as a table has."""

from __future__ import annotations

import sys
from collections.abc import Callable
from enum import Enum
from importlib import import_module
from typing import Any, Final, Union

from .values import Value


class _Left(Enum):
    OUT = "left out"


LEFT_OUT: Final = _Left.OUT


class DescribedField(Value):
    """One field: its attribute, its annotation, and what stands in for it.

    With `may_lack` it may be absent, and its class is made without it. `getter` takes its value from an instance, where
    the attribute itself is of another type than it says, such as a list that is more than one.
    """

    attribute: str
    annotation: Any
    default: object = LEFT_OUT
    factory: Callable[[], Any] | None = None
    may_lack: bool = False
    getter: Callable[[Any], Any] | None = None


class StandsForClass(Value):
    """A declaration that is no class and stands where a class would: in an annotation, and in a union with `|`."""

    name: str

    @property
    def __name__(self) -> str:
        return self.name

    def __call__(self, *values: object) -> Any:
        """It is not called; yet `typing` takes only what could be for a type."""
        raise TypeError(f"{self.name} is a declaration: build a gate for it, and admit data")

    def __or__(self, other: Any) -> Any:
        return Union[self, other]  # noqa: UP007  an instance of ours has no `|` of its own

    def __ror__(self, other: Any) -> Any:
        return Union[other, self]  # noqa: UP007


class Described(StandsForClass):
    """A record: `builder` makes its values of the fields by their attributes, and they are of that class.

    `rules` and `keys` are what `@obeys` holds, `text` says what it is. An instance that is read again is made anew, not
    copied: it may belong to others, as a row does to its session.
    """

    builder: Any
    fields: tuple[DescribedField, ...]
    rules: tuple[Any, ...] = ()
    text: str = ""
    keys: Callable[[str], str] | None = None


describers: Final[list[Callable[[type], Described | None]]] = []
"""Those who know another kind of class: each gives its description, or None for a class that it does not know."""

_KNOWN_BY: Final = {"__mapper__": "dutiful_gate.storage"}
"""What a class of another kind has, and the module that knows it: loaded when one is met."""


def described(declared: object) -> Described | None:
    """The description of a class of another kind; None where nobody knows it."""
    if isinstance(declared, type):
        for mark, module in _KNOWN_BY.items():
            if hasattr(declared, mark) and module not in sys.modules:
                import_module(module)
        for describer in describers:
            found = describer(declared)
            if found is not None:
                return found
    return None


__all__ = ["LEFT_OUT", "Described", "DescribedField", "described", "describers"]
