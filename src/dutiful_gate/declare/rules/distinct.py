"""`it.distinct`: no item twice; `it.distinct.by(key)`: no two items of one key."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Set
from typing import TYPE_CHECKING, Any

from ..applicability import LIST, Takes
from ..facts import Bind, Facts, Own, Unit, Unsaid
from ..hash_limits import MOST_ALIKE, crowded
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_FEW = 200
_NO_KEY = object()
_SOUND, _EQUAL, _CROWDED = range(3)


def keys_of(items: Iterable[Any]) -> list[Any]:
    """What items are compared by: equal where they are equal as JSON has it, and hashable where that can be."""
    return [_key(item) for item in items]


def all_differ(keys: list[Any]) -> bool:
    """Whether no two keys are equal."""
    return standing(keys) == _SOUND


def standing(keys: list[Any]) -> int:
    """How keys stand to each other: all different, some equal, or too many of one hash to be compared."""
    try:
        if crowded(keys):
            return _CROWDED
        return _SOUND if len(set(keys)) == len(keys) else _EQUAL
    except TypeError:  # objects of a developer's own class that have no hash
        if len(keys) > _FEW:
            return _CROWDED
        return _SOUND if all(key not in keys[:at] for at, key in enumerate(keys)) else _EQUAL


def _key(item: Any) -> Any:
    """A hashable stand-in: 1 and 1.0 are equal, 1 and true are not; a record without a hash is its fields."""
    kind = item.__class__
    if kind is str or kind is int:
        return item
    if isinstance(item, bool):
        return (bool, item)
    if isinstance(item, (list, tuple)) and not hasattr(item, "_fields"):
        return tuple(_key(each) for each in item)
    if isinstance(item, dict):
        return dict, frozenset((str(name), _key(each)) for name, each in item.items())
    if isinstance(item, Set):
        return frozenset(_key(each) for each in item)
    if item.__hash__ is None and (fields := getattr(kind, "__dataclass_fields__", None)) is not None:
        compared = (name for name, field in fields.items() if field.compare)
        return kind, tuple(_key(getattr(item, name, None)) for name in compared)
    return item


def _by(key: Callable[[Any], Any], items: Iterable[Any]) -> list[Any]:
    return [_key(held) for item in items if (held := key(item)) is not _NO_KEY]


def _read(name: str, item: Any) -> Any:
    """The attribute or key of an item; one that is null or has none is not compared."""
    if item is None:
        return _NO_KEY
    held = item.get(name, _NO_KEY) if isinstance(item, Mapping) else getattr(item, name, _NO_KEY)
    return _NO_KEY if held is None else held


class Distinct(Rule):
    """No two items are equal; with `key`, no two have an equal key. An item that has no such key is not compared."""

    key: Callable[[Any], Any] | str | None = None

    def by(self, key: Callable[[Any], Any] | str) -> Distinct:
        """The same, comparing what a function makes of each item, or one attribute of it.

        An item that is null, or whose attribute is lacking or null, is like no other.
        """
        return self.but(key=key)

    @property
    def may_raise(self) -> bool:
        """A ValueError of the developer's own function is a fault."""
        return callable(self.key)

    def condition(self, value: str, bind: Bind) -> str:
        return f"{self.measured(value, bind)} == {_SOUND}"

    def measured(self, value: str, bind: Bind) -> str | None:
        if self.key is None:
            keys = f"{bind(keys_of, 'keys_of')}({value})"
        else:
            read: object = _Reads(self.key) if isinstance(self.key, str) else Own(self.key)
            keys = f"{bind(_by, 'by_key')}({bind(read, 'KEY_OF')}, {value})"
        return f"{bind(standing, 'standing')}({keys})"

    def takes(self) -> Takes | None:
        return LIST

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "items that differ" if self.key is None else "items that differ in {key}"
        return (
            Face(f"{value} != {_CROWDED}", "size", f"at most {MOST_ALIKE} different items that share a hash", "more"),
            Face(f"{value} != {_EQUAL}", "repeat", words, "one of them again"),
        )

    def numbers(self) -> Mapping[str, object]:
        if self.key is None:
            return {}
        return {"key": self.key if isinstance(self.key, str) else getattr(self.key, "__name__", "their key")}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        if self.key is None:
            return {"uniqueItems": True}
        return Unsaid("JSON Schema compares whole items only, not a part of them")

    def suits(self, facts: Facts) -> None:
        if facts.measured is not Unit.ITEMS:
            refuse(self, facts, "it judges lists")

    def examples(self, facts: Facts) -> Iterable[Any]:
        return ([],)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return ()

    def asks(self, wish: Wish) -> None:
        return

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return "it.distinct" if self.key is None else f"it.distinct.by({self.numbers()['key']!r})"


class _Reads:
    """Reads one attribute or key of an item."""

    __slots__ = ("name",)

    def __init__(self, name: str) -> None:
        self.name = name

    def __call__(self, item: Any) -> Any:
        return _read(self.name, item)
