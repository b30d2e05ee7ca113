"""How generated code reaches what rules of a record speak of: its fields, what is inside them, which of them came."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import Any, Final, Protocol

from .facts import Bind, Facts

Path = tuple[str, ...]
"""A field of the record at hand by its attribute, and the fields inside it; ITEM is a step into a list."""

ITEM: Final = "[]"


class FactsOf(Protocol):
    """What is known of the values that paths lead to. Raises DeclarationError where a path leads to none."""

    def __getitem__(self, path: Path, /) -> Facts: ...


class Reach(ABC):
    """Python source for the record at hand; every name is that of an attribute."""

    @abstractmethod
    def value(self, name: str) -> str:
        """The variable of a field."""

    @abstractmethod
    def has(self, name: str) -> str:
        """The test that a field has a value: it is there, or has a default, and is not null."""

    @abstractmethod
    def came(self, name: str) -> str:
        """The test that a field stands in the data, be it null."""

    @abstractmethod
    def sent(self, name: str) -> str:
        """The test that a field of an amendment is to be changed."""

    @abstractmethod
    def count(self) -> str:
        """How many keys came."""

    @abstractmethod
    def facts(self, path: Path) -> Facts:
        """What is known of a value."""

    def at(self, path: Path, bind: Bind) -> str:
        """The value at a path; None where there is none on the way."""
        value = self.value(path[0])
        return value if len(path) == 1 else f"{bind(Inside(path[1:]), 'INSIDE')}({value})"

    def there(self, path: Path, bind: Bind) -> str:
        """The test that a path leads to a value; "True" where it always does."""
        first = self.has(path[0])
        if len(path) == 1:
            return first
        further = f"{self.at(path, bind)} is not None"
        return further if first == "True" else f"{first} and {further}"


class OfItem(Reach):
    """The same for a record that is an item of a list, in a variable."""

    def __init__(self, item: str, known: Callable[[Path], Facts], bind: Bind) -> None:
        self.item = item
        self.known = known
        self.bind = bind

    def value(self, name: str) -> str:
        return f"{self.bind(Inside((name,)), 'INSIDE')}({self.item})"

    def has(self, name: str) -> str:
        return f"{self.value(name)} is not None"

    def came(self, name: str) -> str:
        return f"{self.bind(_has_key, 'has_key')}({self.item}, {self.bind(name, 'NAME')})"

    def sent(self, name: str) -> str:
        return self.came(name)

    def count(self) -> str:
        return f"len({self.item})"

    def facts(self, path: Path) -> Facts:
        return self.known(path)


def _has_key(item: Any, name: str) -> bool:
    return name in item if isinstance(item, Mapping) else hasattr(item, name)


class Inside:
    """Gives what is inside a value, one step after the other; None where there is nothing."""

    __slots__ = ("steps",)

    def __init__(self, steps: Path) -> None:
        self.steps = steps

    def __call__(self, value: Any) -> Any:
        """What the steps lead to."""
        for step in self.steps:
            if value is None:
                return None
            value = value.get(step) if isinstance(value, Mapping) else getattr(value, step, None)
        return value
