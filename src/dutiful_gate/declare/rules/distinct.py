"""`it.distinct`: no item twice; `it.distinct.by(key)`: no two items of one key."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from ..facts import Bind, Facts, Unsaid
from .base import Face, Rule, refuse


def all_differ(items: Iterable[Any]) -> bool:
    """Whether no two items are equal, as JSON has it: 1 and 1.0 are equal, 1 and true are not."""
    keys = [_key(item) for item in items]
    try:
        return len(set(keys)) == len(keys)
    except TypeError:
        return all(key not in keys[:at] for at, key in enumerate(keys))


def _key(item: Any) -> Any:
    if isinstance(item, bool):
        return (bool, item)
    if isinstance(item, (list, tuple)):
        return tuple(_key(each) for each in item)
    if isinstance(item, dict):
        # Not a frozenset: what a record holds need not be hashable, and then the slower comparison decides.
        return dict, tuple(sorted(((str(name), _key(each)) for name, each in item.items()), key=_first))
    return item


def _first(pair: tuple[str, Any]) -> str:
    return pair[0]


class Distinct(Rule):
    """No two items are equal; with `key`, no two have an equal key."""

    key: Callable[[Any], Any] | str | None = None

    def by(self, key: Callable[[Any], Any] | str) -> Distinct:
        """The same, comparing what a function makes of each item, or one attribute of it."""
        return self.but(key=key)

    def condition(self, value: str, bind: Bind) -> str:
        differ = bind(all_differ, "all_differ")
        if self.key is None:
            return f"{differ}({value})"
        return f"{differ}(map({bind(self._reader(), 'KEY_OF')}, {value}))"

    def _reader(self) -> Callable[[Any], Any]:
        if isinstance(self.key, str):
            name = self.key
            return lambda item: item[name] if isinstance(item, dict) else getattr(item, name)
        assert self.key is not None
        return self.key

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "items that differ" if self.key is None else "items that differ in {key}"
        return (Face(self.condition(value, bind), "repeat", words, "one of them again"),)

    def numbers(self) -> Mapping[str, object]:
        if self.key is None:
            return {}
        return {"key": self.key if isinstance(self.key, str) else getattr(self.key, "__name__", "their key")}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        if self.key is None:
            return {"uniqueItems": True}
        return Unsaid("JSON Schema compares whole items only, not a part of them")

    def suits(self, facts: Facts) -> None:
        if facts.measured != "items":
            refuse(self, facts, "it judges lists")

    def __str__(self) -> str:
        return "it.distinct" if self.key is None else f"it.distinct.by({self.numbers()['key']!r})"
